"""Drawing what is laid over the picture: words by FreeType, images with alpha, strokes of a pen."""

import hashlib
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from io import BytesIO
from pathlib import Path

import av
import numpy as np
import numpy.typing as npt
from PIL import Image as Pictures
from PIL import ImageDraw, ImageFont, UnidentifiedImageError

from reel.core.errors import BadValueError
from reel.core.frame.overlay import Caption, Clock, Face, Font, Image, Lettering, Overlay
from reel.core.media.colour import Floats, coded
from reel.core.media.planes import planes_of
from reel.core.signal import Signal, pixel_format

MAX_IMAGE_BYTES, MAX_IMAGE_PX = 8_000_000, 4096
_PAD = 0.3  # of a line's height, around words on a ground
# A case around a picture: its edge as a part of the shorter side, its colours (R, G, B, alpha).
_EDGE = 0.03
_CASE, _RIM = (24, 28, 30, 255), (86, 96, 100, 255)

Bytes = npt.NDArray[np.uint8]


@dataclass(frozen=True, slots=True, kw_only=True)
class Materials:
    """The folders of the fonts and of the images; without one a plain font serves, and images are left out."""

    fonts: Path | None = None
    images: Path | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Moment:
    """What a clock shows: the take's timecode, and the time of day."""

    timecode: str = "00:00:00:00"
    time: str = "00:00:00"


@dataclass(frozen=True, slots=True, kw_only=True)
class Stroke:
    """A line of the pen: points (x, y) in pixels of the frame, its width in them, its colour "#rrggbb"."""

    points: tuple[tuple[int, int], ...]
    width_px: int = 6
    colour: str = "#ffd400"

    def __post_init__(self) -> None:
        if not 1 <= len(self.points) <= 2000:
            raise BadValueError("Stroke", f"{len(self.points)} points", "it has 1 to 2000")
        if not 1 <= self.width_px <= 80:
            raise BadValueError("Pen", self.width_px, "it is 1 to 80 pixels wide")
        Lettering(colour=self.colour)
        if any(not -10_000 < value < 10_000 for point in self.points for value in point):
            raise BadValueError("Stroke", "a point far outside", "points lie near the frame")


class Film:
    """A drawing that can be laid over frames coded as `target` is: its planes, each with how much it covers."""

    def __init__(self, rgba: Bytes, target: Signal) -> None:
        """Take (height, width, 4) of R, G, B and alpha."""
        height, width = (side // 2 * 2 for side in rgba.shape[:2])
        self.size = (width, height)
        drawn = rgba[:height, :width].astype(np.float32) * np.float32(1 / 255)
        cover = drawn[..., 3]
        planes = coded(drawn[..., :3], target)
        self._steps = pixel_format(target.pixels).subsampling
        small = _reduced(cover, self._steps)
        self._layers = [(planes[0] * cover, 1 - cover)]
        self._layers += [(_reduced(plane * cover, self._steps), 1 - small) for plane in planes[1:]]

    def lay(self, frame: av.VideoFrame, x: int, y: int, opacity: int = 100) -> None:
        """Lay it over a frame with its upper left corner at an even point; what reaches over the edge is left out."""
        part = np.float32(opacity / 100)
        for number, (plane, (colour, through)) in enumerate(zip(planes_of(frame), self._layers, strict=True)):
            across, down = self._steps if number else (1, 1)
            left, top = x // across, y // down
            x0, y0 = max(0, left), max(0, top)
            x1, y1 = min(plane.shape[1], left + colour.shape[1]), min(plane.shape[0], top + colour.shape[0])
            if x1 <= x0 or y1 <= y0:
                continue
            area = slice(y0 - top, y1 - top), slice(x0 - left, x1 - left)
            under = plane[y0:y1, x0:x1]
            mixed = colour[area] * part + under * (1 - part * (1 - through[area]))
            under[:] = (mixed + 0.5).astype(plane.dtype)


def _reduced(plane: Floats, steps: tuple[int, int]) -> Floats:
    """Give the means of `steps` (across, down) samples."""
    across, down = steps
    height, width = plane.shape
    reduced: Floats = plane.reshape(height // down, down, width // across, across).mean(axis=(1, 3))
    return reduced


def draw(overlay: Overlay, materials: Materials, moment: Moment, size: tuple[int, int], target: Signal) -> Film | None:
    """Draw an overlay for frames of `target`; an image is brought to `size` (width, height).

    None for an image that is not there.
    """
    if isinstance(overlay, Caption):
        return _written(overlay.text, overlay.lettering, materials, target)
    if isinstance(overlay, Clock):
        text = moment.timecode if overlay.face is Face.TIMECODE else moment.time
        return _written(text, overlay.lettering, materials, target)
    assert isinstance(overlay, Image)
    return _image(overlay.name, materials, size, target)


@lru_cache(maxsize=64)
def _written(text: str, lettering: Lettering, materials: Materials, target: Signal) -> Film:
    font = _font(lettering.font, lettering.size_px, materials.fonts)
    pad = round(lettering.size_px * _PAD) if lettering.ground else 2
    probe = ImageDraw.Draw(Pictures.new("L", (1, 1)))
    left, top, right, bottom = probe.multiline_textbbox((0, 0), text, font=font)
    size = int(right - left) + 2 * pad + 2, int(bottom - top) + 2 * pad + 2
    drawn = Pictures.new("RGBA", size, f"{lettering.ground}ff" if lettering.ground else f"{lettering.colour}00")
    ImageDraw.Draw(drawn).multiline_text((pad - left, pad - top), text, font=font, fill=f"{lettering.colour}ff")
    return Film(np.asarray(drawn), target)


@lru_cache(maxsize=16)
def _font(font: Font, size_px: int, folder: Path | None) -> ImageFont.FreeTypeFont | ImageFont.ImageFont:
    if folder is None:
        return ImageFont.load_default(size=size_px)
    found = ImageFont.truetype(str(folder / f"{font.value}.woff2"), size_px)
    found.set_variation_by_axes([_weight(found)])
    return found


def _weight(font: ImageFont.FreeTypeFont) -> float:
    """Give a weight that is easily read over a picture, within what the font has."""
    (axis,) = font.get_variation_axes()
    return float(min(600, axis["maximum"] or 400))


@lru_cache(maxsize=8)
def _image(name: str, materials: Materials, size: tuple[int, int], target: Signal) -> Film | None:
    if materials.images is None:
        return None
    try:
        with Pictures.open(materials.images / name) as opened:
            scaled = opened.convert("RGBA").resize(size, Pictures.Resampling.LANCZOS)
    except OSError:
        return None
    return Film(np.asarray(scaled), target)


def edge_px(size: tuple[int, int]) -> int:
    """Give how far a case reaches beyond a picture of (width, height) at each side; even, as 4:2:0 needs."""
    return max(4, round(min(size) * _EDGE / 2) * 2)


@lru_cache(maxsize=16)
def draw_case(size: tuple[int, int], target: Signal) -> Film:
    """Draw a case around a picture of (width, height): a dark edge with round corners, a slot at its upper end.

    The upper end is the top of an upright picture and the left of one that lies. Nothing covers the picture. The film
    is `edge_px` larger at each side.
    """
    edge, (short, long), fine = edge_px(size), sorted(size), 4  # drawn larger, so that its curves are smooth
    whole = (short + 2 * edge, long + 2 * edge)
    drawn = Pictures.new("RGBA", (whole[0] * fine, whole[1] * fine), (0, 0, 0, 0))
    canvas, rim = ImageDraw.Draw(drawn), max(fine, edge * fine // 7)
    outer = (0, 0, drawn.width - 1, drawn.height - 1)
    canvas.rounded_rectangle(outer, 2 * edge * fine, fill=_CASE, outline=_RIM, width=rim)
    across, down, half = drawn.width // 2, edge * fine // 2, short * fine // 12
    canvas.rounded_rectangle((across - half, down - rim // 2, across + half, down + rim // 2), rim // 2, fill=_RIM)
    small = drawn.resize(whole, Pictures.Resampling.BOX)
    ImageDraw.Draw(small).rectangle((edge, edge, edge + short - 1, edge + long - 1), fill=(0, 0, 0, 0))
    return Film(np.asarray(small if size[1] >= size[0] else small.transpose(Pictures.Transpose.ROTATE_90)), target)


def keep_image(data: bytes, folder: Path) -> tuple[str, tuple[int, int]]:
    """Check an uploaded PNG and keep it under a name made of its content; gives the name and (width, height).

    Raises BadValueError for what is no PNG, or too big.
    """
    if len(data) > MAX_IMAGE_BYTES:
        raise BadValueError("Image", f"{len(data)} bytes", f"it has at most {MAX_IMAGE_BYTES // 1_000_000} MB")
    try:
        with Pictures.open(BytesIO(data), formats=("PNG",)) as opened:
            size = opened.size
            if max(size) > MAX_IMAGE_PX or min(size) < 2:
                raise BadValueError("Image", f"{size[0]}×{size[1]}", f"its sides are 2 to {MAX_IMAGE_PX} px")
            opened.load()
    except (UnidentifiedImageError, OSError, SyntaxError, ValueError, Pictures.DecompressionBombError) as error:
        if isinstance(error, BadValueError):
            raise
        raise BadValueError("Image", "this file", "it is a PNG that can be read to its end") from error
    name = f"{hashlib.sha256(data).hexdigest()[:16]}.png"
    folder.mkdir(parents=True, exist_ok=True)
    making = folder / f"{name}.making"
    making.write_bytes(data)
    making.replace(folder / name)
    return name, size


def draw_strokes(strokes: Iterable[Stroke], target: Signal) -> Film:
    """Draw strokes of a pen on a film of the frame's size."""
    drawn = Pictures.new("RGBA", (target.mode.width_px, target.mode.height_px), (0, 0, 0, 0))
    canvas = ImageDraw.Draw(drawn)
    for stroke in strokes:
        _draw_stroke(canvas, stroke.points, stroke)
    return Film(np.asarray(drawn), target)


def _draw_stroke(canvas: ImageDraw.ImageDraw, points: Sequence[tuple[int, int]], stroke: Stroke) -> None:
    half, fill = stroke.width_px / 2, f"{stroke.colour}ff"
    if len(points) > 1:
        canvas.line(points, fill=fill, width=stroke.width_px, joint="curve")
    for x, y in (points[0], points[-1]):
        canvas.ellipse((x - half, y - half, x + half, y + half), fill=fill)
