"""What of a take is kept: ranges of its ticks, and what is done to them one by one."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

from reel.core.errors import BadValueError

MAX_RANGES = 200
# No take is longer, in ticks: a day at the highest rate.
MAX_TICKS = 86_400 * 1000


class Edges(StrEnum):
    """What becomes of an edge that is no keyframe: the frames up to the next one are encoded anew, or it moves."""

    EXACT = "exact"
    KEYFRAME = "keyframe"


@dataclass(frozen=True, slots=True, order=True)
class TickRange:
    """Ticks from `first` on, `end` left out. Raises BadValueError where there are none."""

    first: int
    end: int

    def __post_init__(self) -> None:
        if not 0 <= self.first < self.end <= MAX_TICKS:
            raise BadValueError("Range", f"{self.first} to {self.end}", "its end is to lie behind its beginning")

    @property
    def length(self) -> int:
        return self.end - self.first


Ranges = tuple[TickRange, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class Keep:
    """The ranges that are kept, in ticks of `rate` a second from the take's first picture on.

    They are in order, none lies over another, and there is at least one; two may meet, where a range was split. Raises
    BadValueError.
    """

    rate: Fraction
    ranges: Ranges
    edges: Edges = Edges.EXACT

    def __post_init__(self) -> None:
        if not 0 < self.rate <= 1000:
            raise BadValueError("Rate", str(self.rate), "it is above 0 and at most 1000 a second")
        if not self.ranges:
            raise BadValueError("Keep", "nothing", "at least one range is to be kept")
        if len(self.ranges) > MAX_RANGES:
            raise BadValueError("Keep", f"{len(self.ranges)} ranges", f"there may be {MAX_RANGES}")
        for one, after in zip(self.ranges, self.ranges[1:], strict=False):
            if after.first < one.end:
                raise BadValueError("Range", f"{after.first} to {after.end}", "it begins before the one before it ends")

    @property
    def length(self) -> int:
        """Ticks of all that is kept."""
        return sum(one.length for one in self.ranges)

    def made_tick(self, tick: int) -> int | None:
        """Return where a tick of the take comes to lie in what is made; None where it is left out."""
        before = 0
        for one in self.ranges:
            if one.first <= tick < one.end:
                return before + tick - one.first
            before += one.length
        return None


def left_out(ranges: Sequence[TickRange], length: int) -> Ranges:
    """Return what of so many ticks is not kept."""
    edges = [0, *(edge for one in ranges for edge in (one.first, one.end)), length]
    return tuple(TickRange(first, end) for first, end in zip(edges[::2], edges[1::2], strict=True) if first < end)


def without(ranges: Sequence[TickRange], gaps: Iterable[TickRange]) -> Ranges:
    """Return what is kept once some stretches are left out as well: nothing where they hold all of it."""
    kept = list(ranges)
    for gap in gaps:
        kept = [piece for one in kept for piece in _minus(one, gap)]
    return tuple(kept)


def _minus(one: TickRange, gap: TickRange) -> Iterator[TickRange]:
    for first, end in ((one.first, min(one.end, gap.first)), (max(one.first, gap.end), one.end)):
        if first < end:
            yield TickRange(first, end)


def together(ranges: Iterable[TickRange]) -> Ranges:
    """Return ranges in order, those that meet or lie over each other as one."""
    found: list[TickRange] = []
    for one in sorted(ranges):
        if found and one.first <= found[-1].end:
            found[-1] = TickRange(found[-1].first, max(found[-1].end, one.end))
        else:
            found.append(one)
    return tuple(found)


def put_back(ranges: Sequence[TickRange], gap: TickRange) -> Ranges:
    """Return the ranges with a gap between them kept too, as one with those that it meets; others stay split."""
    met = [one for one in ranges if one.end == gap.first or one.first == gap.end]
    return tuple(sorted((*(one for one in ranges if one not in met), *together((*met, gap)))))


def split(ranges: Sequence[TickRange], tick: int) -> Ranges:
    """Return the ranges with the one that holds a tick split before it; raises BadValueError where none does."""
    for place, one in enumerate(ranges):
        if one.first < tick < one.end:
            return (*ranges[:place], TickRange(one.first, tick), TickRange(tick, one.end), *ranges[place + 1 :])
    raise BadValueError("Split", tick, "it is to lie inside a range that is kept")


def joined(ranges: Sequence[TickRange], place: int) -> Ranges:
    """Return the ranges with one (from 0) and the next as one, with what lies between; raises BadValueError."""
    if not 0 <= place < len(ranges) - 1:
        raise BadValueError("Range", place + 1, "there is none behind it to join it with")
    return (*ranges[:place], TickRange(ranges[place].first, ranges[place + 1].end), *ranges[place + 2 :])


def moved(ranges: Sequence[TickRange], place: int, first: int, end: int, length: int) -> Ranges:
    """Return the ranges with other edges of one (from 0), which stop at its neighbours; raises BadValueError."""
    if not 0 <= place < len(ranges):
        raise BadValueError("Range", place + 1, f"there are {len(ranges)}")
    low = ranges[place - 1].end if place else 0
    high = ranges[place + 1].first if place + 1 < len(ranges) else length
    return (*ranges[:place], TickRange(max(low, first), min(high, end)), *ranges[place + 1 :])
