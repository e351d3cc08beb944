"""Examining a file: what its container and packets hold, and what its pictures look like."""

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av

from reel.core.measure.look import Movement, is_black, lines_of
from reel.core.media.planes import luma_of
from reel.core.media.probe import MediaFacts, probe

# Shorter stretches of black or of standing still belong to any picture.
LEAST_S = Fraction(1)


@dataclass(frozen=True, slots=True, kw_only=True)
class Spans:
    """Stretches of LEAST_S or more in which something lasted: seconds in all, and the longest, where it begins."""

    total_s: Fraction = Fraction(0)
    longest_s: Fraction = Fraction(0)
    longest_at_s: Fraction = Fraction(0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Appearance:
    """What a file's pictures look like: when they are black, and when they do not change, blackness left out."""

    black: Spans
    still: Spans
    distinct: int


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
            if length >= LEAST_S:
                self._total += length
                if length > self._longest:
                    self._longest, self._at = length, since

    def end(self, at_s: Fraction) -> Spans:
        """End at a second."""
        self.take(at_s, is_so=False)
        return Spans(total_s=self._total, longest_s=self._longest, longest_at_s=self._at)


class _Looker:
    """Looks at each picture of a file, in the order in which they are shown."""

    def __init__(self) -> None:
        self._movement = Movement()
        self._changed_s = Fraction(0)
        self._black, self._still = _Spans(), _Spans()
        self._first_s: Fraction | None = None
        self._distinct = 0

    def look(self, frame: av.VideoFrame) -> None:
        """Look at the next picture."""
        if frame.pts is None or frame.time_base is None:
            return
        at_s, lines = frame.pts * frame.time_base, lines_of(luma_of(frame))
        self._first_s = at_s if self._first_s is None else self._first_s
        at_s -= self._first_s
        is_new, moved = self._movement.follow(lines)
        black = is_black(lines)
        self._distinct += is_new
        self._black.take(at_s, is_so=black)
        self._still.take(at_s if moved else self._changed_s, is_so=not moved and not black)
        if moved:
            self._changed_s = at_s

    def result(self, length_s: Fraction) -> Appearance:
        """Give what was seen of pictures that last so long in all."""
        black, still = self._black.end(length_s), self._still.end(length_s)
        return Appearance(black=black, still=still, distinct=self._distinct)


def examine(path: Path, progress: Callable[[float], None] = lambda part: None) -> tuple[MediaFacts, Appearance]:
    """Read, decode and look at a whole file; raises MediaError. See probe for `progress`."""
    looker = _Looker()
    facts = probe(path, progress, looker.look)
    return facts, looker.result(facts.length_s)
