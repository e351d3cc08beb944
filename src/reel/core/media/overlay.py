"""Drawing what is laid over the picture: words by FreeType, images with alpha, strokes of a pen."""

import hashlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from io import BytesIO
from pathlib import Path
from typing import Any

import av
import numpy as np
import numpy.typing as npt
from PIL import Image as Pictures
from PIL import ImageDraw, ImageFont, UnidentifiedImageError

from reel.core.errors import BadValueError
from reel.core.frame import Place
from reel.core.frame.overlay import Caption, Clock, Face, Font, Image, Lettering, Overlay
from reel.core.media.colour import Floats, code_values, coded
from reel.core.media.planes import Plane, planes_of
from reel.core.signal import Signal, pixel_format

MAX_IMAGE_BYTES, MAX_IMAGE_PX = 8_000_000, 4096
_PAD = 0.3  # of a line's height, around words on a ground
# A case around a picture: its edge as a part of the shorter side, its colours (R, G, B, alpha).
_EDGE = 0.03
_CASE, _RIM = (24, 28, 30, 255), (86, 96, 100, 255)

# Where less of a drawing's box than this is covered, its samples are picked out one by one.
SPARSE_PART = 0.2
# So many samples are mixed at a time.
MIXED_AT_ONCE = 40_000

Bytes = npt.NDArray[np.uint8]


@dataclass(frozen=True, slots=True, kw_only=True)
class OverlayAssets:
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


class OverlayBitmap:
    """A drawing that can be laid over frames coded as a target is, whatever covers nothing left out.

    `size` is that of the whole drawing, (width, height).
    """

    def __init__(self, size: tuple[int, int], layers: Sequence["_Layer"]) -> None:
        self.size, self._layers = size, layers

    @classmethod
    def of(cls, rgba: Bytes, target: Signal, *, at: tuple[int, int] = (0, 0)) -> "OverlayBitmap":
        """Take (height, width, 4) of R, G, B and alpha, of a drawing whose upper left corner lies at an even `at`."""
        rgba = rgba[: rgba.shape[0] // 2 * 2, : rgba.shape[1] // 2 * 2]
        size, box = (rgba.shape[1], rgba.shape[0]), _box(rgba[..., 3])
        if box is None:
            return cls(size, ())
        drawn = rgba[box].astype(np.float32) * np.float32(1 / 255)
        cover = drawn[..., 3]
        return cls(
            size,
            list(_layers(coded(drawn[..., :3], target), cover, (box[0].start + at[1], box[1].start + at[0]), target)),
        )

    @classmethod
    def of_one_colour(
        cls, cover: Bytes, colour: str, target: Signal, *, at: tuple[int, int] = (0, 0)
    ) -> "OverlayBitmap":
        """Take (height, width) of cover, 255 where it covers all, of a drawing in one colour "#rrggbb"."""
        size, box = (cover.shape[1], cover.shape[0]), _box(cover)
        if box is None:
            return cls(size, ())
        part = cover[box].astype(np.float32) * np.float32(1 / 255)
        values = [np.float32(value) for value in code_values(colour, target)]
        return cls(size, list(_layers(values, part, (box[0].start + at[1], box[1].start + at[0]), target)))

    def lay(self, frame: av.VideoFrame, x: int = 0, y: int = 0, opacity: int = 100) -> None:
        """Lay it over a frame with its upper left corner at an even point; what reaches over the edge is left out."""
        for plane, layer in zip(planes_of(frame), self._layers, strict=False):
            layer.lay(plane, x, y, opacity)


def _box(cover: Bytes) -> tuple[slice, slice] | None:
    """Return the rows and columns of what covers something, from even ones on; None where nothing does."""
    rows, columns = (np.flatnonzero(cover.any(axis=axis)) for axis in (1, 0))
    if not len(rows):
        return None
    return tuple(slice(int(found[0]) // 2 * 2, int(found[-1]) // 2 * 2 + 2) for found in (rows, columns))  # type: ignore[return-value]


def _layers(
    planes: Sequence[Floats | np.float32], cover: Floats, corner: tuple[int, int], target: Signal
) -> Iterator["_Layer"]:
    """Return the layers of a drawing: its code values, plane by plane, and its cover (height, width) from 0 to 1."""
    steps, is_deep = pixel_format(target.pixels).subsampling, pixel_format(target.pixels).depth_bits > 8
    for number, plane in enumerate(planes):
        across, down = steps if number else (1, 1)
        colour, covered = plane * cover, cover
        if number:
            colour, covered = _reduced(colour, steps), _reduced(cover, steps)
        yield _Layer(colour, covered, (corner[0] // down, corner[1] // across), (down, across), is_deep=is_deep)


class _Layer:
    """One plane of a film: its code values times their cover, and its cover (both (height, width)).

    Mixing is done in 256 steps: what is under it times how much is seen through, and the colour. Where only some
    samples are touched those are picked out, and the solid ones copied.
    """

    def __init__(
        self, colour: Floats, cover: Floats, corner: tuple[int, int], steps: tuple[int, int], *, is_deep: bool
    ) -> None:
        self._wide: Any = np.uint32 if is_deep else np.uint16  # 8 bits times 256 steps fit into 16
        self._corner, self._steps = corner, steps
        self._colour: npt.NDArray[Any] = (colour * 256 + 128.5).astype(self._wide)  # with what rounds the sum
        self._through: npt.NDArray[Any] = (256 - cover * 256 + 0.5).astype(self._wide)
        solid, mixed = self._through == 0, (self._through > 0) & (self._through < 256)
        self._picked: tuple[_Picked, ...] | None = None
        if not solid.all() and np.count_nonzero(solid) + np.count_nonzero(mixed) < SPARSE_PART * solid.size:
            self._picked = tuple(_Picked(self._colour, self._through, where) for where in (solid, mixed))
        self._fixed = (self._colour >> 8).astype(np.uint16 if is_deep else np.uint8) if solid.all() else None

    def lay(self, plane: Plane, x: int, y: int, opacity: int) -> None:
        """Lay it over a plane of a frame."""
        top, left = self._corner[0] + y // self._steps[0], self._corner[1] + x // self._steps[1]
        height, width = self._colour.shape
        y0, x0 = max(0, top), max(0, left)
        y1, x1 = min(plane.shape[0], top + height), min(plane.shape[1], left + width)
        if x1 <= x0 or y1 <= y0:
            return
        under, area = plane[y0:y1, x0:x1], (slice(y0 - top, y1 - top), slice(x0 - left, x1 - left))
        if opacity == 100 and self._fixed is not None:
            under[:] = self._fixed[area]
        elif (
            opacity == 100
            and self._picked is not None
            and under.shape == self._colour.shape
            and plane.flags.c_contiguous
        ):
            for picked in self._picked:
                picked.lay(plane.reshape(-1), top * plane.shape[1] + left, plane.shape[1])
        else:
            _mix(under, *self._faded(area, opacity))

    def _faded(self, area: tuple[slice, slice], opacity: int) -> tuple[npt.NDArray[Any], npt.NDArray[Any]]:
        """Return the colour and what is seen through it in an area, at an opacity in percent."""
        colour, through = self._colour[area], self._through[area]
        if opacity == 100:
            return colour, through
        part = round(opacity * 2.56)
        seen = (colour.astype(np.uint32) - 128) * part // 256 + 128
        return seen.astype(self._wide), (256 - (256 - through.astype(np.uint32)) * part // 256).astype(self._wide)


class _Picked:
    """Some samples of a layer, by where they lie in a plane."""

    def __init__(self, colour: npt.NDArray[Any], through: npt.NDArray[Any], where: npt.NDArray[np.bool_]) -> None:
        self._rows, self._columns = np.nonzero(where)
        self._colour, self._through = colour[where], through[where]
        self._is_solid = not self._through.any()
        self._width, self._spots = 0, self._rows

    def lay(self, samples: Plane, start: int, width: int) -> None:
        """Lay them over all samples of a plane of so many a line, the layer's first at `start`."""
        if width != self._width:
            self._width, self._spots = width, self._rows * width + self._columns
        spots = self._spots + start if start else self._spots
        if self._is_solid:
            samples[spots] = self._colour >> 8
        else:
            samples[spots] = (samples[spots] * self._through + self._colour) >> 8


def _mix(under: Plane, colour: npt.NDArray[Any], through: npt.NDArray[Any]) -> None:
    """Mix a colour over samples, some lines at a time, so that what is worked on stays near the processor."""
    lines = max(1, MIXED_AT_ONCE // under.shape[1])
    room = np.empty((lines, under.shape[1]), dtype=colour.dtype)
    for first in range(0, under.shape[0], lines):
        some = slice(first, min(first + lines, under.shape[0]))
        mixed = room[: some.stop - first]
        np.multiply(under[some], through[some], out=mixed)
        mixed += colour[some]
        mixed >>= 8
        under[some] = mixed


def _reduced(plane: Floats, steps: tuple[int, int]) -> Floats:
    """Return the means of `steps` (across, down) samples."""
    across, down = steps
    height, width = plane.shape
    reduced: Floats = plane.reshape(height // down, down, width // across, across).mean(axis=(1, 3))
    return reduced


def draw(overlay: Overlay, assets: OverlayAssets, moment: Moment, place: Place, target: Signal) -> OverlayBitmap | None:
    """Draw an overlay for frames of `target`; an image is brought to the size of its `place`.

    None for an image that is not there, or of which nothing is seen.
    """
    if isinstance(overlay, Caption):
        return _written(overlay.text, overlay.lettering, assets, target)
    if isinstance(overlay, Clock):
        text = moment.timecode if overlay.face is Face.TIMECODE else moment.time
        return _written(text, overlay.lettering, assets, target)
    assert isinstance(overlay, Image)
    return _image(overlay.name, assets, place, target)


@lru_cache(maxsize=64)
def _written(text: str, lettering: Lettering, assets: OverlayAssets, target: Signal) -> OverlayBitmap:
    font = _font(lettering.font, lettering.size_px, assets.fonts)
    pad = round(lettering.size_px * _PAD) if lettering.ground else 2
    probe = ImageDraw.Draw(Pictures.new("L", (1, 1)))
    left, top, right, bottom = probe.multiline_textbbox((0, 0), text, font=font)
    size = int(right - left) + 2 * pad + 2, int(bottom - top) + 2 * pad + 2
    drawn = Pictures.new("RGBA", size, f"{lettering.ground}ff" if lettering.ground else f"{lettering.colour}00")
    ImageDraw.Draw(drawn).multiline_text((pad - left, pad - top), text, font=font, fill=f"{lettering.colour}ff")
    return OverlayBitmap.of(np.asarray(drawn), target)


@lru_cache(maxsize=16)
def _font(font: Font, size_px: int, folder: Path | None) -> ImageFont.FreeTypeFont | ImageFont.ImageFont:
    if folder is None:
        return ImageFont.load_default(size=size_px)
    found = ImageFont.truetype(str(folder / f"{font.value}.woff2"), size_px)
    found.set_variation_by_axes([_weight(found)])
    return found


def _weight(font: ImageFont.FreeTypeFont) -> float:
    """Return a weight that is easily read over a picture, within what the font has."""
    (axis,) = font.get_variation_axes()
    return float(min(600, axis["maximum"] or 400))


@lru_cache(maxsize=8)
def _image(name: str, assets: OverlayAssets, place: Place, target: Signal) -> OverlayBitmap | None:
    """Return the part of an image that the frame shows, where it lies in its `place`."""
    if assets.images is None:
        return None
    left, top = max(0, -place.x_px) // 2 * 2, max(0, -place.y_px) // 2 * 2
    width = min(place.width_px, target.mode.width_px - place.x_px) // 2 * 2 - left
    height = min(place.height_px, target.mode.height_px - place.y_px) // 2 * 2 - top
    if width <= 0 or height <= 0:
        return None
    try:
        with Pictures.open(assets.images / name) as opened:
            wide, high = opened.width / place.width_px, opened.height / place.height_px
            box = (left * wide, top * high, (left + width) * wide, (top + height) * high)
            scaled = opened.convert("RGBA").resize((width, height), Pictures.Resampling.LANCZOS, box=box)
    except OSError:
        return None
    return OverlayBitmap.of(np.asarray(scaled), target, at=(left, top))


def edge_px(size: tuple[int, int]) -> int:
    """Return how far a case reaches beyond a picture of (width, height) at each side; even, as 4:2:0 needs."""
    return max(4, round(min(size) * _EDGE / 2) * 2)


@lru_cache(maxsize=16)
def draw_case(size: tuple[int, int], target: Signal) -> OverlayBitmap:
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
    return OverlayBitmap.of(
        np.asarray(small if size[1] >= size[0] else small.transpose(Pictures.Transpose.ROTATE_90)), target
    )


def keep_image(data: bytes, folder: Path) -> tuple[str, tuple[int, int]]:
    """Check an uploaded PNG and keep it under a name made of its content; returns the name and (width, height).

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
    try:
        making.write_bytes(data)
        making.replace(folder / name)
    finally:
        making.unlink(missing_ok=True)
    return name, size


def draw_stroke(stroke: Stroke, target: Signal) -> OverlayBitmap:
    """Draw a stroke of a pen on a film of its own, as large as the stroke is within the frame."""
    reach = stroke.width_px + 2
    columns, rows = zip(*stroke.points, strict=True)
    left, top = (max(0, min(values) - reach) // 2 * 2 for values in (columns, rows))
    sides = ((columns, left, target.mode.width_px), (rows, top, target.mode.height_px))
    width, height = (max(2, min(side, max(values) + reach + 2) - start) for values, start, side in sides)
    drawn = Pictures.new("L", (width + width % 2, height + height % 2), 0)
    canvas, half = ImageDraw.Draw(drawn), stroke.width_px / 2
    points = [(x - left, y - top) for x, y in stroke.points]
    if len(points) > 1:
        canvas.line(points, fill=255, width=stroke.width_px, joint="curve")
    for x, y in (points[0], points[-1]):
        canvas.ellipse((x - half, y - half, x + half, y + half), fill=255)
    return OverlayBitmap.of_one_colour(np.asarray(drawn), stroke.colour, target, at=(left, top))
