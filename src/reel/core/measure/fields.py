"""The field test: is each field a moment of its own, or were they merged before they came? Or is it film in fields?"""

from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from typing import TypeAlias

import numpy as np
import numpy.typing as npt

from reel.core.measure.look import Luma
from reel.core.media.planes import luma_of
from reel.core.signal import Picture, rate_label

Plane: TypeAlias = npt.NDArray[np.float32]

TEST_S = 2
# Of the way from one picture to the next, the second field lies here when it is a moment of its own: half, ± this.
HALF_WAY, AROUND = 0.5, 0.25
# What moves must do so alike in lines that share no noise: noise alone comes to a hundredth over a whole picture.
MOVED_ALIKE, MOVED_STEPS = 0.03, 0.05
# The parts of the pairs of pictures that must agree.
MOST, SOME = 0.6, 0.15
# Fewer pairs of pictures that move say nothing.
MIN_PAIRS = 4


class FieldVerdict(StrEnum):
    """What the test found."""

    APART = "apart"
    MERGED = "merged"
    FILM = "film"
    STILL = "still"
    GAPS = "gaps"


@dataclass(frozen=True, slots=True, kw_only=True)
class FieldTest:
    """The result: pictures made at the double rate, how many of them are new, and what that means."""

    made: int
    new: int
    rate: Fraction
    verdict: FieldVerdict

    @property
    def sentence(self) -> str:
        if self.verdict is FieldVerdict.STILL:
            return "Too little moved to tell. Play a part with movement and test again."
        if self.verdict is FieldVerdict.GAPS:
            return "Too few pictures came one after the other to tell: others between them were lost. Test again."
        counted = f"{self.new} of {self.made} pictures at {rate_label(self.rate * 2)} a second are new: "
        if self.verdict is FieldVerdict.APART:
            return f"{counted}the fields come apart. Make one picture of each field, and all of the motion is recorded."
        if self.verdict is FieldVerdict.FILM:
            return (
                f"{counted}film lies in the fields, and some pictures are woven of two of its moments. "
                f"Make one picture of each field: every moment of the film is then whole."
            )
        return (
            f"{counted}each picture is whole or its fields were merged before they came, and every second one repeats. "
            f"Record {rate_label(self.rate)} a second; for all of the motion use a box that keeps fields apart."
        )


class FieldProbe:
    """Takes each arriving picture for the two that its fields would make, and says how many of those are new."""

    def __init__(self, rate: Fraction, *, top_first: bool = True) -> None:
        self._rate, self._top_first = rate, top_first
        self._before: Luma | None = None
        self._sequence = 0
        self._phases: list[float] = []
        self._fed = self._pairs = 0

    def feed(self, picture: Picture) -> None:
        """Take an arriving picture; only pictures that follow each other, none lost between them, are compared."""
        lines = field_lines(luma_of(picture.frame))
        self._fed += 1
        follows = picture.sequence == self._sequence + 1
        if self._before is not None and follows and self._before.shape == lines.shape:
            self._pairs += 1
            phase = field_phase(self._before, lines, top_first=self._top_first)
            if phase is not None:
                self._phases.append(phase)
        self._before, self._sequence = lines, picture.sequence

    def result(self) -> FieldTest:
        moved = len(self._phases)
        verdict = self._verdict() if moved >= MIN_PAIRS else FieldVerdict.STILL
        if self._pairs < MIN_PAIRS <= self._fed:
            verdict = FieldVerdict.GAPS
        new = {FieldVerdict.APART: 2 * moved, FieldVerdict.STILL: 0}.get(verdict, moved)
        return FieldTest(made=2 * self._pairs, new=new, rate=self._rate, verdict=verdict)

    def _verdict(self) -> FieldVerdict:
        phases = np.array(self._phases)
        half_way = float((np.abs(phases - HALF_WAY) < AROUND).mean())
        early, late = (phases <= HALF_WAY - AROUND).mean(), (phases >= HALF_WAY + AROUND).mean()
        if half_way >= MOST:
            return FieldVerdict.APART
        if late >= MOST or (early >= SOME and late >= SOME):
            return FieldVerdict.FILM
        return FieldVerdict.MERGED


def field_lines(luma: Luma) -> Luma:
    """Return what field_phase looks at: every line, every second column; a copy."""
    return luma[: luma.shape[0] // 2 * 2, ::2].copy()


def field_phase(before: Luma, lines: Luma, *, top_first: bool = True) -> float | None:
    """Return where between two pictures in a row the second field of the first lies, as a part of the way.

    0: it shows the same moment as the first field (whole or merged pictures); 0.5: a moment of its own, half way;
    1: the moment of the next picture, as film has it where its pictures begin with the second field. None when too
    little moves. Both are luma (lines, columns), every line of them.

    The motion from first field to first field is held against the way from there to the second one. It is weighed by
    the motion near by, above and below or left and right, whichever goes along with it more: noise, which goes along
    with nothing, and stripes that stand still take no part (an instrumental variable).
    """
    first, other = (before[0::2], before[1::2]) if top_first else (before[1::2], before[0::2])
    following = lines[0::2] if top_first else lines[1::2]
    start, end = _between(first), _between(following)
    at = (other[:-1] if top_first else other[1:]).astype(np.float32)
    motion = end - start
    way = at - start
    found = [_phase(way[2:-2], motion[2:-2], motion[:-4] + motion[4:])]
    found.append(_phase(way[:, 4:-4], motion[:, 4:-4], motion[:, :-8] + motion[:, 8:]))
    alike, phase = max(found)
    return phase if alike > MOVED_ALIKE else None


def _phase(way: Plane, motion: Plane, elsewhere: Plane) -> tuple[float, float]:
    """Return how much the motion here is that elsewhere (a correlation), and the part of it that the way is."""
    shared = float(np.vdot(motion, elsewhere))
    if shared <= MOVED_STEPS**2 * motion.size:
        return 0.0, 0.0
    whole = float(np.vdot(motion, motion)) * float(np.vdot(elsewhere, elsewhere))
    return shared / whole**0.5, float(np.vdot(way, elsewhere)) / shared


def _between(field: Luma) -> Plane:
    """Interpolate a field at the lines between its own."""
    values = field.astype(np.float32)
    between: Plane = (values[:-1] + values[1:]) / np.float32(2)
    return between
