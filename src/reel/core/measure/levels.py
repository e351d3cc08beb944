"""How bright the frames of a file really are: what its range tag can be held against."""

from dataclasses import dataclass
from fractions import Fraction

import numpy as np
import numpy.typing as npt

from reel.core.signal import Range

# ITU-R BT.709, 3.4: code values of black and white at 8 bits in limited range.
BLACK, WHITE = 16, 235
# What lies outside of limited range by more than this part of all samples is no overshoot of an encoder's.
OUTSIDE = Fraction(1, 200)
# The darkest and brightest of so many are left out: single samples say nothing.
_TAIL = 0.001


@dataclass(frozen=True, slots=True, kw_only=True)
class Levels:
    """Luma code values as at 8 bits: how often each of 256 is there, and from where to where nearly all lie."""

    histogram: tuple[int, ...]
    low: int
    high: int

    @property
    def outside(self) -> Fraction:
        """The part of samples that limited range has no place for."""
        total = sum(self.histogram)
        found = sum(self.histogram[: BLACK - 1]) + sum(self.histogram[WHITE + 2 :])
        return Fraction(found, total) if total else Fraction(0)

    def range_by_looking(self, tagged: Range) -> Range | None:
        """Return what range the samples have where that is another one than the tag says; None where it may be right.

        Samples outside of limited range are full. That limited ones are tagged as full can't be told for sure: a
        picture may have neither black nor white.
        """
        return Range.FULL if tagged is Range.LIMITED and self.outside > OUTSIDE else None


def levels_of(histogram: npt.NDArray[np.int64]) -> Levels:
    """Return what counts of 256 luma code values say."""
    share = np.cumsum(histogram) / max(1, histogram.sum())
    low, high = int(np.searchsorted(share, _TAIL)), int(np.searchsorted(share, 1 - _TAIL))
    return Levels(histogram=tuple(int(one) for one in histogram), low=low, high=high)
