"""What is handed on of a take beside its files."""

from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction


class MomentKind(StrEnum):
    """What lies at a moment of a take."""

    MARK = "mark"
    LOST = "lost frames"
    BLACK = "black"
    STILL = "still"


@dataclass(frozen=True, slots=True, kw_only=True)
class Moment:
    """A moment of a file: the second at which it begins, and how many seconds it lasts, 0 for a mark."""

    kind: MomentKind
    at_s: Fraction
    length_s: Fraction = Fraction(0)
    label: str = ""
