"""Layers of a scene, drawn once at a size and composed for each picture: planes in BT.709 limited, 4:2:0 8-bit."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

Bytes = npt.NDArray[np.uint8]
Floats = npt.NDArray[np.float32]

# ITU-R BT.709-6, items 3.2 to 3.4: luma and colour-difference from R'G'B', then 8-bit limited quantisation.
_KR, _KB = 0.2126, 0.0722


def to_planes(rgb: Floats) -> tuple[Bytes, Bytes, Bytes]:
    """Turn R'G'B' (height, width, 3) in 0..1 into luma and two half-size chroma planes."""
    red, green, blue = (rgb[..., channel] for channel in range(3))
    luma = _KR * red + (1 - _KR - _KB) * green + _KB * blue
    cb, cr = (blue - luma) / (2 * (1 - _KB)), (red - luma) / (2 * (1 - _KR))
    y = np.clip(16.5 + 219 * luma, 16, 235).astype(np.uint8)
    u, v = (np.clip(128.5 + 224 * halve(plane), 16, 240).astype(np.uint8) for plane in (cb, cr))
    return y, u, v


def halve(plane: Floats) -> Floats:
    """Average 2×2 blocks."""
    height, width = plane.shape
    result: Floats = plane.reshape(height // 2, 2, width // 2, 2).mean(axis=(1, 3), dtype=np.float32)
    return result


@dataclass(frozen=True, slots=True)
class Canvas:
    """The planes of one picture in one block of memory, as a yuv420p frame has them."""

    buffer: Bytes
    y: Bytes
    u: Bytes
    v: Bytes

    @classmethod
    def of(cls, width: int, height: int) -> "Canvas":
        """Make an uninitialised canvas; sides are even."""
        area = width * height
        memory = np.empty(area * 3 // 2, dtype=np.uint8)
        half = (height // 2, width // 2)
        return cls(
            memory.reshape(height * 3 // 2, width),
            memory[:area].reshape(height, width),
            memory[area : area * 5 // 4].reshape(half),
            memory[area * 5 // 4 :].reshape(half),
        )


class Layer:
    """A strip as wide as the picture that repeats sideways: see-through at its upper edge, solid below.

    `rgb` is (height, width, 3) and `alpha` (height, width), both 0..1, for the rows from `top` down. `until` is the
    row from which nearer layers cover it. All rows are even.
    """

    def __init__(self, rgb: Floats, alpha: Floats, top: int, until: int) -> None:
        height = until - top
        rgb, alpha = rgb[:height], alpha[:height]
        open_rows = np.flatnonzero(alpha.min(axis=1) < 1)
        edge = min(height, (int(open_rows[-1]) + 2) // 2 * 2 if len(open_rows) else 0)
        planes = to_planes(rgb)
        alphas = (alpha, halve(alpha), halve(alpha))
        self.top, self.width = top, alpha.shape[1]
        self._planes = [_Strip(plane, a, edge >> s, s) for plane, a, s in zip(planes, alphas, (0, 1, 1), strict=True)]

    def draw(self, canvas: Canvas, offset: int) -> None:
        """Draw the strip moved left by `offset` pixels."""
        offset %= self.width
        for plane, strip in zip((canvas.y, canvas.u, canvas.v), self._planes, strict=True):
            strip.draw(plane, self.top >> strip.shift, offset >> strip.shift)


class _Strip:
    """One plane of a layer, twice as wide as the picture so that every offset is one slice."""

    def __init__(self, plane: Bytes, alpha: Floats, edge: int, shift: int) -> None:
        self.shift, self._edge = shift, edge
        self._solid = np.tile(plane[edge:], 2)
        weight = np.rint(alpha[:edge] * 256).astype(np.uint16)
        self._clear = np.tile(256 - weight, 2)
        self._weighted = np.tile(plane[:edge] * weight, 2)

    def draw(self, plane: Bytes, top: int, offset: int) -> None:
        width, middle = plane.shape[1], top + self._edge
        columns = slice(offset, offset + width)
        edge = plane[top:middle]
        mixed = np.multiply(edge, self._clear[:, columns], dtype=np.uint16)
        mixed += self._weighted[:, columns]
        mixed >>= 8
        edge[:] = mixed
        plane[middle : middle + len(self._solid)] = self._solid[:, columns]


class Glow:
    """A soft light that is added to the picture: `radius` in pixels, `gain` in luma steps, warm when `warmth` > 0."""

    def __init__(self, radius: int, gain: float, warmth: float) -> None:
        radius = radius // 2 * 2
        grid = np.hypot(*np.mgrid[-radius:radius, -radius:radius].astype(np.float32) + 0.5) / radius
        shape = np.clip(1 - grid, 0, 1) ** 2.2
        self._radius, self._luma = radius, (shape * gain).astype(np.float32)
        self._chroma = (halve(shape) * warmth).astype(np.float32)

    def draw(self, canvas: Canvas, x: int, y: int, strength: float) -> None:
        """Add it around (x, y), cut off at the picture's edges."""
        _add(canvas.y, self._luma, x - self._radius, y - self._radius, strength, 235)
        half_x, half_y = (x - self._radius) // 2, (y - self._radius) // 2
        _add(canvas.u, self._chroma, half_x, half_y, -strength, 240)
        _add(canvas.v, self._chroma, half_x, half_y, strength * 0.45, 240)


def _add(plane: Bytes, light: Floats, x: int, y: int, strength: float, limit: int) -> None:
    if not strength:
        return
    height, width = light.shape
    left, top = max(0, x), max(0, y)
    right, bottom = min(plane.shape[1], x + width), min(plane.shape[0], y + height)
    if left < right and top < bottom:
        part = plane[top:bottom, left:right]
        lit = part + light[top - y : bottom - y, left - x : right - x] * strength
        part[:] = np.minimum(lit, limit, out=lit) if strength > 0 else np.maximum(lit, 16, out=lit)
