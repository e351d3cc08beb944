"""The field test: is each field a moment of its own, or were they merged before they came?"""

import math
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

import av
import numpy as np
import numpy.typing as npt

from reel.core.measure.watch import COMB_RATIO, comb_ratio
from reel.core.media.planes import luma_of
from reel.core.signal import rate_label

TEST_S = 2


class FieldVerdict(StrEnum):
    """What the test found."""

    APART = "apart"
    MERGED = "merged"
    STILL = "still"


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldTest:
    """The result: pictures made at the double rate, how many of them are new, and what that means."""

    made: int
    new: int
    rate: Fraction
    verdict: FieldVerdict

    @property
    def sentence(self) -> str:
        """The result for people."""
        if self.verdict is FieldVerdict.STILL:
            return "Too little moved to tell. Play a part with movement and test again."
        counted = f"{self.new} of {self.made} pictures at {rate_label(self.rate * 2)} a second are new: "
        if self.verdict is FieldVerdict.APART:
            return f"{counted}the fields come apart. Make one picture of each field, and all of the motion is recorded."
        return (
            f"{counted}each picture is whole or its fields were merged before they came, and every second one repeats. "
            f"Record {rate_label(self.rate)} a second; for all of the motion use a box that keeps fields apart."
        )


class FieldProbe:
    """Takes each arriving picture for the two that its fields would make, and says how many of those are new.

    The first of a pair is new when it differs from the pair before, the second when its lines show another moment.
    """

    def __init__(self, rate: Fraction) -> None:
        self._rate = rate
        self._before: npt.NDArray[np.uint8] | None = None
        self._ratios: list[float] = []
        self._pairs = 0

    def feed(self, frame: av.VideoFrame) -> None:
        """Take an arriving picture, all of one size."""
        lines = luma_of(frame)[:, ::2].copy()
        if self._before is not None and self._before.shape == lines.shape:
            self._pairs += 1
            ratio = comb_ratio(self._before, lines)
            if ratio is not None:
                self._ratios.append(ratio)
        self._before = lines

    def result(self) -> FieldTest:
        """Judge what was fed."""
        made = 2 * self._pairs
        if len(self._ratios) < 4:
            return FieldTest(made=made, new=0, rate=self._rate, verdict=FieldVerdict.STILL)
        ratios = np.array(self._ratios)
        is_apart = math.exp(float(np.log(ratios).mean())) > COMB_RATIO
        second = int(np.count_nonzero(ratios > COMB_RATIO)) if is_apart else 0
        verdict = FieldVerdict.APART if is_apart else FieldVerdict.MERGED
        return FieldTest(made=made, new=len(ratios) + second, rate=self._rate, verdict=verdict)
