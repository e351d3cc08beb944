"""Examining a file: what its container and packets hold, and what its pictures look like."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av

from reel.core.measure.in_time import PictureTrace, SoundTrace, Span, TakeInTime
from reel.core.measure.in_time.picture import BROAD_PART
from reel.core.measure.look import Movement, is_black, lines_of
from reel.core.media.facts import MediaFacts
from reel.core.media.planes import chroma_of, luma_of
from reel.core.media.probe import Watcher, probe
from reel.core.signal import FloatArray

# A second in which much of the picture moves so often is a busy one.
BROAD_TIMES = 6


@dataclass(frozen=True, slots=True, kw_only=True)
class Spans:
    """Stretches of a second or more in which something lasted: seconds in all, and the longest, where it begins."""

    total_s: Fraction = Fraction(0)
    longest_s: Fraction = Fraction(0)
    longest_at_s: Fraction = Fraction(0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Appearance:
    """What a file's pictures look like: when they are black, and when they do not change, blackness left out.

    In `busy_s` seconds much of the picture moved, again and again; `busy_new` pictures of those were new. What only
    blinks, or changes now and then, says nothing of how many pictures a second its source draws.
    """

    black: Spans
    still: Spans
    busy_s: Fraction
    busy_new: int


class _Colours:
    """Follows what only colour shows; it is looked at where brightness hardly moves, which saves half of the work."""

    def __init__(self) -> None:
        self._movement = Movement()
        self._passed: av.VideoFrame | None = None

    def pass_by(self, frame: av.VideoFrame) -> None:
        """Take note of a picture whose brightness says enough."""
        self._passed = frame

    def follow(self, frame: av.VideoFrame) -> tuple[float, bool]:
        """Return the part of a picture whose colour is new, and whether its colour has moved."""
        passed, self._passed = self._passed, None
        before = chroma_of(passed) if passed is not None else None
        if before is not None:
            self._movement.restart(lines_of(before))
        colours = chroma_of(frame)
        if colours is None:
            return 0.0, False
        _, moved = self._movement.follow(lines_of(colours))
        return self._movement.part, moved


class _Looker(Watcher):
    """Looks at each picture of a file, in the order in which they are shown, and listens to each track."""

    def __init__(self) -> None:
        self._movement, self._colours = Movement(), _Colours()
        self._start_s = Fraction(0)
        self._first_s: Fraction | None = None
        self._trace, self._tracks = PictureTrace(), list[SoundTrace]()

    def begin(self, start_s: Fraction, titles: Sequence[str]) -> None:
        self._start_s = start_s
        self._tracks = [SoundTrace(title) for title in titles]

    def packet(self, at_s: Fraction, size_bytes: int) -> None:
        self._trace.packet(max(0.0, float(at_s - self._start_s)), size_bytes)

    def sound(self, track: int, at_s: Fraction, data: FloatArray, rate_hz: int) -> None:
        self._tracks[track].hear(float(at_s - self._start_s) * 1000, data, rate_hz)

    def picture(self, frame: av.VideoFrame) -> None:
        if frame.pts is None or frame.time_base is None:
            return
        at_s, lines = frame.pts * frame.time_base, lines_of(luma_of(frame))
        self._first_s = at_s if self._first_s is None else self._first_s
        _, moved = self._movement.follow(lines)
        part = self._movement.part
        if part >= BROAD_PART:
            self._colours.pass_by(frame)
        else:
            coloured, recoloured = self._colours.follow(frame)
            part, moved = max(part, coloured), moved or recoloured
        self._trace.look(
            float(at_s - self._first_s),
            part=part,
            jump=self._movement.jump,
            moved=moved,
            black=is_black(lines),
        )

    def appearance(self, facts: MediaFacts) -> Appearance:
        """Return what was seen of the pictures of a file."""
        length_s, rate = float(facts.length_s), facts.video.rate if facts.video else None
        busy_s, busy_new = self._trace.busy(BROAD_TIMES)
        black, still = self._trace.black(length_s), self._trace.still(length_s, rate)
        return Appearance(black=_summed(black), still=_summed(still), busy_s=Fraction(busy_s), busy_new=busy_new)

    def in_time(self, facts: MediaFacts) -> TakeInTime:
        """Return the file along its time."""
        step_ms = max([self._trace.step_ms, *(track.step_ms for track in self._tracks)])
        length_ms = round(facts.length_s * 1000)
        video = facts.video
        return TakeInTime(
            step_ms=step_ms,
            length_ms=length_ms,
            picture=self._trace.result(video.rate, step_ms, float(facts.length_s)) if video else None,
            tracks=tuple(track.result(step_ms, length_ms) for track in self._tracks),
        )


def _summed(spans: Sequence[Span]) -> Spans:
    if not spans:
        return Spans()
    longest = max(spans, key=lambda span: span.end_ms - span.begin_ms)
    return Spans(
        total_s=Fraction(sum(span.end_ms - span.begin_ms for span in spans), 1000),
        longest_s=Fraction(longest.end_ms - longest.begin_ms, 1000),
        longest_at_s=Fraction(longest.begin_ms, 1000),
    )


@dataclass(frozen=True, slots=True, kw_only=True)
class Examined:
    """What one reading of a file gave: what it holds, what it looks like, and what it does in time."""

    facts: MediaFacts
    seen: Appearance
    in_time: TakeInTime


def examine(path: Path, progress: Callable[[float], None] = lambda part: None) -> Examined:
    """Read, decode, look at and listen to a whole file, once; raises MediaError. See probe for `progress`."""
    looker = _Looker()
    facts = probe(path, progress, looker)
    return Examined(facts=facts, seen=looker.appearance(facts), in_time=looker.in_time(facts))
