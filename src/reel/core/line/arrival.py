"""The arriving mode: which of the chain's modes is asked for, and what Reel does with it before the frame."""

from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.line.device import Turn, turned
from reel.core.line.loss import Cause, Figure, Loss, LossKind, Weight
from reel.core.line.signal_state import Fields, SignalState, is_squeezed, shown_shape
from reel.core.signal import Matrix, Mode, Range, Scan, Signal


class LineReading(StrEnum):
    """How much of the 720 samples of a standard-definition line is the 4:3 or 16:9 picture: all of them, or 704.

    Equipment does either (ITU-R BT.601 samples 720, BT.1700's picture fills 702 to 704 of them).
    """

    ALL = "720"
    INNER = "704"


class Deinterlace(StrEnum):
    """What becomes of two fields: left interlaced, one picture made of each pair, or one of each field."""

    NONE = "none"
    PAIR = "pair"
    FIELD = "field"


# How much wider a pixel is when the inner samples are the picture: 59/54 for 16/15 in PAL, 10/11 for 8/9 in NTSC.
INNER_PART = {576: Fraction(59, 54) / Fraction(16, 15), 480: Fraction(10, 11) / Fraction(8, 9)}


@dataclass(frozen=True, slots=True, kw_only=True)
class ArrivalSetup:
    """What is chosen about the arriving picture; None and "" follow what comes.

    `offer` is the key of the mode asked of the box or camera. `matrix` and `range` overrule a wrong tag. `turn` fixes
    a handheld's picture: whatever way it is held, it is turned to stand as the device does in that hand. `shape` is the
    picture's true width ÷ height, where the signal says it wrong. `reading` counts with 720 samples a line.
    """

    offer: str = ""
    matrix: Matrix | None = None
    range: Range | None = None
    deinterlace: Deinterlace = Deinterlace.NONE
    turn: Turn | None = None
    reading: LineReading = LineReading.ALL
    shape: Fraction | None = None

    def __post_init__(self) -> None:
        if self.shape is not None and not Fraction(1, 4) <= self.shape <= 4:
            raise BadValueError("Shape", self.shape, "its width is from 1/4 to 4 times its height")

    def signal_of(self, signal: Signal) -> Signal:
        """Return the signal that goes on to the frame."""
        mode = signal.mode
        if mode.scan is Scan.INTERLACED and self.deinterlace is not Deinterlace.NONE:
            rate = mode.rate * (2 if self.deinterlace is Deinterlace.FIELD else 1)
            mode = Mode(width_px=mode.width_px, height_px=mode.height_px, rate=rate)
        aspect = signal.pixel_aspect
        if self.shape is not None:
            aspect = self.shape * mode.height_px / mode.width_px
        aspect *= self.reading_part(mode)
        if self.turn is not None and self.is_turned(signal):
            mode, aspect = turned(mode), 1 / aspect
        matrix, value_range = self.matrix or signal.matrix, self.range or signal.range
        return replace(signal, mode=mode, matrix=matrix, range=value_range, pixel_aspect=aspect)

    def reading_part(self, mode: Mode) -> Fraction:
        """How much wider pixels are by the chosen reading of a line; 1 where lines have other than 720 samples."""
        is_inner = self.reading is LineReading.INNER and mode.width_px == 720
        return INNER_PART.get(mode.height_px, Fraction(1)) if is_inner else Fraction(1)

    def is_turned(self, signal: Signal) -> bool:
        """Return whether the picture lies where it should stand, or stands where it should lie."""
        if self.turn is None:
            return False
        stands = signal.mode.height_px > signal.mode.width_px
        return stands is not (self.turn is Turn.UPRIGHT)


def after_arrival(carried: SignalState, arrival: ArrivalSetup) -> tuple[SignalState, tuple[Loss, ...]]:
    """Return what goes on to the frame of what came in, and what that takes away."""
    signal = arrival.signal_of(carried.signal)
    is_turned = arrival.is_turned(carried.signal)
    shape = carried.shape * arrival.reading_part(carried.signal.mode)
    shape = 1 / shape if is_turned else shape
    chroma_px = carried.chroma_px[::-1] if is_turned else carried.chroma_px
    after = replace(carried, signal=signal, shape=shape, chroma_px=chroma_px)
    losses = []
    if carried.fields is Fields.APART:
        if arrival.deinterlace is Deinterlace.NONE:
            losses.append(_loss(LossKind.LEFT_INTERLACED, Cause.LEFT, Weight.FIELDS / 2))
        else:
            after = replace(after, fields=Fields.NONE, distinct_per_s=signal.mode.rate)
        if arrival.deinterlace is Deinterlace.PAIR:
            losses.append(_loss(LossKind.RATE, Cause.PAIRED, 50, carried.distinct_per_s, after.distinct_per_s))
    if signal.matrix is not carried.matrix and carried.signal.matrix is carried.matrix:
        losses.append(_loss(LossKind.WRONG_MATRIX, Cause.OVERRULED, Weight.COLOUR, carried.matrix, signal.matrix))
    if signal.range is not carried.range:
        losses.append(_loss(LossKind.WRONG_RANGE, Cause.OVERRULED, Weight.COLOUR))
    if is_squeezed(after) and not is_squeezed(carried):
        shown = shown_shape(signal)
        losses.append(_loss(LossKind.SQUEEZED_SHAPE, Cause.OVERRULED, Weight.SHAPE, after.shape, shown))
    return after, tuple(losses)


def kinds_undone(arrival: ArrivalSetup, after: SignalState) -> set[LossKind]:
    """Return the kinds of losses on the path that Arrival's settings undo."""
    kinds = set()
    if arrival.matrix is not None and after.signal.matrix is after.matrix:
        kinds.add(LossKind.WRONG_MATRIX)
    if arrival.shape is not None and not is_squeezed(after):
        kinds.add(LossKind.SQUEEZED_SHAPE)
    return kinds


def _loss(kind: LossKind, cause: Cause, weight: float, was: Figure = None, left: Figure = None) -> Loss:
    return Loss(kind=kind, stage="arrival", limit=cause, weight=weight, was=was, left=left)
