"""Where a source picture goes in the frame: which part of it, scaled to what size, at what place."""

from dataclasses import dataclass
from fractions import Fraction


@dataclass(frozen=True, slots=True, kw_only=True)
class Placed:
    """A source picture scaled to `width_px` × `height_px` with its top left corner at `x_px`, `y_px` of the frame."""

    x_px: int
    y_px: int
    width_px: int
    height_px: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Area:
    """A part of a picture, in its own pixels: `width_px` × `height_px` with the top left corner at `x_px`, `y_px`."""

    x_px: int
    y_px: int
    width_px: int
    height_px: int


def turned(width_px: int, height_px: int, aspect: Fraction, degrees: int) -> tuple[int, int, Fraction]:
    """Return the size of a picture and the shape of its pixels once it is turned by quarters, either way round."""
    return (width_px, height_px, aspect) if degrees % 180 == 0 else (height_px, width_px, 1 / aspect)


def with_square_pixels(width_px: int, height_px: int, aspect: Fraction) -> tuple[int, int]:
    """Return the size of a picture once its pixels, `aspect` as wide as they are high, are square; both sides are even.

    The side grows that pixels are longer along, so that nothing of the other one is lost.
    """
    across, down = width_px * max(aspect, Fraction(1)), height_px / min(aspect, Fraction(1))
    return max(16, int(across // 2) * 2), max(16, int(down // 2) * 2)


def fit(source: tuple[int, int], frame: tuple[int, int], pixel_aspect: Fraction = Fraction(1)) -> Placed:
    """Scale a source to lie whole inside the frame, centred, its shape kept.

    Sizes are (width, height) in pixels; `pixel_aspect` is the source's width ÷ height of one pixel, the frame's
    pixels are square. All results are even, as 4:2:0 needs.
    """
    shown_width = source[0] * pixel_aspect
    scale = min(frame[0] / shown_width, Fraction(frame[1], source[1]))
    width = min(frame[0], _even(shown_width * scale))
    height = min(frame[1], _even(source[1] * scale))
    return Placed(x_px=(frame[0] - width) // 4 * 2, y_px=(frame[1] - height) // 4 * 2, width_px=width, height_px=height)


def cover(
    source: tuple[int, int],
    frame: tuple[int, int],
    pixel_aspect: Fraction = Fraction(1),
    *,
    zoom: Fraction = Fraction(1),
    centre: tuple[Fraction, Fraction] = (Fraction(1, 2), Fraction(1, 2)),
) -> Area:
    """Return the part of a source that has the frame's shape: the biggest one, or `zoom` times smaller.

    `centre` is where its middle lies, as parts of the source's sides; the part is moved so that it lies inside.
    """
    shown_width = source[0] * pixel_aspect
    scale = max(frame[0] / shown_width, Fraction(frame[1], source[1])) * max(Fraction(1), zoom)
    width = min(source[0], max(2, round(frame[0] / scale / pixel_aspect)))
    height = min(source[1], max(2, round(frame[1] / scale)))
    x = min(max(0, round(source[0] * centre[0] - Fraction(width, 2))), source[0] - width)
    y = min(max(0, round(source[1] * centre[1] - Fraction(height, 2))), source[1] - height)
    return Area(x_px=x, y_px=y, width_px=width, height_px=height)


def _even(value: Fraction) -> int:
    return max(2, round(value / 2) * 2)
