"""The arriving mode: which of the chain's modes is asked for, and what Reel does with it before the frame."""

from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.line.carried import Carried, Fields, is_squeezed
from reel.core.line.device import Turn, turned
from reel.core.line.loss import Loss, Weight
from reel.core.signal import Matrix, Mode, Range, Scan, Signal


class Deinterlace(StrEnum):
    """What becomes of two fields: left woven, one picture made of each pair, or one of each field."""

    NONE = "none"
    PAIR = "pair"
    FIELD = "field"


@dataclass(frozen=True, slots=True, kw_only=True)
class ArrivalSetup:
    """What is chosen about the arriving picture; None and "" follow what comes.

    `offer` is the key of the mode asked of the box or camera. `matrix` and `range` overrule a wrong tag. `turn` fixes
    a handheld's picture: whatever way it is held, it is turned to stand as the device does in that hand. `shape` is the
    picture's true width ÷ height, where the signal says it wrong.
    """

    offer: str = ""
    matrix: Matrix | None = None
    range: Range | None = None
    deinterlace: Deinterlace = Deinterlace.NONE
    turn: Turn | None = None
    shape: Fraction | None = None

    def __post_init__(self) -> None:
        if self.shape is not None and not Fraction(1, 4) <= self.shape <= 4:
            raise BadValueError("Shape", self.shape, "its width is from 1/4 to 4 times its height")

    def signal_of(self, signal: Signal) -> Signal:
        """Give the signal that goes on to the frame."""
        mode = signal.mode
        if mode.scan is Scan.INTERLACED and self.deinterlace is not Deinterlace.NONE:
            rate = mode.rate * (2 if self.deinterlace is Deinterlace.FIELD else 1)
            mode = Mode(width_px=mode.width_px, height_px=mode.height_px, rate=rate)
        aspect = signal.pixel_aspect
        if self.shape is not None:
            aspect = self.shape * mode.height_px / mode.width_px
        if self.turn is not None and self.is_turned(signal):
            mode, aspect = turned(mode), 1 / aspect
        matrix, value_range = self.matrix or signal.matrix, self.range or signal.range
        return replace(signal, mode=mode, matrix=matrix, range=value_range, pixel_aspect=aspect)

    def is_turned(self, signal: Signal) -> bool:
        """Say whether the picture lies where it should stand, or stands where it should lie."""
        if self.turn is None:
            return False
        stands = signal.mode.height_px > signal.mode.width_px
        return stands is not (self.turn is Turn.UPRIGHT)


def arrived(carried: Carried, arrival: ArrivalSetup) -> tuple[Carried, tuple[Loss, ...]]:
    """Give what goes on to the frame of what came in, and what that takes away."""
    signal = arrival.signal_of(carried.signal)
    is_turned = arrival.is_turned(carried.signal)
    shape = 1 / carried.shape if is_turned else carried.shape
    chroma_px = carried.chroma_px[::-1] if is_turned else carried.chroma_px
    after = replace(carried, signal=signal, shape=shape, chroma_px=chroma_px)
    losses = []
    if carried.fields is Fields.APART:
        if arrival.deinterlace is Deinterlace.NONE:
            losses.append(_loss("fields woven", *_WOVEN, Weight.FIELDS / 2))
        else:
            after = replace(after, fields=Fields.NONE, distinct_per_s=signal.mode.rate)
        if arrival.deinterlace is Deinterlace.PAIR:
            losses.append(_loss("rate halved", *_PAIRED, 50))
    if signal.matrix is not carried.matrix and carried.signal.matrix is carried.matrix:
        losses.append(_loss("wrong matrix", *_OVERRULED, Weight.COLOUR))
    if signal.range is not carried.range:
        losses.append(_loss("wrong range", *_OVERRULED, Weight.COLOUR))
    if is_squeezed(after) and not is_squeezed(carried):
        losses.append(_loss("squeezed shape", *_OVERRULED, Weight.SHAPE))
    return after, tuple(losses)


def mended(arrival: ArrivalSetup, after: Carried) -> set[str]:
    """Give the words of losses on the path that Arrival's settings undo."""
    words = set()
    if arrival.matrix is not None and after.signal.matrix is after.matrix:
        words.add("wrong matrix")
    if arrival.shape is not None and not is_squeezed(after):
        words.add("squeezed shape")
    return words


_WOVEN = ("Two fields lie in each picture and are left woven.", "Moving edges show combs.")
_PAIRED = (
    "One picture is made of each pair of fields.",
    "Half of the motion is gone; one picture per field keeps it.",
)
_OVERRULED = ("Arrival overrules what the signal says of itself.", "What it says is right.")


def _loss(word: str, limit: str, cost: str, weight: float) -> Loss:
    return Loss(stage="arrival", word=word, limit=limit, cost=cost, weight=weight)
