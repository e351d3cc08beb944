"""Claps in a file: a flash that is seen and a click that is heard, and how far tracks lie from the picture by them."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av

from reel.core.measure.flash import FlashFinder
from reel.core.media.planes import luma_of
from reel.core.media.probe import Watcher, probe
from reel.core.signal import NS, FloatArray
from reel.core.sound import ClickFinder, Flash, SyncReading, in_step

# Claps are looked for in stretches of so many seconds, each of which begins so many after the one before.
STRETCH_S, STEP_S = 20, 10
# Tracks may lie so far from the picture, either way.
REACH_MS = 2000
# A stretch with more flashes or clicks holds something else: claps among them would agree by chance.
MOST = 80


@dataclass(frozen=True, slots=True, kw_only=True)
class Claps:
    """Claps that agree: how far track `track` (from 1) lies behind the picture by them, or behind the first track where
    they were only heard, and the second of the file at which they begin.
    """

    track: int
    at_s: float
    reading: SyncReading
    is_seen: bool


def claps_in(path: Path, progress: Callable[[float], None] = lambda part: None) -> tuple[Claps, ...]:
    """Look at all of a file's picture and listen to all of its tracks; raises MediaError.

    Of each track there is one reading at most, by the stretch in which most claps agree: with the picture, or where
    none is seen with the first track. `progress` is told the part that is done, and may raise to call it off.
    """
    watcher = _ClapWatcher()
    probe(path, progress, watcher)
    clicks = watcher.clicks
    found = []
    for track in sorted(clicks):
        best = _best(track, watcher.flashes, clicks[track], is_seen=True)
        if best is None and track:
            heard = [Flash(before_ns=at_ns, at_ns=at_ns) for at_ns in clicks.get(0, ())]
            best = _best(track, heard, clicks[track], is_seen=False)
        if best is not None:
            found.append(best)
    return tuple(found)


def _best(track: int, flashes: Sequence[Flash], clicks: Sequence[int], *, is_seen: bool) -> Claps | None:
    best: Claps | None = None
    reach_ns = REACH_MS * NS // 1000
    end_ns = max([one.at_ns for one in flashes], default=0)
    for begin_ns in range(0, end_ns + 1, STEP_S * NS):
        seen = [one for one in flashes if begin_ns <= one.at_ns < begin_ns + STRETCH_S * NS]
        heard = [one for one in clicks if begin_ns - reach_ns <= one < begin_ns + STRETCH_S * NS + reach_ns]
        if not seen or max(len(seen), len(heard)) > MOST:
            continue
        reading = in_step(seen, heard, (-REACH_MS, REACH_MS))
        if len(reading.claps_ms) > (len(best.reading.claps_ms) if best is not None else 0):
            best = Claps(track=track + 1, at_s=seen[0].at_ns / NS, reading=reading, is_seen=is_seen)
    return best


class _ClapWatcher(Watcher):
    """Collects flashes, and the clicks of each track, in ns of the file."""

    def __init__(self) -> None:
        self.flashes: list[Flash] = []
        self.clicks: dict[int, list[int]] = {}
        self._eye, self._ears = FlashFinder(), dict[int, ClickFinder]()

    def picture(self, frame: av.VideoFrame) -> None:
        if frame.pts is None or frame.time_base is None:
            return
        flash = self._eye.feed(luma_of(frame), round(frame.pts * frame.time_base * NS))
        if flash is not None:
            self.flashes.append(flash)

    def sound(self, track: int, at_s: Fraction, data: FloatArray, rate_hz: int) -> None:
        ear = self._ears.setdefault(track, ClickFinder(rate_hz))
        self.clicks.setdefault(track, []).extend(ear.feed(data, round(at_s * NS)))
