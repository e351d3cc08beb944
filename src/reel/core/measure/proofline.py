"""The lines of a proof, and what they come to."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from enum import StrEnum

# As many places of losses are named.
MAX_PLACES = 3


class Verdict(StrEnum):
    """How a line came out. NOTED is a fact that nothing was asked of."""

    AS_ASKED = "as asked"
    DIFFERS = "differs"
    NOTED = "noted"


class ProofGroup(StrEnum):
    """What a line is about. CHECKS are those of proofs that were made before there were groups."""

    CONTAINER = "container"
    PICTURE = "picture"
    TIME = "time"
    SOUND = "sound"
    CHECKS = "checks"


@dataclass(frozen=True, slots=True, kw_only=True)
class ProofLine:
    """One line: what was asked, what was got, in words with units; `cause` explains a difference, `todo` mends it.

    `tolerance` says how far what was got may be off; "" where it must be what was asked. `tells` says that it stands
    for its group while that is folded. One of a `track` (from 1, 0 for none) says in `fact` what of it: `channels`.
    """

    label: str
    asked: str
    got: str
    verdict: Verdict
    cause: str = ""
    tolerance: str = ""
    todo: str = ""
    group: ProofGroup = ProofGroup.CHECKS
    tells: bool = False
    track: int = 0
    fact: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class TrackTable:
    """Several tracks beside each other: each fact with the line of every track, None for one that has none."""

    tracks: tuple[int, ...]
    rows: tuple[tuple[str, tuple[ProofLine | None, ...]], ...]

    @property
    def causes(self) -> tuple[tuple[str, str], ...]:
        """What is explained of a fact, once for all tracks."""
        found = {(fact, one.cause) for fact, lines in self.rows for one in lines if one is not None and one.cause}
        return tuple(sorted(found))


@dataclass(frozen=True, slots=True, kw_only=True)
class GroupedLines:
    """The lines of one group, and what they come to: `1280×720, H.264 High, 709 limited`."""

    group: ProofGroup
    lines: tuple[ProofLine, ...]

    @property
    def headline(self) -> str:
        """What the lines got that tell most."""
        return ", ".join(dict.fromkeys(line.got for line in self.lines if line.tells))

    @property
    def tracks(self) -> TrackTable | None:
        """The lines of its tracks beside each other; None where there are not several."""
        tracks = tuple(sorted({line.track for line in self.lines if line.track}))
        if len(tracks) < 2:
            return None
        found = {(line.fact, line.track): line for line in self.lines if line.track}
        facts = dict.fromkeys(fact for fact, _ in found)
        rows = tuple((fact, tuple(found.get((fact, track)) for track in tracks)) for fact in facts)
        return TrackTable(tracks=tracks, rows=rows)

    @property
    def plain(self) -> tuple[ProofLine, ...]:
        """The lines that do not stand in the table of tracks."""
        return tuple(line for line in self.lines if not line.track) if self.tracks else self.lines


@dataclass(frozen=True, slots=True, kw_only=True)
class Proof:
    """All lines of a take's proof."""

    lines: tuple[ProofLine, ...]

    @property
    def differing(self) -> tuple[ProofLine, ...]:
        """The lines that are not as asked."""
        return tuple(line for line in self.lines if line.verdict is Verdict.DIFFERS)

    @property
    def groups(self) -> tuple[GroupedLines, ...]:
        """The lines that don't differ, group by group; a group without any is left out."""
        alike = [line for line in self.lines if line.verdict is not Verdict.DIFFERS]
        found = {group: tuple(line for line in alike if line.group is group) for group in ProofGroup}
        return tuple(GroupedLines(group=group, lines=lines) for group, lines in found.items() if lines)

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
    tells: bool = False,
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
        tells=tells,
    )


def grouped(group: ProofGroup, lines: Iterable[ProofLine | None]) -> list[ProofLine]:
    """Return the lines that there are, as those of a group."""
    return [replace(line, group=group) for line in lines if line is not None]


def count(number: int) -> str:
    """Return a number with its thousands apart."""
    return f"{number:,}".replace(",", " ")


def named(codec: str, profile: str) -> str:
    """Return a codec with its profile."""
    return f"{codec} {profile}".strip()
