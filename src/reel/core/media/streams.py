"""The streams of an open file that can be decoded: what a broken header names may have no codec that is known."""

from typing import Any

import av


def pictures_of(reader: Any) -> list[av.VideoStream]:
    """Return the picture streams of a container whose codec is known."""
    return [stream for stream in reader.streams.video if stream.codec_context is not None]


def sounds_of(reader: Any) -> list[av.AudioStream]:
    """Return the sound tracks of a container whose codec is known."""
    return [stream for stream in reader.streams.audio if stream.codec_context is not None]
