"""Short files for the tests, written by the writer itself."""

from pathlib import Path

import av
import numpy as np

from reel.core.file import FilePlan, Recipe
from reel.core.media import PartWriter
from reel.core.signal import Mode

FRAME = Mode.parse("320x180p30")


def picture(tick: int, width: int = 320, height: int = 180) -> av.VideoFrame:
    """A grey ramp that moves."""
    planes = np.full((height * 3 // 2, width), 128, dtype=np.uint8)
    planes[:height] = (np.arange(width) + tick * 3) % 200 + 20
    return av.VideoFrame.from_ndarray(planes, format="yuv420p")


def plan(frame: Mode = FRAME, *, tracks=("Sound",), as_it_comes=False, **recipe) -> FilePlan:
    """A file's plan; what it does not name is as in any recipe."""
    return FilePlan(recipe=Recipe(**recipe), frame=frame, tracks=tracks, as_it_comes=as_it_comes)


def write_clip(path: Path, asked: FilePlan, ticks, *, sound_first=False) -> Path:
    """Write the given ticks, with a sine as sound on each track, after the pictures or before them."""
    rate, last = asked.frame.rate, max(ticks) + 1

    def pictures():
        for tick in ticks:
            writer.write_picture(picture(tick, asked.frame.width_px, asked.frame.height_px), tick)

    with PartWriter(path, asked) as writer:
        if not sound_first:
            pictures()
        count = round(last * 48_000 / rate)
        sine = 0.4 * np.sin(np.arange(count) * 2 * np.pi * 440 / 48_000).astype(np.float32)
        for start in range(0, count, 480):
            for track in range(len(asked.tracks)):
                writer.write_samples(track, np.stack([sine[start : start + 480]] * 2))
        if sound_first:
            pictures()
    return path
