"""What container a media file is in, by what it says of itself, and whether it may be read at all."""

from pathlib import Path

import av
from av.stream import Disposition

from reel.core.media.decoding import open_options
from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.streams import open_to_read, pictures_of, sounds_of

SUFFIXES = {"MP4": "mp4", "MOV": "mov", "MKV": "mkv", "WebM": "webm", "MPEG-TS": "ts"}
NEITHER = "holds neither a picture nor sound"
# A picture with more pixels is not decoded: each takes half a gigabyte and more, in every thread.
MAX_PIXELS = 8192 * 8192


def container_suffix(path: Path) -> str:
    """Return the ending that a media file should have by its container, "" for one that Reel does not write.

    Raises MediaError, in a sentence for people, for what is no media file, holds neither picture nor sound, or a
    picture that is larger than MAX_PIXELS.
    """
    try:
        with open_to_read(path, options=open_options("file")) as container:
            pictures = [one for one in pictures_of(container) if not one.disposition & Disposition.attached_pic]
            if not pictures and not sounds_of(container):
                raise MediaError(path, NEITHER)
            for one in pictures:
                if one.width * one.height > MAX_PIXELS:
                    raise MediaError(
                        path, f"says that its picture has {one.width}×{one.height} pixels; 67 million are read"
                    )
            return SUFFIXES.get(container_name(path, container), "")
    except MediaError:
        raise
    except BROKEN as error:
        raise MediaError(path, f"can't be read as a media file ({reason_of(error)})") from error


def container_name(path: Path, container: "av.container.InputContainer") -> str:
    """Tell apart what libavformat reads as one: MP4 and MOV by their brand, MKV and WebM by their document type."""
    name = container.format.name
    if "mp4" in name.split(","):
        return "MOV" if container.metadata.get("major_brand", "qt  ").startswith("qt") else "MP4"
    if name.startswith("matroska"):
        with path.open("rb") as file:
            # RFC 8794, 11.2.7: DocType is element 42 82 of the header, which is short
            return "WebM" if b"\x42\x82\x84webm" in file.read(128) else "MKV"
    return {"mpegts": "MPEG-TS"}.get(name, name)
