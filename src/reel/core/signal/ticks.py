"""Placing arriving pictures on the ticks of a fixed-rate take, and sound beside them.

A segment starts when its first picture is shown; tick k lasts from start + k/rate to start + (k+1)/rate, and so does
its sound. The window in which a picture is taken for a tick begins half a picture earlier, so that arrivals fall into
the middle of their windows and jitter does no harm. The first picture in a window is its frame; more are dropped; a
window that ends empty repeats the picture before.
"""

from dataclasses import dataclass
from fractions import Fraction

NS = 1_000_000_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Segment:
    """A stretch without a hold: it starts at `start_ns` on the recorder's clock, with tick `first_tick` of the take."""

    start_ns: int
    first_tick: int
    end_tick: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Placement:
    """Where a picture goes: ticks to fill first with the picture before, then its own tick; None when it is dropped."""

    repeats: range
    tick: int | None


class Ticks:
    """The ticks of one take, `rate` a second; `next_tick` is the first that has no frame yet.

    With `filled`, each tick is to have a frame. Without, ticks are only a fine scale for pictures that keep their time.
    """

    def __init__(self, rate: Fraction, *, filled: bool = True) -> None:
        self.rate, self._filled = rate, filled
        self.next_tick = 0
        self.segment: Segment | None = None
        self._early_ns = 0

    def begin(self, picture_ns: int, interval: Fraction) -> Segment:
        """Start a segment whose first picture was shown at `picture_ns`; pictures come every `interval` seconds."""
        self._early_ns = round(min(interval, 1 / self.rate) / 2 * NS)
        self.segment = Segment(start_ns=picture_ns, first_tick=self.next_tick)
        return self.segment

    def place(self, at_ns: int) -> Placement:
        """Place a picture that was shown at `at_ns`, in the order of time."""
        tick = self.tick_at(at_ns)
        if tick < self.next_tick:
            return Placement(repeats=range(0), tick=None)
        repeats = range(self.next_tick, tick) if self._filled else range(0)
        self.next_tick = tick + 1
        return Placement(repeats=repeats, tick=tick)

    def are_together(self, first_ns: int, second_ns: int) -> bool:
        """Return whether pictures shown at these two times fall to the same tick."""
        return self.tick_at(first_ns) == self.tick_at(second_ns)

    def fill(self, until_ns: int) -> range:
        """Return the windows that ended before `until_ns` without a picture, to be filled with the one before."""
        if not self._filled:
            return range(0)
        repeats = range(self.next_tick, max(self.next_tick, self.tick_at(until_ns)))
        self.next_tick = repeats.stop
        return repeats

    def end(self, at_ns: int) -> tuple[Segment, range]:
        """End the segment at `at_ns`, rounded to a whole tick; gives it and the ticks that are still to be filled."""
        segment = self._open_segment()
        elapsed = Fraction(at_ns - segment.start_ns, NS) * self.rate
        end_tick = max(self.next_tick, segment.first_tick + round(elapsed))
        repeats = range(self.next_tick, end_tick) if self._filled else range(0)
        self.next_tick, self.segment = end_tick, None
        ended = Segment(start_ns=segment.start_ns, first_tick=segment.first_tick, end_tick=end_tick)
        return ended, repeats

    def tick_at(self, at_ns: int) -> int:
        """Return the tick to which a picture falls that was shown at `at_ns`."""
        segment = self._open_segment()
        return segment.first_tick + (at_ns - segment.start_ns + self._early_ns) * self.rate // NS

    def _open_segment(self) -> Segment:
        if self.segment is None:
            raise RuntimeError("no segment has begun")
        return self.segment


def tick_to_sample(tick: int, rate: Fraction, rate_hz: int) -> int:
    """Return the sample at which a tick starts, rounded to the nearest."""
    return round(tick * rate_hz / rate)


def place_samples(segment: Segment, at_ns: int, count: int, rate: Fraction, rate_hz: int) -> tuple[int, slice]:
    """Return where a block of `count` samples goes in the take and which of them lie inside the segment.

    Gives the take's sample position of the first kept sample, and the slice to keep (empty when all lie outside).
    """
    first = tick_to_sample(segment.first_tick, rate, rate_hz)
    position = first + round((at_ns - segment.start_ns) * Fraction(rate_hz, NS))
    skip = min(count, max(0, first - position))
    stop = count
    if segment.end_tick is not None:
        stop = min(count, tick_to_sample(segment.end_tick, rate, rate_hz) - position)
    return position + skip, slice(skip, max(skip, stop))
