"""Examining a file, for its proof and its drawing, against decoding it alone: five seconds of 1280×720 in H.264."""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import av
import numpy as np

from reel.core.file import FilePlan, Recipe
from reel.core.measure import examine
from reel.core.media import PartWriter
from reel.core.signal import Mode

FRAMES, MODE = 150, Mode.parse("1280x720p30")


def examine_to_bare_decode() -> float:
    """Give how many times the processor time of decoding a file examining it takes; the least of three each."""
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "a.mp4"
        write_scene(path, FilePlan(recipe=Recipe(), frame=MODE, tracks=("Sound",)))
        return min(_took(lambda: examine(path)) for _ in range(3)) / min(_took(lambda: _decode(path)) for _ in range(3))


def _took(work: Callable[[], object]) -> float:
    started = time.process_time()
    work()
    return time.process_time() - started


def _decode(path: Path) -> None:
    with av.open(str(path)) as container:
        container.streams.video[0].thread_type = "AUTO"
        for packet in container.demux():
            packet.decode()


def write_scene(path: Path, plan: FilePlan) -> None:
    """Write a scene that is panned over, with grain as a camera has it, and noise as its sound."""
    random = np.random.default_rng(3)
    ground = np.kron(random.integers(40, 210, (90, 260)), np.ones((8, 8)))
    with PartWriter(path, plan) as writer:
        for tick in range(FRAMES):
            planes = np.full((MODE.height_px * 3 // 2, MODE.width_px), 128, dtype=np.uint8)
            seen = ground[:, tick * 4 : tick * 4 + MODE.width_px]
            planes[: MODE.height_px] = np.clip(seen + random.normal(0, 3, seen.shape), 16, 235)
            writer.write_picture(av.VideoFrame.from_ndarray(planes, format="yuv420p"), tick)
            writer.write_samples(0, random.normal(0, 0.1, (2, 1600)).astype(np.float32))
