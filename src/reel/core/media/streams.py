"""Opening what is to be read, and its streams that can be decoded: a broken header may name a codec that none knows."""

from pathlib import Path
from typing import Any

import av


def open_to_read(address: Path | str, **more: Any) -> "av.container.InputContainer":
    """Open a file or an address; `more` is as av.open has it. Raises what that raises.

    Names and tags whose letters are damaged, or in another code than UTF-8, are read with a mark in their place.
    """
    opened: av.container.InputContainer = av.open(str(address), metadata_errors="replace", **more)
    return opened


def pictures_of(reader: Any) -> list[av.VideoStream]:
    """Return the picture streams of a container whose codec is known."""
    return [stream for stream in reader.streams.video if stream.codec_context is not None]


def sounds_of(reader: Any) -> list[av.AudioStream]:
    """Return the sound tracks of a container whose codec is known."""
    return [stream for stream in reader.streams.audio if stream.codec_context is not None]
