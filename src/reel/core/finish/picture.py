"""What becomes of a take's picture: its tags put right, and, where it is encoded anew, everything else."""

from dataclasses import dataclass, field
from enum import StrEnum
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.finish.pace import Pace, natural_rate
from reel.core.frame import Crop, Piece, Quarter, with_square_pixels
from reel.core.frame.piece import MAX_SIDE_PX
from reel.core.signal import Matrix, Range

_SIDES = (Quarter.RIGHT, Quarter.LEFT)
SPEED = (Fraction(1, 20), Fraction(20))
RATE = (Fraction(1), Fraction(240))
# How often what a blur takes away is added, and what noise is taken to be, in 8-bit steps (libavfilter's fftdnoiz).
SHARPNESS, NOISE = (0.0, 3.0), (0, 30)


class Fields(StrEnum):
    """What becomes of two fields in a frame: they stay; a picture is made of each pair; one of each field; or the four
    pictures of a film are found again that pull-down made five frames of."""

    AS_THEY_ARE = "as they are"
    PAIR = "pair"
    EACH = "each"
    FILM = "film"


PER_TICK = {
    Fields.AS_THEY_ARE: Fraction(1),
    Fields.PAIR: Fraction(1),
    Fields.EACH: Fraction(2),
    Fields.FILM: Fraction(4, 5),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Grade:
    """How bright and colourful it is: luma is stretched about its middle by `contrast`, raised by a part of full scale,
    bent by `gamma` (above 1 is brighter); chroma is stretched by `saturation`. Raises BadValueError.
    """

    brightness: float = 0.0
    contrast: float = 1.0
    gamma: float = 1.0
    saturation: float = 1.0

    def __post_init__(self) -> None:
        for name, (low, high) in GRADE.items():
            value = getattr(self, name)
            if not low <= value <= high:
                raise BadValueError(name.capitalize(), f"{value:g}", f"it is from {low:g} to {high:g}")


GRADE = {"brightness": (-0.5, 0.5), "contrast": (0.0, 3.0), "gamma": (0.2, 5.0), "saturation": (0.0, 3.0)}


@dataclass(frozen=True, slots=True, kw_only=True)
class PictureFinish:
    """What becomes of the picture. `matrix` and `range` are what its samples really are, None for as it is tagged.

    Of its fields, of which the top one comes first by `top_first`, None for as it is tagged, pictures are made. It is
    cropped, turned and mirrored, and scaled to a size, 0 for what the crop leaves. Noise of `denoise` 8-bit steps is
    reduced, it is graded and sharpened. It is shown at `speed` with `rate` frames a second, None for what that gives.
    Raises BadValueError.
    """

    matrix: Matrix | None = None
    range: Range | None = None
    crop: Crop = field(default_factory=Crop)
    turn: Quarter = Quarter.NONE
    mirrored: bool = False
    width_px: int = 0
    height_px: int = 0
    fields: Fields = Fields.AS_THEY_ARE
    top_first: bool | None = None
    grade: Grade = field(default_factory=Grade)
    sharpness: float = 0.0
    denoise: int = 0
    speed: Fraction = Fraction(1)
    rate: Fraction | None = None

    def __post_init__(self) -> None:
        size = (self.width_px, self.height_px)
        if size != (0, 0) and not all(16 <= side <= MAX_SIDE_PX and side % 2 == 0 for side in size):
            raise BadValueError("Size", f"{size[0]}×{size[1]}", f"both sides are even, from 16 to {MAX_SIDE_PX}")
        if not SPEED[0] <= self.speed <= SPEED[1]:
            limit = f"it is from {float(SPEED[0] * 100):g} to {float(SPEED[1] * 100):g} %"
            raise BadValueError("Speed", f"{float(self.speed * 100):g} %", limit)
        if self.rate is not None and not RATE[0] <= self.rate <= RATE[1]:
            raise BadValueError("Rate", f"{float(self.rate):g}", f"it is from {RATE[0]} to {RATE[1]} a second")
        for name, value, (low, high) in (("Sharpness", self.sharpness, SHARPNESS), ("Noise", self.denoise, NOISE)):
            if not low <= value <= high:
                raise BadValueError(name, f"{value:g}", f"it is from {low:g} to {high:g}")

    @property
    def is_tagged(self) -> bool:
        """Whether its tags are corrected."""
        return self.matrix is not None or self.range is not None

    @property
    def is_drawn(self) -> bool:
        """Whether other pixels are shown: what has to be encoded anew."""
        return self != PictureFinish(matrix=self.matrix, range=self.range)

    @property
    def framed(self) -> "PictureFinish":
        """What it says of where the picture lies alone, so that what else is done can be seen beside it."""
        return PictureFinish(
            crop=self.crop,
            turn=self.turn,
            mirrored=self.mirrored,
            width_px=self.width_px,
            height_px=self.height_px,
        )

    @property
    def piece(self) -> Piece:
        """How the picture comes into its frame."""
        return Piece(crop=self.crop, turn=self.turn, mirrored=self.mirrored)

    def pace(self, ticks_per_s: Fraction) -> Pace:
        """Return how the pictures of a take come onto frames."""
        per_tick = PER_TICK[self.fields]
        rate = self.rate or natural_rate(ticks_per_s, per_tick, self.speed)
        return Pace(ticks_per_s=ticks_per_s, per_tick=per_tick, speed=self.speed, frames_per_s=rate)

    def size_of(self, width_px: int, height_px: int, aspect: Fraction = Fraction(1)) -> tuple[int, int]:
        """Return the size that a picture comes to have whose pixels are `aspect` as wide as they are high.

        They become square: the side grows that they are longer along, so that nothing of the other one is lost.
        """
        if self.width_px:
            return self.width_px, self.height_px
        if not self.is_drawn and aspect == 1:
            return width_px, height_px
        area = self.crop.of((width_px, height_px))
        across, down = with_square_pixels(area.width_px, area.height_px, aspect)
        return (down, across) if self.turn in _SIDES else (across, down)
