"""Following a track of a file: how loud it is, where it clips, where it is silent."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from reel.core.measure.in_time.bins import Bins, Floats, runs
from reel.core.measure.in_time.values import MAX_EVENTS, Event, SoundInTime, Span
from reel.core.media.samples import CLIP_RUN
from reel.core.signal import FloatArray
from reel.core.sound import FULL_SCALE

# It is looked at in blocks of so many milliseconds, some of them at once.
BLOCK_MS, BATCH_MS = 5, 1000
# What clips within so many milliseconds stands together.
TOGETHER_MS = 500
# A block whose highest sample is under this, in dBFS, is silent; shorter stretches belong to any sound.
SILENT_DB, MIN_SILENT_MS = -66.0, 1000
_SILENT = 10 ** (SILENT_DB / 20)
_HOLE_MS = 5


@dataclass(slots=True)
class _Waiting:
    """Samples that have not been looked at, of the highest channel and squared in the mean of all, from `at_ms` on."""

    at_ms: float
    peaks: list[npt.NDArray[np.float32]]
    squares: list[npt.NDArray[np.float32]]
    samples: int = 0


class SoundTrace:
    """Collects what was heard of one track."""

    def __init__(self, title: str = "") -> None:
        self.title = title
        self._squares, self._counts, self._peaks = Bins(), Bins(), Bins(highest=True)
        self._waiting: _Waiting | None = None
        self._rate_hz = 0
        self._end_ms = 0.0
        self._silent: list[Span] = []
        self._silent_since: float | None = None
        self._clipped: list[Event] = []

    def hear(self, at_ms: float, data: FloatArray, rate_hz: int) -> None:
        """Take note of a block of samples (channels, samples), full scale ±1, from a moment on."""
        waiting = self._waiting
        if waiting is None or rate_hz != self._rate_hz or abs(at_ms - self._end_ms) > _HOLE_MS:
            self._look()
            if self._silent_since is not None and abs(at_ms - self._end_ms) > _HOLE_MS:
                self._end_silence(self._end_ms)
            self._rate_hz, self._end_ms = rate_hz, at_ms
            waiting = self._waiting = _Waiting(at_ms=at_ms, peaks=[], squares=[])
        sizes = np.abs(data)
        waiting.peaks.append(sizes.max(axis=0))
        waiting.squares.append(np.square(data, dtype=np.float32).mean(axis=0))
        waiting.samples += data.shape[1]
        self._end_ms += data.shape[1] * 1000 / rate_hz
        if waiting.samples >= rate_hz * BATCH_MS // 1000:
            self._look()

    def result(self, step_ms: int, length_ms: int) -> SoundInTime:
        """Return what was found of a file of a length."""
        self._look()
        if self._silent_since is not None:
            self._end_silence(min(self._end_ms, length_ms))
        counts = np.maximum(1.0, self._counts.values(step_ms, length_ms))
        return SoundInTime(
            title=self.title,
            levels=_coded((self._squares.values(step_ms, length_ms) / counts) ** 0.5),
            peaks=_coded(self._peaks.values(step_ms, length_ms)),
            clipped=tuple(self._clipped[:MAX_EVENTS]),
            silent=tuple(self._silent[:MAX_EVENTS]),
        )

    @property
    def step_ms(self) -> int:
        """The length of the steps that it has come to."""
        return self._counts.step_ms

    def _look(self) -> None:
        """Look at what waits."""
        waiting, self._waiting = self._waiting, None
        if waiting is None or not waiting.samples:
            return
        peaks, squares = np.concatenate(waiting.peaks), np.concatenate(waiting.squares)
        each = max(1, self._rate_hz * BLOCK_MS // 1000)
        starts = np.arange(0, len(peaks), each)
        highest = np.maximum.reduceat(peaks, starts).astype(np.float64)
        at_ms: Floats = (waiting.at_ms + starts * (1000 / self._rate_hz)).astype(np.float64)
        lengths = np.diff(np.append(starts, len(peaks))).astype(np.float64)
        self._squares.add_all(at_ms, np.add.reduceat(squares, starts).astype(np.float64))
        self._counts.add_all(at_ms, lengths)
        self._peaks.add_all(at_ms, highest)
        self._follow_silence(at_ms, highest)
        if highest.max() >= FULL_SCALE:
            self._find_clips(waiting.at_ms, peaks)

    def _follow_silence(self, at_ms: Floats, highest: Floats) -> None:
        quiet = highest < _SILENT
        changes = np.flatnonzero(np.diff(np.concatenate(([self._silent_since is not None], quiet)).astype(np.int8)))
        for place in changes:
            if quiet[place]:
                self._silent_since = float(at_ms[place])
            else:
                self._end_silence(float(at_ms[place]))

    def _end_silence(self, at_ms: float) -> None:
        since, self._silent_since = self._silent_since, None
        if since is not None and at_ms - since >= MIN_SILENT_MS:
            self._silent.append(Span(begin_ms=round(since), end_ms=round(at_ms)))

    def _find_clips(self, at_ms: float, peaks: npt.NDArray[np.float32]) -> None:
        for begin, end in runs(peaks >= FULL_SCALE):
            if end - begin < CLIP_RUN:
                continue
            clip_ms, last = round(at_ms + begin * 1000 / self._rate_hz), self._clipped[-1] if self._clipped else None
            if last is not None and (clip_ms - last.at_ms < TOGETHER_MS or len(self._clipped) >= MAX_EVENTS):
                self._clipped[-1] = Event(at_ms=last.at_ms, number=last.number + end - begin)
            else:
                self._clipped.append(Event(at_ms=clip_ms, number=end - begin))


def _coded(amplitudes: Floats) -> bytes:
    """Return amplitudes as bytes: dBFS + 100."""
    with np.errstate(divide="ignore"):
        levels = 20 * np.log10(amplitudes) + 100
    return bytes(np.clip(np.rint(levels), 0, 255).astype(np.uint8))
