"""The picture of *Moss & Stone*: a garden at night, drawn from layers at any size."""

import math
from functools import lru_cache

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from reel.standins.layers import Bytes, Canvas, Floats, Glow, Layer, to_planes

Colour = tuple[float, float, float]


def _rgb(red: float, green: float, blue: float) -> Floats:
    return np.array((red, green, blue), dtype=np.float32)


class MossScene:
    """The scene at `width` × `height`. The same time gives the same picture, on every machine."""

    # horizon, roughness of the edge, colour above and below, part of the width that passes in a second
    _DEPTHS: tuple[tuple[float, float, Colour, Colour, float], ...] = (
        (0.50, 0.10, (0.16, 0.30, 0.31), (0.12, 0.25, 0.26), 0.006),
        (0.60, 0.09, (0.12, 0.27, 0.24), (0.09, 0.21, 0.19), 0.014),
        (0.71, 0.07, (0.15, 0.33, 0.23), (0.08, 0.20, 0.15), 0.030),
        (0.83, 0.06, (0.24, 0.45, 0.22), (0.07, 0.17, 0.10), 0.062),
    )

    def __init__(self, width: int, height: int) -> None:
        self._width, self._height = width, height
        self._random = np.random.default_rng(14)
        self._sky = to_planes(self._draw_sky())
        self._layers = [(self._draw_layer(place), depth[4]) for place, depth in enumerate(self._DEPTHS)]
        self._firefly = Glow(height // 26, 150, 44)
        self._lantern = Glow(height // 4, 62, 26)
        self._flies = self._random.uniform(size=(9, 5))
        self._font = ImageFont.load_default(size=height / 26)

    def draw(self, seconds: float) -> Canvas:
        """Return the picture of a moment, without a stamp."""
        canvas = Canvas.of(self._width, self._height)
        rows = round(self._height * 0.58) // 2 * 2
        for plane, sky, shift in zip((canvas.y, canvas.u, canvas.v), self._sky, (0, 1, 1), strict=True):
            plane[: rows >> shift] = sky[: rows >> shift]
        for layer, speed in self._layers:
            layer.draw(canvas, int(seconds * speed * self._width))
        lantern_x = self._width - int((seconds * 0.062 + 0.42) % 1.4 * self._width) + self._width // 5
        pulse = 0.8 + 0.2 * math.sin(seconds * 2.1)
        self._lantern.draw(canvas, lantern_x, int(self._height * 0.80), pulse)
        self._draw_flies(canvas, seconds)
        self._draw_text(canvas, f"Day 14 · dew {62 + int(seconds / 3) % 30}")
        return canvas

    def _draw_flies(self, canvas: Canvas, seconds: float) -> None:
        for x, y, pace, phase, size in self._flies:
            across = (x + 0.03 * math.sin(seconds * (0.5 + pace) + phase * 9) + seconds * 0.012 * (pace - 0.3)) % 1
            down = 0.52 + 0.4 * y + 0.035 * math.sin(seconds * (0.8 + phase) + x * 7)
            light = max(0.0, math.sin(seconds * (1.1 + pace) + size * 8)) ** 0.7
            self._firefly.draw(canvas, int(across * self._width), int(down * self._height), light)

    def _draw_text(self, canvas: Canvas, text: str) -> None:
        mask = _text_mask(self._font, text)
        x, y = self._height // 18 // 2 * 2, self._height // 20 // 2 * 2
        part = canvas.y[y : y + mask.shape[0], x : x + mask.shape[1]]
        np.maximum(part, mask, out=part)

    def _draw_sky(self) -> Floats:
        height, width = self._height, self._width
        down = np.linspace(0, 1, height, dtype=np.float32)[:, None]
        across = np.linspace(0, width / height, width, dtype=np.float32)[None, :]
        top, low = _rgb(0.05, 0.12, 0.15), _rgb(0.22, 0.40, 0.38)
        ease = np.clip(down / 0.62, 0, 1)[..., None] ** 1.6
        sky = np.broadcast_to(top + (low - top) * ease, (height, width, 3)).astype(np.float32)
        distance = np.hypot(across - width / height * 0.72, down - 0.24)
        halo = np.exp(-((distance / 0.30) ** 2))[..., None] * _rgb(0.30, 0.30, 0.20)
        disc = np.clip((0.085 - distance) * height / 2, 0, 1)[..., None]
        craters = 0.06 * np.sin(across * 61)[..., None] * np.sin(down * 53)[..., None]
        moon = _rgb(0.93, 0.88, 0.68) - craters
        sky = sky + halo.astype(np.float32)
        sky = sky * (1 - disc) + moon * disc
        self._stars(sky)
        drawn: Floats = np.clip(sky, 0, 1).astype(np.float32)
        return drawn

    def _stars(self, sky: Floats) -> None:
        size = max(1, self._height // 480)
        for x, y, light in self._random.uniform(size=(70, 3)):
            left, top = int(x * (self._width - size)), int(y * 0.45 * self._height)
            sky[top : top + size, left : left + size] += light * 0.45

    def _draw_layer(self, place: int) -> Layer:
        horizon, rough, upper, lower, _ = self._DEPTHS[place]
        crest = (horizon - rough * self._outline(place)) * self._height
        stones = place == len(self._DEPTHS) - 1
        if stones:
            crest, stone = self._add_stones(crest)
        top = max(0, int(crest.min()) - 2) // 2 * 2
        nearer = self._DEPTHS[place + 1] if not stones else None
        until = self._height if nearer is None else round(self._height * nearer[0]) // 2 * 2 + 8  # its soft edge
        rows = np.arange(top, self._height, dtype=np.float32)[:, None]
        depth = rows - crest[None, :]
        fade = np.exp(np.clip(depth, 0, None) / np.float32(-0.05 * self._height))[..., None]
        rgb = _rgb(*lower) + (_rgb(*upper) - _rgb(*lower)) * fade
        if stones:
            rgb = self._colour_stones(rgb.astype(np.float32), depth, stone)
        texture = self._texture(len(rows), self._width)
        rgb = rgb * (0.86 + 0.28 * texture[..., None])
        rim = np.exp(-((depth / np.float32(self._height * 0.006)) ** 2))[..., None] * _rgb(0.10, 0.14, 0.08)
        mist = (1 - place / 3) * np.clip(depth / (self._height * 0.22), 0, 1)[..., None] * _rgb(0.07, 0.10, 0.10)
        return Layer(np.clip(rgb + rim + mist, 0, 1).astype(np.float32), np.clip(depth, 0, 1), top, until)

    def _outline(self, place: int) -> Floats:
        """Return the edge of a layer, 0..1 along the width, periodic: hills, and foliage on the middle ones."""
        turn = np.arange(self._width, dtype=np.float32) / self._width * 2 * math.pi
        waves = np.zeros(self._width, dtype=np.float32)
        for number in range(1, 28):
            size = self._random.uniform(0.4, 1) / number ** (1.25 if place in (1, 2) else 1.6)
            waves += size * np.sin(number * (2 + place % 2) * turn + self._random.uniform(0, 2 * math.pi))
        low, high = float(waves.min()), float(waves.max())
        return (waves - low) / (high - low)

    def _add_stones(self, crest: Floats) -> tuple[Floats, Floats]:
        """Set round stones on the near edge; returns the new edge and how much of a stone each column is (0..1)."""
        across = np.arange(self._width, dtype=np.float32) / self._height
        crest = crest.astype(np.float32)
        stone = np.zeros_like(crest)
        for centre, half, rise in ((0.34, 0.21, 0.155), (0.92, 0.13, 0.085), (1.42, 0.17, 0.12)):
            bump = np.sqrt(np.clip(1 - ((across - centre) / half) ** 2, 0, 1))
            crest = np.minimum(crest, self._height * (0.83 - rise * bump) + (bump == 0) * self._height)
            stone = np.maximum(stone, bump)
        return crest.astype(np.float32), stone.astype(np.float32)

    def _colour_stones(self, rgb: Floats, depth: Floats, stone: Floats) -> Floats:
        """Paint grey below a cap of moss where a column is stone."""
        cap = self._height * (0.028 + 0.012 * np.sin(np.arange(self._width, dtype=np.float32) * 0.07))
        grey = np.clip((depth - cap) / (self._height * 0.008), 0, 1) * np.clip(stone * 3, 0, 1)
        grey *= np.clip((self._height * 0.15 * (0.35 + stone) - depth) / (self._height * 0.02), 0, 1)
        shade = 0.46 - 0.20 * np.clip(depth / (self._height * 0.16), 0, 1)
        rock = np.stack([shade * 1.02, shade, shade * 0.96], axis=-1)
        moss = _rgb(0.42, 0.62, 0.24) * (1 - grey[..., None])
        reach = (self._height * 0.17 * stone - depth) / (self._height * 0.05)
        blend = (np.clip(stone * 3, 0, 1) * np.clip(reach, 0, 1))[..., None]
        painted: Floats = (rgb * (1 - blend) + (rock * grey[..., None] + moss) * blend).astype(np.float32)
        return painted

    def _texture(self, height: int, width: int) -> Floats:
        """Return soft noise in 0..1 that repeats sideways: three grids of random values, enlarged."""
        total = np.zeros((height, width), dtype=np.float32)
        for cells, weight in ((24, 0.5), (90, 0.3), (300, 0.2)):
            grid = self._random.uniform(0, 255, (max(2, cells * height // width), cells)).astype(np.uint8)
            wrapped = Image.fromarray(np.hstack([grid, grid[:, :1]]))
            big = wrapped.resize((width, height), Image.Resampling.BILINEAR)
            total += np.asarray(big, dtype=np.float32) / 255 * weight
        return total


@lru_cache(maxsize=8)
def _text_mask(font: ImageFont.FreeTypeFont, text: str) -> Bytes:
    """Render a line as luma: letters bright, the rest 0."""
    left, top, right, bottom = (int(edge) for edge in font.getbbox(text))
    image = Image.new("L", (right - left + 2, bottom - top + 2))
    ImageDraw.Draw(image).text((-left, -top), text, fill=222, font=font)
    return np.asarray(image)


@lru_cache(maxsize=2)
def moss_scene(width: int, height: int) -> MossScene:
    """Return the scene at a size; the last two sizes are kept."""
    return MossScene(width, height)
