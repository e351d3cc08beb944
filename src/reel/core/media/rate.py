"""The real rate of a file: which fixed rate its time stamps follow, if any, and how many ticks have no frame."""

from collections.abc import Iterable
from dataclasses import dataclass
from fractions import Fraction

import numpy as np
import numpy.typing as npt

# The trade's rates: film, television, screens and headsets, and each a thousandth slower as NTSC has it.
_WHOLE = (1, 5, 10, 12, 15, 20, 24, 25, 30, 36, 48, 50, 60, 72, 80, 90, 96, 100, 120, 144, 200, 240)
_SLOWER = (24, 30, 48, 60, 72, 96, 120, 144, 240)
STANDARD_RATES = (*map(Fraction, _WHOLE), Fraction(25, 2), *(Fraction(rate * 1000, 1001) for rate in _SLOWER))


@dataclass(frozen=True, slots=True, kw_only=True)
class RateFacts:
    """`rate` in pictures per second; `fixed` when every time stamp lies on its ticks; `missing` ticks have no picture.

    A rate that is not fixed is the average, and its `missing` is 0. `even` is the rate that pictures have when they are
    brought onto even times: the fixed one, or that of the trade's nearest to most of their distances.
    """

    rate: Fraction
    fixed: bool
    missing: int
    even: Fraction


def measure_rate(
    stamps: npt.NDArray[np.int64], time_base: Fraction, declared: Iterable[Fraction] = ()
) -> RateFacts | None:
    """Find the fixed rate that presentation time stamps follow; None for fewer than two.

    `stamps` are sorted, in units of `time_base` seconds. Containers round a stamp to their unit, so that the distance
    of two may be off by one unit. Of the rates that fit, the one that leaves fewest ticks empty is it. In a short file
    several of the trade's rates fit: then it is the one nearest to what is `declared`. A declared rate of its own
    counts only where it leaves fewer ticks empty than any of the trade's: containers declare 19001/317 for 60000/1001.
    """
    if len(stamps) < 2 or stamps[-1] <= stamps[0]:
        return None
    elapsed = stamps - stamps[0]
    said = list(declared)

    def order(facts: RateFacts) -> tuple[int, bool, Fraction]:
        off = min((abs(facts.rate - rate) for rate in said), default=Fraction(0))
        return facts.missing, facts.rate not in STANDARD_RATES, off

    fits = [
        RateFacts(rate=rate, fixed=True, missing=missing, even=rate)
        for rate in (*STANDARD_RATES, *said)
        if (missing := _missing(elapsed, time_base, rate)) is not None
    ]
    if fits:
        return min(fits, key=order)
    average = Fraction(len(stamps) - 1) / (int(elapsed[-1]) * time_base)
    even = _even(np.diff(elapsed), time_base)
    return RateFacts(rate=average.limit_denominator(1001), fixed=False, missing=0, even=even)


def _even(steps: npt.NDArray[np.int64], time_base: Fraction) -> Fraction:
    """Return the rate of the trade whose distance is nearest to the median of some; where units are too coarse to tell
    two apart, the whole one."""
    median = np.sort(steps)[(len(steps) - 1) // 2]
    middle = steps[np.abs(steps - median) <= 1]
    usual = max(Fraction(int(middle.sum()), len(middle)), Fraction(1))  # in units

    def order(rate: Fraction) -> tuple[int, bool, Fraction]:
        off = abs(1 / (rate * time_base) - usual)
        return int(off), rate.denominator > 1, off

    return min(STANDARD_RATES, key=order)


def _missing(elapsed: npt.NDArray[np.int64], time_base: Fraction, rate: Fraction) -> int | None:
    """Count the ticks without a stamp; None when the stamps don't follow this rate. Exact, in whole numbers."""
    per_tick = rate * time_base  # ticks in one unit
    up, down = per_tick.numerator, per_tick.denominator
    if int(elapsed[-1]) * up >= 2**62:
        return None
    ticks = (elapsed * up + down // 2) // down
    off_units = np.abs(ticks * down - elapsed * up)  # distance from the tick, in 1/up of a unit
    if np.any(off_units > up) or np.any(np.diff(ticks) < 1):
        return None
    return int(ticks[-1]) + 1 - len(elapsed)
