"""What a take's proof comes to in one sentence: whether it can be used."""

from dataclasses import dataclass
from enum import StrEnum

from reel.core.measure.counts import Counts
from reel.core.measure.proofline import Proof, count

# A take that lost more than this part of its pictures stutters throughout, and measures nothing.
RUINED_PART = 0.05


class Usable(StrEnum):
    """Whether a take can be used."""

    YES = "yes"
    WITH_FLAWS = "with flaws"
    NO = "no"


@dataclass(frozen=True, slots=True, kw_only=True)
class Judgement:
    """Whether a take can be used, and why in one sentence."""

    usable: Usable
    sentence: str


def is_ruined(counts: Counts) -> bool:
    """Return whether so many pictures are missing that the take is of no use."""
    return counts.lost > RUINED_PART * counts.ticks


def judge(proof: Proof, counts: Counts) -> Judgement:
    """Return what a proof comes to; `counts` are those of the same part."""
    if not proof.differing:
        return Judgement(usable=Usable.YES, sentence="Usable: it holds what was asked.")
    if is_ruined(counts):
        fell_behind = counts.lost_encoder > counts.lost_before
        why = "the encoder fell behind" if fell_behind else "they did not come, or were read too late"
        said = f"Not usable: {count(counts.lost)} of {count(counts.ticks)} pictures are missing, since {why}."
        return Judgement(usable=Usable.NO, sentence=said)
    labels = list(dict.fromkeys(line.label.lower() for line in proof.differing))
    more = f" and {len(labels) - 2} more" if len(labels) > 2 else ""
    said = f"Look at what differs before you use it: {', '.join(labels[:2])}{more}."
    return Judgement(usable=Usable.WITH_FLAWS, sentence=said)
