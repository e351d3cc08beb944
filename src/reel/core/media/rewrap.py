"""Rewrapping: the same encoded picture and sound in another container."""

from collections.abc import Callable
from pathlib import Path

import av

from reel.core.media.errors import BROKEN, MediaError, reason_of


def rewrap_to_mp4(source: Path, target: Path, progress: Callable[[float], None]) -> None:
    """Copy every packet of `source` into a new MP4 whose index stands in front, ready to be played over HTTP.

    `progress` is told the part that is done (0 to 1); it may raise to call the work off. Raises MediaError.
    """
    try:
        with (
            av.open(str(source)) as reader,
            av.open(str(target), "w", format="mp4", options={"movflags": "+faststart"}) as writer,
        ):
            streams = {
                s.index: writer.add_stream_from_template(s) for s in reader.streams if s.type in ("video", "audio")
            }
            length = (reader.duration or 0) / av.time_base
            for packet in reader.demux():
                if packet.size == 0 or packet.stream_index not in streams:
                    continue
                if length and packet.pts is not None and packet.is_keyframe and packet.stream.type == "video":
                    progress(min(1.0, float(packet.pts * packet.time_base) / length))
                packet.stream = streams[packet.stream_index]
                writer.mux(packet)
    except BROKEN as error:
        raise MediaError(source, f"can't be rewrapped ({reason_of(error)})") from error
