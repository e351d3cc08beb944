"""Following the pictures of a file: where they are black, stand still, are missing, stand twice, or are cut."""

from array import array
from collections.abc import Iterable
from fractions import Fraction

import numpy as np
import numpy.typing as npt

from reel.core.measure.in_time.bins import Bins, Bools, coded_rate, runs
from reel.core.measure.in_time.values import MAX_EVENTS, Event, PictureInTime, Span
from reel.core.media.rate import RateFacts

# Much of a picture moves from this part on.
BROAD_PART = 0.02
# Shorter stretches of black or of standing still belong to any picture.
MIN_MS = 1000
# A picture that stands twice is told from a source that draws fewer by what is around it: so much of a second moves.
MOVING_PART = 0.9
# Something changes seldom where it does so fewer times in a second, and in no more than this part of its pictures.
MIN_MOVES, MAX_SELDOM = 6, 0.25
# Another scene differs by so many code values in the mean, and by so many times what the pictures around it do.
CUT_STEPS, CUT_TIMES = 10.0, 4.0
# So many pictures before and after a cut say how much they move by themselves.
AROUND = 4

Floats = npt.NDArray[np.float64]


class PictureTrace:
    """Collects what was seen of each picture, in the order in which they are shown, and the size of each packet."""

    def __init__(self) -> None:
        self._bits = Bins()
        self._at_s, self._parts, self._jumps = array("d"), array("f"), array("f")
        self._flags = array("B")

    def packet(self, at_s: float, size_bytes: int) -> None:
        """Take note of a packet of the picture."""
        self._bits.add(at_s * 1000, size_bytes * 8)

    def look(self, at_s: float, *, part: float, jump: float, moved: bool, black: bool) -> None:
        """Take note of a picture: the part of it that is new, by how many code values in the mean, whether it has moved
        since it last did, and whether it is black.
        """
        self._at_s.append(at_s)
        self._parts.append(part)
        self._jumps.append(jump)
        self._flags.append(moved | black << 1)

    def black(self, length_s: float) -> list[Span]:
        """Return where it is black."""
        at_s = np.append(np.array(self._at_s), length_s)
        found = runs(self._flag(1))
        return [_span(at_s, *one) for one in found if (at_s[one[1]] - at_s[one[0]]) * 1000 >= MIN_MS]

    def still(self, length_s: float, rate: RateFacts | None) -> list[Span]:
        """Return where it does not change, blackness left out: from a picture that did to the next that does.

        At a fixed rate that is two pictures or more; where they come at times of their own, one stands until the next.
        """
        black = self._flag(1)
        edges = np.flatnonzero(self._moves() | (black != np.append(False, black[:-1])))
        at_s = np.append(np.array(self._at_s), length_s)
        begins, ends = edges, np.append(edges[1:], len(black))
        holds = ~black[begins] & ((at_s[ends] - at_s[begins]) * 1000 >= MIN_MS)
        if rate is None or rate.fixed:
            holds &= ends - begins > 1
        return [_span(at_s, *one) for one in zip(begins[holds], ends[holds], strict=True)]

    def busy(self, least: int) -> tuple[int, int]:
        """Return the seconds in which much of the picture moved `least` times or more, and the new pictures in them."""
        at_s, parts = self._arrays()
        if not len(at_s):
            return 0, 0
        seconds = np.maximum(at_s.astype(np.int64), 0)
        seconds = np.minimum(seconds, seconds[0] + 7 * 24 * 3600)
        last = int(seconds.max())  # it has not passed
        broad = np.bincount(seconds, parts >= BROAD_PART, minlength=last + 1)[:last]
        new = np.bincount(seconds, parts > 0, minlength=last + 1)[:last]
        return int((broad >= least).sum()), int(new[broad >= least].sum())

    def result(self, rate: RateFacts | None, step_ms: int, length_s: float) -> PictureInTime:
        """Return what was found of pictures that last so long in all; `rate` is what their stamps follow."""
        at_s, parts = self._arrays()
        length_ms = round(length_s * 1000)
        new = Bins()
        new.add_all(at_s * 1000, (parts > 0).astype(np.float64))
        fixed = rate.rate if rate is not None and rate.fixed else None
        return PictureInTime(
            rates=coded_rate(self._bits.values(step_ms, length_ms) * 1000 / step_ms),
            new=np.clip(new.values(step_ms, length_ms), 0, 255).astype(np.uint8).tobytes(),
            rate=fixed,
            black=tuple(self.black(length_s)[:MAX_EVENTS]),
            still=tuple(self.still(length_s, rate)[:MAX_EVENTS]),
            lost=tuple(_lost(at_s, fixed))[:MAX_EVENTS] if fixed else (),
            doubled=tuple(Event(at_ms=_ms(at_s[place]), number=1) for place in _doubled(at_s, parts))[:MAX_EVENTS],
            cuts=tuple(_ms(at_s[place]) for place in _cuts(np.asarray(self._jumps)))[:MAX_EVENTS],
        )

    @property
    def step_ms(self) -> int:
        """The length of the steps that it has come to."""
        return self._bits.step_ms

    def _moves(self) -> Bools:
        """Return which pictures move; a little that seldom changes does not: a keyframe, a settling encoder."""
        moved, (at_s, parts) = self._flag(0), self._arrays()
        upto = np.concatenate(([0], np.cumsum(moved)))
        begins, ends = np.searchsorted(at_s, at_s - 0.5), np.searchsorted(at_s, at_s + 0.5)
        near = upto[ends] - upto[begins]
        is_seldom = (near < MIN_MOVES) & (near <= MAX_SELDOM * (ends - begins))
        moves: Bools = moved & ~((parts < BROAD_PART) & is_seldom)
        return moves

    def _arrays(self) -> tuple[Floats, npt.NDArray[np.float32]]:
        return np.array(self._at_s), np.array(self._parts, dtype=np.float32)

    def _flag(self, bit: int) -> Bools:
        return (np.array(self._flags, dtype=np.uint8) >> bit & 1).astype(bool)


def _lost(at_s: Floats, rate: Fraction) -> Iterable[Event]:
    ticks = np.rint(at_s * float(rate)).astype(np.int64)
    for place in np.flatnonzero(np.diff(ticks) > 1):
        first = int(ticks[place]) + 1
        yield Event(at_ms=_ms(first / float(rate)), number=int(ticks[place + 1]) - first)


def _doubled(at_s: Floats, parts: npt.NDArray[np.float32]) -> list[int]:
    """Return the pictures that stand twice: alike the one before, while almost all of the second around them move."""
    if len(at_s) < 3:
        return []
    broad = parts >= BROAD_PART
    alone = np.flatnonzero((parts[1:-1] == 0) & broad[:-2] & broad[2:]) + 1
    upto = np.concatenate(([0], np.cumsum(broad)))
    begins, ends = np.searchsorted(at_s, at_s[alone] - 0.5), np.searchsorted(at_s, at_s[alone] + 0.5)
    moving = (upto[ends] - upto[begins]) / np.maximum(1, ends - begins)
    whole = (at_s[alone] - at_s[0] >= 0.25) | (at_s[-1] - at_s[alone] >= 0.25)
    return [int(place) for place in alone[(moving >= MOVING_PART) & whole]]


def _cuts(jumps: npt.NDArray[np.float32]) -> list[int]:
    """Return the pictures with which another scene begins: unlike the one before, more than their neighbours are.

    A flash differs on both its sides, and is none.
    """
    found = []
    for place in np.flatnonzero(jumps >= CUT_STEPS):
        if place == 0:
            continue
        around = np.concatenate((jumps[max(1, place - AROUND) : place], jumps[place + 1 : place + 1 + AROUND]))
        if not len(around) or jumps[place] >= CUT_TIMES * max(1.0, float(around.max())):
            found.append(int(place))
    return found


def _span(at_s: Floats, begin: int, end: int) -> Span:
    return Span(begin_ms=_ms(at_s[begin]), end_ms=_ms(at_s[end]))


def _ms(second: float) -> int:
    return round(float(second) * 1000)
