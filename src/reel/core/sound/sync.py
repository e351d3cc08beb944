"""Sync: how far a sound lies from a picture, found from claps: a flash that is seen and its click that is heard."""

from collections import deque
from collections.abc import Iterable
from dataclasses import dataclass

import numpy as np

from reel.core.signal import NS, FloatArray
from reel.core.sound.setup import DELAY_MS

# So many claps must agree before they say anything, and this part of all that were seen, or heard.
MIN_CLAPS = 3
MIN_PART = 0.6
# Time stamps are no more exact than this.
SLACK_MS = 1.0
# A click rises within 2 ms to this many times what was heard in the 60 ms before; a syllable takes longer to rise.
_RISE = 4.0
_STEP_S, _BEFORE_STEPS = 0.001, 60
# Against what is quieter than this (−54 dBFS, after the differences are taken) any noise would be a rise.
_LEAST = 0.002
# A clap echoes; what follows it so soon is the same one.
_DEAD_NS = NS // 8


@dataclass(frozen=True, slots=True)
class Flash:
    """A flash was not there at `before_ns`, when one picture was shown, and was at `at_ns`, when the next was."""

    before_ns: int
    at_ns: int


@dataclass(frozen=True, slots=True, kw_only=True)
class SyncReading:
    """By how much a sound is later than the picture, by the claps that agree; negative where it is earlier.

    `offset_ms` and `within_ms`, which bounds its error, are None until enough claps agree. `claps_ms` are what each of
    them says alone: a picture shows a flash up to one picture late, so that they differ.
    """

    offset_ms: float | None = None
    within_ms: float | None = None
    claps_ms: tuple[float, ...] = ()

    @property
    def delay_ms(self) -> int | None:
        """The delay that brings the sound in step; none where that may be so already."""
        if self.offset_ms is None or self.within_ms is None:
            return None
        return 0 if abs(self.offset_ms) <= self.within_ms else -round(self.offset_ms)


class ClickFinder:
    """Finds clicks in float32 (channels, samples) at `rate_hz`, to a fraction of a millisecond."""

    def __init__(self, rate_hz: int) -> None:
        self._rate_hz, self._step = rate_hz, round(rate_hz * _STEP_S)
        self._left = np.zeros(0, dtype=np.float32)
        self._peaks: deque[float] = deque(maxlen=_BEFORE_STEPS + 1)
        self._end_ns: int | None = None
        self._last_ns: int | None = None

    def feed(self, data: FloatArray, at_ns: int) -> list[int]:
        """Take a block whose first sample was heard at `at_ns`; returns the instants of the clicks in it."""
        if self._end_ns is None or abs(at_ns - self._end_ns) > NS // 50:  # it does not follow
            self._left = np.zeros(0, dtype=np.float32)
            self._peaks.clear()
        self._end_ns = at_ns + data.shape[1] * NS // self._rate_hz
        mono = np.concatenate((self._left, data.mean(axis=0, dtype=np.float32)))
        # two differences leave the crack of a clap and little of a voice; the first two samples have none
        sharp = np.abs(np.diff(mono, 2))
        steps = len(sharp) // self._step
        found = []
        peaks = sharp[: steps * self._step].reshape(steps, self._step).max(axis=1, initial=0).tolist()
        for number, peak in enumerate(peaks):
            start = number * self._step
            if self._rises(peak):
                window = sharp[max(0, start - self._step) : start + self._step]
                first = max(0, start - self._step) + int(np.argmax(window > 0.4 * peak))
                click_ns = self._end_ns - (len(mono) - first - 2) * NS // self._rate_hz
                if self._last_ns is None or click_ns - self._last_ns > _DEAD_NS:
                    found.append(click_ns)
                self._last_ns = click_ns
            self._peaks.append(peak)
        self._left = mono[steps * self._step :]
        return found

    def _rises(self, peak: float) -> bool:
        """Compare with what came before, but for the millisecond just before, in which a click may have begun."""
        if len(self._peaks) <= _BEFORE_STEPS or peak <= _LEAST:
            return False
        return peak > _RISE * max(list(self._peaks)[:-1])


def clicks_in(data: FloatArray, rate_hz: int) -> list[int]:
    """Return the instants of the clicks in float32 (channels, samples), in ns from its first sample on."""
    finder, step = ClickFinder(rate_hz), max(1, rate_hz // 100)
    return [
        click_ns
        for first in range(0, data.shape[1], step)
        for click_ns in finder.feed(data[:, first : first + step], first * NS // rate_hz)
    ]


def in_step(
    flashes: Iterable[Flash], clicks: Iterable[int], reach_ms: tuple[int, int] = (-DELAY_MS[1], -DELAY_MS[0])
) -> SyncReading:
    """Find the offset on which most claps agree; `clicks` are the instants at which they were heard, in ns.

    What is heard is so many ms later than it is seen: from `reach_ms` first to its second, by default as far as an
    input's delay can make up for.

    A flash began somewhere between two pictures: with a click it bounds the offset from both sides. The offset is where
    most of these spans overlap, each flash and click counted once; what was no clap agrees with nothing.
    """
    seen, heard = list(flashes), list(clicks)
    spans = [
        (number, click, low - SLACK_MS, high + SLACK_MS)
        for number, flash in enumerate(seen)
        for click, heard_ns in enumerate(heard)
        if (low := (heard_ns - flash.at_ns) / 1e6) <= reach_ms[1]
        and (high := (heard_ns - flash.before_ns) / 1e6) >= reach_ms[0]
    ]
    if not spans:
        return SyncReading()
    low_ms, high_ms = np.array([span[2] for span in spans]), np.array([span[3] for span in spans])
    # where most overlap, one of them begins
    overlaps = (low_ms <= low_ms[:, None]) & (low_ms[:, None] <= high_ms)

    def agreeing(at: int) -> tuple[int, int, float]:
        """Count claps; of equals the one without a flash or click too many, then the nearest to being in step."""
        pairs = [spans[place] for place in np.flatnonzero(overlaps[at])]
        claps = min(len({flash for flash, *_ in pairs}), len({click for _, click, *_ in pairs}))
        return claps, -len(pairs), -abs(low_ms[at])

    at = max(range(len(spans)), key=agreeing)
    count, *_ = agreeing(at)
    if count < max(MIN_CLAPS, MIN_PART * min(len(seen), len(heard))):
        return SyncReading()
    low, high = float(low_ms[overlaps[at]].max()), float(high_ms[overlaps[at]].min())
    claps = tuple(round(float(middle), 1) for middle in (low_ms + high_ms)[overlaps[at]] / 2)
    return SyncReading(offset_ms=(low + high) / 2, within_ms=(high - low) / 2, claps_ms=claps)
