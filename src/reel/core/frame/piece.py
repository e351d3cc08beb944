"""Pieces of the recorded picture: which part of an arriving picture is shown, how it is turned, and where it lies."""

from dataclasses import dataclass, field
from enum import StrEnum
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.frame.geometry import Area, Placed, cover, fit
from reel.core.frame.overlay import Overlay

MAX_SIDE_PX = 8192
MAX_KEY = 1
ZOOM = (Fraction(1), Fraction(16))


class Fit(StrEnum):
    """How a part of a picture fills its place: all of it, filling by cutting off, squeezed, or a part of one's own."""

    WHOLE = "whole"
    FILL = "fill"
    STRETCH = "stretch"
    OWN = "own"


class Quarter(StrEnum):
    """By how much a picture is turned, clockwise."""

    NONE = "0"
    RIGHT = "90"
    OVER = "180"
    LEFT = "270"


@dataclass(frozen=True, slots=True, kw_only=True)
class Crop:
    """Pixels of the arriving picture that are cut off at each side, before it is turned."""

    left_px: int = 0
    top_px: int = 0
    right_px: int = 0
    bottom_px: int = 0

    def __post_init__(self) -> None:
        for side, value in (("left", self.left_px), ("top", self.top_px), ("right", self.right_px)):
            _within(f"Crop {side}", value, (0, MAX_SIDE_PX))
        _within("Crop bottom", self.bottom_px, (0, MAX_SIDE_PX))

    def of(self, source: tuple[int, int]) -> Area:
        """Return what is left of a source of (width, height); where nothing would be, the middle two pixels are."""
        left, right = _kept(self.left_px, self.right_px, source[0])
        top, bottom = _kept(self.top_px, self.bottom_px, source[1])
        return Area(x_px=left, y_px=top, width_px=right - left, height_px=bottom - top)


@dataclass(frozen=True, slots=True, kw_only=True)
class Place:
    """Where a piece lies in the frame, in its pixels; it may reach over the edge, and is cut off there."""

    x_px: int
    y_px: int
    width_px: int
    height_px: int

    def __post_init__(self) -> None:
        _within("Place x", self.x_px, (-MAX_SIDE_PX, MAX_SIDE_PX))
        _within("Place y", self.y_px, (-MAX_SIDE_PX, MAX_SIDE_PX))
        _within("Width", self.width_px, (2, MAX_SIDE_PX))
        _within("Height", self.height_px, (2, MAX_SIDE_PX))


@dataclass(frozen=True, slots=True, kw_only=True)
class Piece:
    """A picture in the frame: a live one, whose `input` is named, "" for the rig's first; or an `overlay` in its stead.

    The arriving picture is cropped, turned and mirrored; `fit` says how the rest fills `place`, the whole frame when
    None. With OWN it shows a part of the place's shape, `zoom` times smaller than the biggest, whose middle lies at
    `centre_x`, `centre_y` (parts of the sides). `key` shows and hides it while rolling, "" for none. With `outline` a
    case is drawn around a live picture, outside of it, as around the device that shows it.
    """

    input: str = ""
    fit: Fit = Fit.WHOLE
    crop: Crop = field(default_factory=Crop)
    turn: Quarter = Quarter.NONE
    mirrored: bool = False
    zoom: Fraction = Fraction(1)
    centre_x: Fraction = Fraction(1, 2)
    centre_y: Fraction = Fraction(1, 2)
    place: Place | None = None
    opacity: int = 100
    hidden: bool = False
    key: str = ""
    overlay: Overlay | None = None
    outline: bool = False

    def __post_init__(self) -> None:
        _within("Zoom", self.zoom, ZOOM)
        _within("Centre across", self.centre_x, (Fraction(0), Fraction(1)))
        _within("Centre down", self.centre_y, (Fraction(0), Fraction(1)))
        _within("Opacity", self.opacity, (0, 100))
        if len(self.key) > MAX_KEY or (self.key and not (self.key.isascii() and self.key.isalpha())):
            raise BadValueError("Key", self.key, "it is one letter from a to z")

    def cast(
        self, source: tuple[int, int], frame: tuple[int, int], pixel_aspect: Fraction = Fraction(1)
    ) -> tuple[Area, Placed]:
        """Return the part of a source that is shown, and where that part lies in the frame once it is turned.

        Sizes are (width, height) in pixels; `pixel_aspect` is the width ÷ height of a source pixel. The place is even,
        as 4:2:0 needs, and reaches over the frame's edge only where `place` does.
        """
        kept = self.crop.of(source)
        place = self.place or Place(x_px=0, y_px=0, width_px=frame[0], height_px=frame[1])
        left, top = place.x_px // 2 * 2, place.y_px // 2 * 2
        room = (place.width_px // 2 * 2, place.height_px // 2 * 2)
        lies = self.turn in (Quarter.RIGHT, Quarter.LEFT)
        upright = (room[1], room[0]) if lies else room  # the place as the unturned picture sees it
        size = (kept.width_px, kept.height_px)
        if self.fit is Fit.WHOLE:
            # a lying pixel is as wide as an upright one is high
            turned, aspect = ((size[1], size[0]), 1 / pixel_aspect) if lies else (size, pixel_aspect)
            inside = fit(turned, room, aspect)
            return kept, Placed(
                x_px=left + inside.x_px,
                y_px=top + inside.y_px,
                width_px=inside.width_px,
                height_px=inside.height_px,
            )
        if self.fit is Fit.FILL:
            kept = _inside(kept, cover(size, upright, pixel_aspect))
        elif self.fit is Fit.OWN:
            kept = _inside(
                kept, cover(size, upright, pixel_aspect, zoom=self.zoom, centre=(self.centre_x, self.centre_y))
            )
        return kept, Placed(x_px=left, y_px=top, width_px=room[0], height_px=room[1])


def _inside(area: Area, part: Area) -> Area:
    return Area(
        x_px=area.x_px + part.x_px, y_px=area.y_px + part.y_px, width_px=part.width_px, height_px=part.height_px
    )


def _kept(first: int, last: int, length: int) -> tuple[int, int]:
    if first + last <= length - 2:
        return first, length - last
    middle = min(max(0, (first + length - last) // 2 - 1), length - 2)
    return middle, middle + 2


def _within(thing: str, value: int | Fraction, limits: tuple[int | Fraction, int | Fraction]) -> None:
    if not limits[0] <= value <= limits[1]:
        raise BadValueError(thing, f"{float(value):g}", f"it must be from {float(limits[0]):g} to {float(limits[1]):g}")
