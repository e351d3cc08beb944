"""Scenes that are one large picture seen through a window that moves over it."""

from collections.abc import Callable

from PIL import Image

from reel.standins.greenhouse import floats
from reel.standins.layers import Canvas, to_planes


class Panorama:
    """Shows `width` × `height` of `image`; `where` gives the window's left upper corner in pixels for a second."""

    def __init__(
        self, image: Image.Image, width: int, height: int, where: Callable[[float], tuple[float, float]]
    ) -> None:
        self._planes = to_planes(floats(image))
        self._width, self._height, self._where = width, height, where
        self._room = image.width - width, image.height - height

    def draw(self, seconds: float) -> Canvas:
        """Return the picture of a moment."""
        canvas = Canvas.of(self._width, self._height)
        x, y = self._where(seconds)
        left, top = min(max(0, int(x)), self._room[0]) // 2 * 2, min(max(0, int(y)), self._room[1]) // 2 * 2
        for plane, whole, shift in zip((canvas.y, canvas.u, canvas.v), self._planes, (0, 1, 1), strict=True):
            rows, columns = plane.shape
            plane[:] = whole[top >> shift : (top >> shift) + rows, left >> shift : (left >> shift) + columns]
        return canvas
