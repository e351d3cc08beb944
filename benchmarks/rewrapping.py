"""Rewrapping a file against copying it: a quarter of a gigabyte of H.264 at about 50 Mb/s with sound, MKV into MP4.

Either counts until the file lies on the drive.
"""

import os
import shutil
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

import av

from benchmarks.examining import write_scene
from reel.core.file import ConstantBitrate, Container, FilePlan, Recipe
from reel.core.finish import Finish, plan
from reel.core.media.finishing import source_of
from reel.core.media.rewrap import rewrap
from reel.core.signal import Mode

BYTES, MODE = 256_000_000, Mode.parse("1280x720p30")


def rewrap_to_file_copy() -> float:
    """Give how many times the time of a file copy rewrapping the file takes; the least of three each."""
    with tempfile.TemporaryDirectory() as folder:
        short, long, made = (Path(folder) / name for name in ("a.mkv", "b.mkv", "c.mp4"))
        fast = Recipe(container=Container.MKV, rate=ConstantBitrate(bitrate_bps=50_000_000), effort="ultrafast")
        write_scene(short, FilePlan(recipe=fast, frame=MODE, tracks=("Sound",)))
        _repeat(short, long)
        kept = plan(Finish(container=Container.MP4), source_of(long)).kept
        copied = min(_took(made, lambda: shutil.copyfile(long, made)) for _ in range(3))
        return min(_took(made, lambda: rewrap(long, made, kept, lambda part: None)) for _ in range(3)) / copied


def _took(made: Path, work: Callable[[], object]) -> float:
    made.unlink(missing_ok=True)
    started = time.perf_counter()
    work()
    with made.open("rb") as file:
        os.fsync(file.fileno())
    return time.perf_counter() - started


def _repeat(short: Path, long: Path) -> None:
    """Write a file's packets again and again, each time later by its length."""
    with av.open(str(short)) as reader:
        packets = [(packet, packet.pts, packet.dts) for packet in reader.demux() if packet.size]
        step = round((reader.duration or 0) / av.time_base * 1000)  # MKV counts milliseconds
        with av.open(str(long), "w") as writer:
            streams = {one.index: writer.add_stream_from_template(one, opaque=True) for one in reader.streams}
            for number in range(-(-BYTES // short.stat().st_size)):
                for packet, pts, dts in packets:
                    made = av.Packet(bytes(packet))
                    made.stream, made.time_base = streams[packet.stream_index], packet.time_base
                    made.pts = None if pts is None else pts + number * step
                    made.dts = None if dts is None else dts + number * step
                    made.is_keyframe, made.duration = packet.is_keyframe, packet.duration
                    writer.mux(made)
