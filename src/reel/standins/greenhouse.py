"""The picture of the greenhouse camera: panes, benches, and leaves that sway in the fan's draught."""

import math
from functools import lru_cache

import numpy as np
from PIL import Image, ImageDraw, ImageFilter

from reel.standins.layers import Canvas, Floats, Glow, Layer, to_planes

Colour = tuple[float, float, float]
Line = tuple[tuple[float, float], ...]


class GreenhouseScene:
    """The scene at `width` × `height`; coordinates below are parts of the height."""

    _ROWS: tuple[tuple[float, float, Colour, int], ...] = (
        # foot of the leaves, their length, their colour, how many
        (0.66, 0.34, (0.42, 0.60, 0.36), 26),
        (0.80, 0.30, (0.28, 0.50, 0.26), 18),
        (0.99, 0.36, (0.15, 0.36, 0.19), 13),
    )

    def __init__(self, width: int, height: int) -> None:
        self._width, self._height = width, height
        self._random = np.random.default_rng(25)
        self._glass = to_planes(self._draw_glass())
        self._rows = [self._draw_row(*row) for row in self._ROWS]
        self._sun = Glow(height // 2, 46, 10)

    def draw(self, seconds: float) -> Canvas:
        """Return the picture of a moment."""
        canvas = Canvas.of(self._width, self._height)
        for plane, glass in zip((canvas.y, canvas.u, canvas.v), self._glass, strict=True):
            plane[:] = glass
        across = 0.5 + 0.35 * math.sin(seconds * 0.21)
        self._sun.draw(canvas, int(across * self._width), self._height // 5, 0.7 + 0.3 * math.sin(seconds * 0.9))
        for place, row in enumerate(self._rows):
            sway = math.sin(seconds * (1.3 - 0.2 * place) + place) * self._height * 0.012 * (place + 1)
            row.draw(canvas, round(sway))
        return canvas

    def _draw_glass(self) -> Floats:
        """Draw the sky through panes, and the iron between them."""
        width, height = self._width, self._height
        down = np.linspace(0, 1, height, dtype=np.float32)[:, None, None]
        sky = np.array((0.80, 0.88, 0.90)) * (1 - down) + np.array((0.60, 0.72, 0.62)) * down
        image = self._image(np.broadcast_to(sky, (height, width, 3)).astype(np.float32))
        draw = ImageDraw.Draw(image)
        iron, line = (88, 104, 100), max(1, height // 120)
        for x in np.arange(0, width / height, 0.16):
            draw.line([(x * height, 0), (x * height, height)], fill=iron, width=line)
        for y in (0.06, 0.30, 0.54):
            draw.line([(0, y * height), (width, y * height)], fill=iron, width=line * 2)
        return floats(image.filter(ImageFilter.GaussianBlur(height / 600)))

    def _draw_row(self, foot: float, length: float, colour: Colour, count: int) -> Layer:
        """Draw one row of plants on its bench, as a strip that meets itself sideways."""
        width, height = self._width, self._height
        mask, shade = Image.new("L", (width * 3, height)), Image.new("L", (width * 3, height), 128)
        on_mask, on_shade = ImageDraw.Draw(mask), ImageDraw.Draw(shade)
        for x, lean, size, light in self._random.uniform(size=(count, 4)):
            for leaf in np.linspace(-1, 1, 7):
                line = self._leaf(x * width, foot * height, length * height * (0.5 + size / 2), leaf + (lean - 0.5) / 2)
                for shift in (0, width, 2 * width):
                    moved = [(px + shift, py) for px, py in line]
                    on_mask.polygon(moved, fill=255)
                    on_shade.polygon(moved, fill=int(90 + 70 * light + 60 * abs(leaf)))
        bench = (0, int(foot * height) - height // 60, width * 3, height)
        on_mask.rectangle(bench, fill=255)
        on_shade.rectangle(bench, fill=70)
        middle = (width, 0, width * 2, height)
        alpha = floats(mask.filter(ImageFilter.GaussianBlur(height / 900)).crop(middle))
        tone = floats(shade.crop(middle))[..., None] * np.float32(1.5)
        rgb = np.clip(tone * np.array(colour, dtype=np.float32), 0, 1)
        top = int(np.flatnonzero(alpha.max(axis=1))[0]) // 2 * 2
        return Layer(rgb[top:], alpha[top:], top, height)

    def _leaf(self, x: float, y: float, length: float, lean: float) -> Line:
        """Return the outline of one arching leaf from (x, y) upwards."""
        along = np.linspace(0, 1, 14)
        spine_x, spine_y = x + lean * length * along**1.4, y - length * (along - 0.35 * abs(lean) * along**2)
        half = length * 0.045 * np.sin(along * math.pi) ** 0.8
        left, right = zip(spine_x - half, spine_y, strict=True), zip(spine_x + half, spine_y, strict=True)
        return (*left, *reversed(tuple(right)))

    @staticmethod
    def _image(rgb: Floats) -> Image.Image:
        return Image.fromarray((rgb * 255).astype(np.uint8))


def floats(image: Image.Image) -> Floats:
    """Return an image's values in 0..1."""
    return (np.asarray(image) / np.float32(255)).astype(np.float32)


@lru_cache(maxsize=1)
def greenhouse_scene(width: int, height: int) -> GreenhouseScene:
    """Return the scene at a size; the last one is kept."""
    return GreenhouseScene(width, height)
