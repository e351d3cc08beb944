"""The lines of a proof, and what they come to."""

from dataclasses import dataclass
from enum import StrEnum

# As many places of losses are named.
MOST_PLACES = 3


class Verdict(StrEnum):
    """How a line came out. NOTED is a fact that nothing was asked of."""

    AS_ASKED = "as asked"
    DIFFERS = "differs"
    NOTED = "noted"


@dataclass(frozen=True, slots=True, kw_only=True)
class ProofLine:
    """One line: what was asked, what was got, in words with units; `cause` explains a difference, `todo` mends it.

    `tolerance` says how far what was got may be off; "" where it must be what was asked.
    """

    label: str
    asked: str
    got: str
    verdict: Verdict
    cause: str = ""
    tolerance: str = ""
    todo: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Proof:
    """All lines of a take's proof."""

    lines: tuple[ProofLine, ...]

    @property
    def differing(self) -> tuple[ProofLine, ...]:
        """The lines that are not as asked."""
        return tuple(line for line in self.lines if line.verdict is Verdict.DIFFERS)

    @property
    def asked_count(self) -> int:
        """How many lines something was asked of."""
        return sum(line.verdict is not Verdict.NOTED for line in self.lines)

    @property
    def summary(self) -> str:
        """The proof in a sentence: `12 of 14 checks passed, 2 differ.`"""
        differing, asked = len(self.differing), self.asked_count
        if not differing:
            return f"All {asked} checks passed."
        return f"{asked - differing} of {asked} checks passed, {differing} differ{'s' if differing == 1 else ''}."


def line(
    label: str,
    asked: str,
    got: str,
    *,
    same: bool | None = None,
    cause: str = "",
    tolerance: str = "",
    todo: str = "",
) -> ProofLine:
    """Return a line: as asked where both are alike, or `same` says so; else with `cause` and what is to be done."""
    matches = asked == got if same is None else same
    return ProofLine(
        label=label,
        asked=asked,
        got=got,
        verdict=Verdict.AS_ASKED if matches else Verdict.DIFFERS,
        cause="" if matches else cause,
        tolerance=tolerance,
        todo="" if matches else todo,
    )


def count(number: int) -> str:
    """Return a number with its thousands apart."""
    return f"{number:,}".replace(",", " ")


def named(codec: str, profile: str) -> str:
    """Return a codec with its profile."""
    return f"{codec} {profile}".strip()
