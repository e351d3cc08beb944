"""What becomes of a take's picture: its tags put right, and, where it is encoded anew, cropped, turned and scaled."""

from dataclasses import dataclass, field

from reel.core.errors import BadValueError
from reel.core.frame import Crop, Piece, Quarter
from reel.core.frame.piece import MAX_SIDE_PX
from reel.core.signal import Matrix, Range

_SIDES = (Quarter.RIGHT, Quarter.LEFT)


@dataclass(frozen=True, slots=True, kw_only=True)
class PictureFinish:
    """What becomes of the picture. `matrix` and `range` are what its samples really are, None for as it is tagged.

    It is cropped, turned and mirrored, and scaled to a size, 0 for what the crop leaves. Raises BadValueError.
    """

    matrix: Matrix | None = None
    range: Range | None = None
    crop: Crop = field(default_factory=Crop)
    turn: Quarter = Quarter.NONE
    mirrored: bool = False
    width_px: int = 0
    height_px: int = 0

    def __post_init__(self) -> None:
        size = (self.width_px, self.height_px)
        if size != (0, 0) and not all(16 <= side <= MAX_SIDE_PX and side % 2 == 0 for side in size):
            raise BadValueError("Size", f"{size[0]}×{size[1]}", f"both sides are even, from 16 to {MAX_SIDE_PX}")

    @property
    def is_tagged(self) -> bool:
        """Whether its tags are corrected."""
        return self.matrix is not None or self.range is not None

    @property
    def is_drawn(self) -> bool:
        """Whether other pixels are shown: what has to be encoded anew."""
        return self != PictureFinish(matrix=self.matrix, range=self.range)

    @property
    def piece(self) -> Piece:
        """How the picture comes into its frame."""
        return Piece(crop=self.crop, turn=self.turn, mirrored=self.mirrored)

    def size_of(self, width_px: int, height_px: int) -> tuple[int, int]:
        """Return the size that a picture comes to have."""
        if self.width_px:
            return self.width_px, self.height_px
        if not self.is_drawn:
            return width_px, height_px
        area = self.crop.of((width_px, height_px))
        sides = (area.height_px, area.width_px) if self.turn in _SIDES else (area.width_px, area.height_px)
        return max(16, sides[0] // 2 * 2), max(16, sides[1] // 2 * 2)
