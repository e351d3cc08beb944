"""A finish that encodes anew against the bare loop that decodes and encodes the same frames by the same settings."""

import tempfile
import time
from collections.abc import Callable
from pathlib import Path
from typing import Any

import av
from av.video.frame import PictureType

from benchmarks.examining import write_scene
from reel.core.file import Container, FilePlan, Recipe, encoder_settings
from reel.core.finish import Encoding, Finish, Keep, TickRange, plan
from reel.core.media.cuts import Files, encode
from reel.core.media.finishing import source_to_cut
from reel.core.media.writer import tell
from reel.core.signal import Mode

MODE = Mode.parse("1280x720p30")


def finish_to_bare_loop() -> float:
    """Give how many times the time of a bare loop of decoding and encoding a finish takes; the least of three each."""
    with tempfile.TemporaryDirectory() as folder:
        source, made, bare = (Path(folder) / name for name in ("a.mkv", "b.mp4", "c.mp4"))
        asked = FilePlan(recipe=Recipe(container=Container.MP4, effort="veryfast"), frame=MODE, tracks=("Sound",))
        write_scene(source, FilePlan(recipe=Recipe(container=Container.MKV), frame=MODE, tracks=("Sound",)))
        found = source_to_cut(source)
        assert found.packets is not None
        keep = Keep(rate=MODE.rate, ranges=(TickRange(0, found.packets.length),))
        finish = Finish(container=Container.MP4, keep=keep, encoding=Encoding(recipe=asked.recipe))
        planned = plan(finish, found)
        files = Files(paths=[source], sources=[found])
        ours = min(_took(lambda: encode(files, made, planned, lambda part: None)) for _ in range(3))
        return ours / min(_took(lambda: _bare(source, bare, asked)) for _ in range(3))


def _took(work: Callable[[], object]) -> float:
    started = time.perf_counter()
    work()
    return time.perf_counter() - started


def _bare(source: Path, target: Path, asked: FilePlan) -> None:
    """Decode every frame of picture and sound, and encode it again."""
    told = encoder_settings(asked)
    with av.open(str(source)) as reader, av.open(str(target), "w") as writer:
        picture, sound = reader.streams.video[0], reader.streams.audio[0]
        picture.thread_type = "AUTO"
        stream: Any = writer.add_stream(told.encoder, rate=MODE.rate)
        tell(stream.codec_context, asked, told)
        track: Any = writer.add_stream(asked.recipe.sound_facts.encoder, rate=48_000, layout="stereo")
        track.bit_rate = asked.recipe.sound_bitrate_bps
        for frame in reader.decode(picture, sound):
            if isinstance(frame, av.VideoFrame):
                frame.pict_type = PictureType.NONE
                writer.mux(stream.encode(frame))
            else:
                writer.mux(track.encode(frame))
        for one in (stream, track):
            writer.mux(one.encode(None))
