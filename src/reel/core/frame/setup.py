"""The recorded picture: its size and rate, the ground, and arrangements of pieces."""

from dataclasses import dataclass, field, replace
from enum import StrEnum

from reel.core.errors import BadValueError
from reel.core.frame.overlay import COLOUR
from reel.core.frame.piece import Piece
from reel.core.signal import Mode

MAX_PX = (4096, 2304)
MIN_PX = 64
MAX_PIECES, MAX_ARRANGEMENTS, MAX_NAME = 8, 9, 40


class Scaler(StrEnum):
    """How pictures are brought to another size: libswscale's names."""

    BICUBIC = "bicubic"
    LANCZOS = "lanczos"
    BILINEAR = "bilinear"
    AREA = "area"


@dataclass(frozen=True, slots=True, kw_only=True)
class Arrangement:
    """What is in the picture, from the lowest piece to the topmost, under a name."""

    name: str = "The picture"
    pieces: tuple[Piece, ...] = (Piece(),)

    def __post_init__(self) -> None:
        if not self.name.strip() or len(self.name) > MAX_NAME or not self.name.isprintable():
            raise BadValueError("Arrangement", self.name, f"its name has 1 to {MAX_NAME} printable characters")
        if not 1 <= len(self.pieces) <= MAX_PIECES:
            raise BadValueError(self.name, f"{len(self.pieces)} pictures", f"it has 1 to {MAX_PIECES}")


@dataclass(frozen=True, slots=True, kw_only=True)
class FrameSetup:
    """The frame: `mode` is its size and rate, independent of what arrives.

    With `as_it_comes` pictures keep the times at which they arrive; the rate then only says what is expected. `ground`
    is the colour where no picture lies, "#rrggbb". A take begins with the first arrangement.
    """

    mode: Mode
    as_it_comes: bool = False
    ground: str = "#000000"
    scaler: Scaler = Scaler.BICUBIC
    arrangements: tuple[Arrangement, ...] = field(default_factory=lambda: (Arrangement(),))

    def __post_init__(self) -> None:
        mode = self.mode
        is_even = mode.width_px % 2 == 0 and mode.height_px % 2 == 0
        fits = MIN_PX <= mode.width_px <= MAX_PX[0] and MIN_PX <= mode.height_px <= MAX_PX[0]
        fits = fits and mode.width_px * mode.height_px <= MAX_PX[0] * MAX_PX[1]
        if not (is_even and fits):
            limit = f"both sides are even, at least {MIN_PX} px and no more than {MAX_PX[0]}×{MAX_PX[1]} in all"
            raise BadValueError("Frame size", mode.size_label, limit)
        if not COLOUR.match(self.ground):
            raise BadValueError("Background", self.ground, "it is a colour like #1f2a24")
        if not 1 <= len(self.arrangements) <= MAX_ARRANGEMENTS:
            raise BadValueError("Arrangements", len(self.arrangements), f"there are 1 to {MAX_ARRANGEMENTS}")

    @property
    def size(self) -> tuple[int, int]:
        """Width and height in pixels."""
        return self.mode.width_px, self.mode.height_px

    @property
    def shown_inputs(self) -> frozenset[str]:
        """The names of the inputs whose pictures are in any arrangement, "" for the rig's first."""
        return frozenset(piece.input for one in self.arrangements for piece in one.pieces if piece.overlay is None)


def without_input(frame: FrameSetup, name: str) -> FrameSetup:
    """Return a frame without an input's picture; an arrangement that showed nothing else shows the rig's first one."""
    arrangements = []
    for one in frame.arrangements:
        left = tuple(piece for piece in one.pieces if piece.overlay is not None or piece.input != name)
        arrangements.append(
            replace(one, pieces=left if any(piece.overlay is None for piece in left) else (Piece(), *left))
        )
    return replace(frame, arrangements=tuple(arrangements))


def with_renamed(frame: FrameSetup, before: str, name: str) -> FrameSetup:
    """Return a frame in which an input's picture is called otherwise."""
    arrangements = tuple(
        replace(
            one, pieces=tuple(replace(piece, input=name) if piece.input == before else piece for piece in one.pieces)
        )
        for one in frame.arrangements
    )
    return replace(frame, arrangements=arrangements)
