"""Losses: what a stage or a hop takes away, by kind and in figures, and how much that weighs against other losses."""

from dataclasses import dataclass
from enum import IntEnum, StrEnum
from fractions import Fraction

from reel.core.line.links import Connector
from reel.core.line.offer import Offer
from reel.core.signal import Matrix, Signal


class LossKind(StrEnum):
    """What is lost; the sentences for people are made of it in core.line.words."""

    UNCONNECTED = "unconnected"
    LINK_TOO_SLOW = "link too slow"
    BOX_TOO_SLOW = "box too slow"
    NO_MODE = "no mode"
    PORT_TOO_SLOW = "port too slow"
    PROTECTED = "protected"
    WILL_SLEEP = "will sleep"
    STOPS = "stops"
    CROPPED = "cropped"
    SCALED_DOWN = "scaled down"
    SCALED_UP = "scaled up"
    RATE = "rate"
    REPEATED = "repeated"
    PICTURES_LOST = "pictures lost"
    FIELDS_MERGED = "fields merged"
    LEFT_INTERLACED = "left interlaced"
    CHROMA = "chroma"
    DEPTH = "depth"
    COMPRESSED = "compressed"
    RANGE_CLIPPED = "range clipped"
    RANGE_SQUEEZED = "range squeezed"
    WRONG_MATRIX = "wrong matrix"
    WRONG_RANGE = "wrong range"
    SQUEEZED_SHAPE = "squeezed shape"
    BOXED_SHAPE = "boxed shape"
    CROSSTALK = "crosstalk"
    NOISE = "noise"
    CONVERTED = "converted"


# With these no usable picture comes through.
BLOCKS = frozenset(
    {
        LossKind.UNCONNECTED,
        LossKind.LINK_TOO_SLOW,
        LossKind.BOX_TOO_SLOW,
        LossKind.NO_MODE,
        LossKind.PORT_TOO_SLOW,
        LossKind.PROTECTED,
    }
)


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


class Cause(StrEnum):
    """What causes a loss, where that has no figures of its own: the hop's own limit, or how Arrival is set."""

    HOP = "hop"
    PAIRED = "paired"
    LEFT = "left"
    OVERRULED = "overruled"


@dataclass(frozen=True, slots=True, kw_only=True)
class Clock:
    """A signal needs a faster clock than a link or a box has."""

    signal: Signal
    carries_hz: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Room:
    """A port carries fewer bits a second than `asked` needs; `given` is what comes in its place, None for nothing."""

    asked: Offer
    carries_bps: int
    given: Offer | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Wish:
    """Arrival asks for another mode than the best."""

    offer: Offer


@dataclass(frozen=True, slots=True, kw_only=True)
class Plug:
    """A connector comes where others are taken; `takes` is empty at the end of the path."""

    comes: Connector
    takes: tuple[Connector, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Time:
    """Something happens by itself after so many seconds."""

    seconds: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Framing:
    """What arrives is put into another frame."""

    comes: Signal
    framed: Signal


Limit = Cause | Clock | Room | Wish | Plug | Time | Framing
# Pixels, pictures a second, bits, colour samples a pixel, or a part, by the kind; a matrix, a codec.
Figure = int | Fraction | Matrix | str | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Loss:
    """Something that is taken away at `stage`, in the path at `hop`, by `limit`: of what `was`, so much is `left`.

    `was` and `left` are figures of the kind: pixels of a picture, pictures a second, bits of a sample, colour samples a
    pixel, the part of the pictures that is lost; None where the kind says it all.
    """

    kind: LossKind
    stage: str
    weight: float
    hop: int | None = None
    limit: Limit = Cause.HOP
    was: Figure = None
    left: Figure = None

    @property
    def blocks(self) -> bool:
        """Whether no usable picture comes through."""
        return self.kind in BLOCKS
