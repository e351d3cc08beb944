"""Examining a file: what its container and packets hold, and what its pictures look like."""

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av

from reel.core.measure.look import Movement, is_black, lines_of
from reel.core.media.planes import chroma_of, luma_of
from reel.core.media.probe import MediaFacts, probe

# Much of a picture moves from this part on; a second in which that happens so often is a busy one.
BROAD_PART, BROAD_TIMES = 0.02, 6
# Shorter stretches of black or of standing still belong to any picture.
MIN_S = Fraction(1)


@dataclass(frozen=True, slots=True, kw_only=True)
class Spans:
    """Stretches of MIN_S or more in which something lasted: seconds in all, and the longest, where it begins."""

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


class _Spans:
    """Collects stretches as pictures come."""

    def __init__(self) -> None:
        self._since: Fraction | None = None
        self._total, self._longest, self._at = Fraction(0), Fraction(0), Fraction(0)

    def take(self, at_s: Fraction, *, is_so: bool) -> None:
        """Take note of whether it is so from a second on."""
        if is_so and self._since is None:
            self._since = at_s
        elif not is_so and self._since is not None:
            length, since, self._since = at_s - self._since, self._since, None
            if length >= MIN_S:
                self._total += length
                if length > self._longest:
                    self._longest, self._at = length, since

    def end(self, at_s: Fraction) -> Spans:
        self.take(at_s, is_so=False)
        return Spans(total_s=self._total, longest_s=self._longest, longest_at_s=self._at)


class _Looker:
    """Looks at each picture of a file, in the order in which they are shown."""

    def __init__(self) -> None:
        self._movement, self._colours = Movement(), Movement()
        self._colours.part = 0.0  # where there is no colour
        self._changed_s = Fraction(0)
        self._black, self._still = _Spans(), _Spans()
        self._first_s: Fraction | None = None
        self._second, self._new, self._broad = 0, 0, 0
        self._busy_s, self._busy_new = 0, 0

    def look(self, frame: av.VideoFrame) -> None:
        if frame.pts is None or frame.time_base is None:
            return
        at_s, lines = frame.pts * frame.time_base, lines_of(luma_of(frame))
        self._first_s = at_s if self._first_s is None else self._first_s
        at_s -= self._first_s
        is_new, moved = self._movement.follow(lines)
        colours = chroma_of(frame)
        if colours is not None:
            is_newly_coloured, recoloured = self._colours.follow(lines_of(colours))
            is_new, moved = is_new or is_newly_coloured, moved or recoloured
        black = is_black(lines)
        self._count(int(at_s), is_new=is_new)
        self._black.take(at_s, is_so=black)
        self._still.take(at_s if moved else self._changed_s, is_so=not moved and not black)
        if moved:
            self._changed_s = at_s

    def _count(self, second: int, *, is_new: bool) -> None:
        """Count a new picture in its second; a second that has passed is busy or not."""
        if second != self._second:
            if self._broad >= BROAD_TIMES:
                self._busy_s, self._busy_new = self._busy_s + 1, self._busy_new + self._new
            self._second, self._new, self._broad = second, 0, 0
        self._new += is_new
        self._broad += is_new and max(self._movement.part, self._colours.part) >= BROAD_PART

    def result(self, length_s: Fraction) -> Appearance:
        """Return what was seen of pictures that last so long in all."""
        black, still = self._black.end(length_s), self._still.end(length_s)
        return Appearance(black=black, still=still, busy_s=Fraction(self._busy_s), busy_new=self._busy_new)


def examine(path: Path, progress: Callable[[float], None] = lambda part: None) -> tuple[MediaFacts, Appearance]:
    """Read, decode and look at a whole file; raises MediaError. See probe for `progress`."""
    looker = _Looker()
    facts = probe(path, progress, looker.look)
    return facts, looker.result(facts.length_s)
