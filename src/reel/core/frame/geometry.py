"""Where a source picture goes in the frame."""

from dataclasses import dataclass
from fractions import Fraction


@dataclass(frozen=True, slots=True, kw_only=True)
class Placed:
    """A source picture scaled to `width_px` × `height_px` with its top left corner at `x_px`, `y_px` of the frame."""

    x_px: int
    y_px: int
    width_px: int
    height_px: int


def fit(source: tuple[int, int], frame: tuple[int, int], pixel_aspect: Fraction = Fraction(1)) -> Placed:
    """Scale a source to lie whole inside the frame, centred, its shape kept; the rest stays black.

    Sizes are (width, height) in pixels; `pixel_aspect` is the source's width ÷ height of one pixel, the frame's
    pixels are square. All results are even, as 4:2:0 needs.
    """
    shown_width = source[0] * pixel_aspect
    scale = min(frame[0] / shown_width, Fraction(frame[1], source[1]))
    width = min(frame[0], _even(shown_width * scale))
    height = min(frame[1], _even(source[1] * scale))
    return Placed(x_px=(frame[0] - width) // 4 * 2, y_px=(frame[1] - height) // 4 * 2, width_px=width, height_px=height)


def _even(value: Fraction) -> int:
    return max(2, round(value / 2) * 2)
