"""The tape *Opening Day* and what a VHS deck does to it: noise, smeared colour, head switching, dropouts."""

import math
from functools import lru_cache

import av
import numpy as np
import numpy.typing as npt
from PIL import Image, ImageDraw, ImageFont

from reel.core.line.devices import TAPE_COLOUR_PX
from reel.core.media.planes import Plane, planes_of
from reel.standins.greenhouse import GreenhouseScene
from reel.standins.layers import Bytes, Canvas

NOISE_STEPS = 2.2
HEAD_SWITCH_LINES = 8
# The tape's sound runs on a track of its own, past a head of its own.
SOUND_PPM = 60


class OpeningDayScene:
    """Guests in the palm house, with the date that the camera burned in."""

    def __init__(self, width: int, height: int) -> None:
        self._scene = GreenhouseScene(width, height)
        font = ImageFont.load_default(size=height / 18)
        image = Image.new("L", (width * 3 // 5, height // 9))
        ImageDraw.Draw(image).text((2, 2), "12 MAY  OPENING DAY", fill=225, font=font)
        self._date: Bytes = np.asarray(image)
        self._width, self._height = width, height
        self._at = (height * 4 // 5 // 2 * 2, width * 2 // 5 // 2 * 2)

    def draw(self, seconds: float) -> Canvas:
        """Return the picture of a moment."""
        canvas = self._scene.draw(seconds * 1.4)
        for guest, (pace, luma) in enumerate(((0.31, 62), (-0.23, 150), (0.17, 40))):
            self._walk(canvas, (seconds * pace + guest * 0.37) % 1.2 - 0.1, luma, seconds + guest)
        top, left = self._at
        part = canvas.y[top : top + self._date.shape[0], left : left + self._date.shape[1]]
        np.maximum(part, self._date, out=part)
        return canvas

    def _walk(self, canvas: Canvas, across: float, luma: int, seconds: float) -> None:
        """Draw a guest who walks by, and nods at every step."""
        half, head = self._height // 22, self._height // 26
        x, top = int(across * self._width), int(self._height * (0.36 + 0.01 * math.sin(seconds * 9)))
        if half <= x < self._width - half:
            canvas.y[top + 2 * head : int(self._height * 0.78), x - half : x + half] = luma
            canvas.y[top : top + 2 * head, x - head // 2 : x + head // 2] = 172
            canvas.u[top // 2 : top // 2 + head, (x - head // 2) // 2 : (x + head // 2) // 2] = 112
            canvas.v[top // 2 : top // 2 + head, (x - head // 2) // 2 : (x + head // 2) // 2] = 148


@lru_cache(maxsize=2)
def opening_day(width: int, height: int) -> OpeningDayScene:
    """Return the scene at a size; the last two are kept."""
    return OpeningDayScene(width, height)


def damage(frame: av.VideoFrame, number: int) -> None:
    """Do to a frame of two fields what a tape does; the same number has the same damage."""
    luma, *colours = planes_of(frame)
    random = np.random.default_rng(number)
    luma[:, 1:] = luma[:, 1:] // 2 + luma[:, :-1] // 2  # IEC 60774-1: 3 MHz, about 312 samples
    for colour in colours:
        narrow(colour, TAPE_COLOUR_PX)
    add_noise(luma, NOISE_STEPS, random)
    _drop_out(luma, random)
    luma[-HEAD_SWITCH_LINES:] = np.roll(luma[-HEAD_SWITCH_LINES:], 90, axis=1)


def _drop_out(luma: Plane, random: np.random.Generator) -> None:
    """Lose the signal for some microseconds, about once in three pictures."""
    if random.uniform() < 0.35:
        line, start = int(random.uniform() * luma.shape[0] * 0.8), int(random.uniform() * luma.shape[1] * 0.8)
        luma[line : line + 2, start : start + 60] = 205


def narrow(plane: Plane, samples: int) -> None:
    """Keep of each line about what `samples` across can hold: everything finer is averaged away."""
    width = max(1, plane.shape[1] // samples)
    if width == 1:
        return
    # The mean of `width` neighbours, as the difference of two running sums; they may overflow, their difference can't.
    padded = np.pad(plane, ((0, 0), (width // 2 + 1, width - width // 2 - 1)), mode="edge")
    sums = np.cumsum(padded, axis=1, dtype=np.uint16)
    plane[:] = (sums[:, width:] - sums[:, :-width]) // np.uint16(width)


def add_noise(luma: Plane, steps: float, random: np.random.Generator) -> None:
    """Add noise of `steps` code values (standard deviation), cut from one block of it at a random place."""
    height, width = luma.shape
    noise = _noise(width)
    top = int(random.integers(0, noise.shape[0] - height))
    noisy = luma.astype(np.int16) + (noise[top : top + height] * int(steps * 16) >> 8)
    luma[:] = np.clip(noisy, 1, 254)


@lru_cache(maxsize=2)
def _noise(width: int) -> npt.NDArray[np.int16]:
    """Return noise with a deviation of 16."""
    return np.rint(np.random.default_rng(5).standard_normal((1200, width)) * 16).astype(np.int16)
