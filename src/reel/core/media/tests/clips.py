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


def numbered(tick: int, width: int = 320, height: int = 180) -> av.VideoFrame:
    """The same, with the tick in twelve squares along its upper edge: white for 1, black for 0."""
    planes = np.full((height * 3 // 2, width), 128, dtype=np.uint8)
    planes[:height] = (np.arange(width) + tick * 3) % 120 + 60
    for bit in range(12):
        planes[:16, bit * 16 : bit * 16 + 16] = 235 if tick >> bit & 1 else 16
    return av.VideoFrame.from_ndarray(planes, format="yuv420p")


def number_of(frame: av.VideoFrame) -> int:
    """Return the tick that `numbered` drew into a frame."""
    grey = frame.to_ndarray(format="gray")
    return sum(int(grey[4:12, bit * 16 + 4 : bit * 16 + 12].mean() > 128) << bit for bit in range(12))


def plan(frame: Mode = FRAME, *, tracks=("Sound",), as_it_comes=False, **recipe) -> FilePlan:
    """A file's plan; what it does not name is as in any recipe."""
    return FilePlan(recipe=Recipe(**recipe), frame=frame, tracks=tracks, as_it_comes=as_it_comes)


def write_clip(path: Path, asked: FilePlan, ticks, *, sound_first=False, draw=picture, sound=None) -> Path:
    """Write the given ticks, with a sine as sound on each track, after the pictures or before them.

    `sound` are other samples of one channel at 48 kHz.
    """
    rate, last, pixels = asked.frame.rate, max(ticks) + 1, asked.signal.pixels

    def converted(frame):
        return frame if draw is picture else frame.reformat(format=pixels)

    def pictures():
        for tick in ticks:
            writer.write_picture(converted(draw(tick, asked.frame.width_px, asked.frame.height_px)), tick)

    with PartWriter(path, asked) as writer:
        if not sound_first:
            pictures()
        count = round(last * 48_000 / rate)
        sine = 0.4 * np.sin(np.arange(count) * 2 * np.pi * 440 / 48_000).astype(np.float32) if sound is None else sound
        for start in range(0, count, 480):
            for track in range(len(asked.tracks)):
                writer.write_samples(track, np.stack([sine[start : start + 480]] * 2))
        if sound_first:
            pictures()
    return path
