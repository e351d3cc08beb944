"""Losses: what a stage or a hop takes away, and how much that weighs against other losses."""

from dataclasses import dataclass
from enum import IntEnum


class Weight(IntEnum):
    """How bad a loss is, for putting the biggest first and for judging remedies; parts lost are per cent.

    The steps are Reel's own judgement: no picture, a black one, motion, shape and colour, then fine detail.
    """

    BLOCK = 1000
    BLACK = 800
    FIELDS = 60
    SHAPE = 30
    COLOUR = 25
    COMPRESSED = 15
    CHROMA = 12
    DEPTH = 8
    SMALL = 4


@dataclass(frozen=True, slots=True, kw_only=True)
class Loss:
    """Something that is taken away at `stage`: a word for the drawing, the limit that causes it, what it costs.

    `hop` is the place in the path, None outside it. `blocks` says that no usable picture comes through.
    """

    stage: str
    word: str
    limit: str
    cost: str
    weight: float
    hop: int | None = None
    blocks: bool = False

    @property
    def sentence(self) -> str:
        """Limit and cost together."""
        return f"{self.limit} {self.cost}"
