"""The headset: the walk *Canopy*, two eyes of nearly square pictures side by side, and a head that is never still."""

import math
from functools import lru_cache, partial

from reel.standins.layers import Canvas
from reel.standins.leaves import forest
from reel.standins.panorama import Panorama

# How far apart the eyes see what is near, as a part of an eye's width.
PARALLAX = 0.035


class CanopyScene:
    """Both eyes at `width` × `height` in all; with `pointer`, the hand's pointer lies in the left eye's picture."""

    def __init__(self, width: int, height: int, *, pointer: bool, is_steadied: bool = False) -> None:
        eye = width // 2
        image = forest(eye, height)
        self._jitter = 0 if is_steadied else 1
        self._pointer, self._eye, self._height = pointer, eye, height
        self._eyes = [Panorama(image, eye, height, partial(self._look, shift)) for shift in (0.0, PARALLAX)]

    def draw(self, seconds: float) -> Canvas:
        """Return the two pictures of a moment, left and right."""
        canvas = Canvas.of(self._eye * 2, self._height)
        for place, eye in enumerate(self._eyes):
            seen = eye.draw(seconds)
            for plane, part in zip((canvas.y, canvas.u, canvas.v), (seen.y, seen.u, seen.v), strict=True):
                width = part.shape[1]
                plane[:, place * width : (place + 1) * width] = part
        if self._pointer:
            self._point(canvas, seconds)
        return canvas

    def _look(self, shift: float, seconds: float) -> tuple[float, float]:
        jitter_x = self._jitter * (5 * math.sin(seconds * 23) + 3 * math.sin(seconds * 41 + 1))
        jitter_y = self._jitter * (4 * math.sin(seconds * 29 + 2) + 2 * math.sin(seconds * 37))
        x = self._eye * (0.5 + 0.4 * math.sin(seconds * 0.37) + shift)
        return x + jitter_x, self._height * (0.25 + 0.15 * math.sin(seconds * 0.53)) + jitter_y

    def _point(self, canvas: Canvas, seconds: float) -> None:
        x = int(self._eye * (0.5 + 0.2 * math.sin(seconds * 1.1)))
        y = int(self._height * (0.5 + 0.2 * math.cos(seconds * 0.9)))
        size = self._height // 60
        canvas.y[y - size : y + size, x - size : x + size] = 235


@lru_cache(maxsize=2)
def canopy_scene(width: int, height: int, pointer: bool, is_steadied: bool) -> CanopyScene:
    """Return the scene at a size; the last two are kept."""
    return CanopyScene(width, height, pointer=pointer, is_steadied=is_steadied)
