"""Short files for the tests, written by the writer itself."""

from pathlib import Path

import av
import numpy as np

from reel.core.file import Recipe
from reel.core.media import PartWriter
from reel.core.signal import Mode, SoundFormat

FRAME = Mode.parse("320x180p30")


def picture(tick: int, width: int = 320, height: int = 180) -> av.VideoFrame:
    """A grey ramp that moves."""
    planes = np.full((height * 3 // 2, width), 128, dtype=np.uint8)
    planes[:height] = (np.arange(width) + tick * 3) % 200 + 20
    return av.VideoFrame.from_ndarray(planes, format="yuv420p")


def write_clip(path: Path, recipe: Recipe, ticks, *, sound: bool = True) -> Path:
    """Write the given ticks, with a sine as sound."""
    rate, last = recipe.frame.rate, max(ticks) + 1
    with PartWriter(path, recipe, SoundFormat() if sound else None) as writer:
        for tick in ticks:
            writer.write_picture(picture(tick, recipe.frame.width_px, recipe.frame.height_px), tick)
        count = round(last * 48_000 / rate) if sound else 0
        sine = 0.4 * np.sin(np.arange(count) * 2 * np.pi * 440 / 48_000).astype(np.float32)
        for start in range(0, count, 480):
            writer.write_samples(np.stack([sine[start : start + 480]] * 2), start)
    return path
