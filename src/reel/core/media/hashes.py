"""A hash of every frame of a file, by which its picture is known to the last bit; kept beside it as a text.

A line of the text is a frame's number, counted from 0, a blank, and the SHA-256 in hex of its samples: plane by plane,
row by row, as wide as the frame, little-endian where a sample has two bytes.
"""

import hashlib
import itertools
from collections.abc import Callable, Iterator
from pathlib import Path

import av

from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.streams import open_to_read, pictures_of

NAME = "frames.sha256"


def frame_hash(frame: av.VideoFrame) -> str:
    """Return the SHA-256 of a frame's samples, in hex."""
    found = hashlib.sha256()
    for plane, part in zip(frame.planes, frame.format.components, strict=False):
        wide = plane.width * (2 if part.bits > 8 else 1)
        data = memoryview(plane).cast("B")
        if plane.line_size == wide:
            found.update(data[: wide * plane.height])
            continue
        for row in range(plane.height):
            found.update(data[row * plane.line_size : row * plane.line_size + wide])
    return found.hexdigest()


def hashes_of(path: Path) -> Iterator[str]:
    """Decode a file's picture and return the hash of each frame; raises MediaError."""
    try:
        with open_to_read(path) as reader:
            stream = next(iter(pictures_of(reader)), None)
            if stream is None:
                raise MediaError(path, "has no picture")
            stream.thread_type = "AUTO"
            for frame in reader.decode(stream):
                yield frame_hash(frame)
    except BROKEN as error:
        raise MediaError(path, f"can't be decoded whole ({reason_of(error)})") from error


def write_hashes(path: Path, text: Path) -> None:
    """Write the hashes of a file's frames into a text; raises MediaError."""
    with text.open("w") as file:
        file.writelines(f"{number} {one}\n" for number, one in enumerate(hashes_of(path)))


def read_hashes(text: Path) -> list[str]:
    """Return the hashes that a text holds, in their order; raises MediaError where it is gone or no text."""
    try:
        return [line.split(" ")[-1] for line in text.read_text(encoding="ascii").splitlines()]
    except OSError as error:
        raise MediaError(text, "is gone: what the frames were is not known") from error
    except UnicodeDecodeError as error:
        raise MediaError(text, "is damaged: what the frames were is not known") from error


def check_hashes(path: Path, text: Path, tell: Callable[[float], None] = lambda part: None) -> tuple[int, list[int]]:
    """Decode a file and hold it against its text: how many frames that has, and the numbers of those that differ.

    A frame too many or too few differs. `tell` is told the part that is done. Raises MediaError.
    """
    kept, differing = read_hashes(text), []
    for number, (was, now) in enumerate(itertools.zip_longest(kept, hashes_of(path))):
        if was != now:
            differing.append(number)
        if number % 30 == 0:
            tell(min(1.0, number / max(1, len(kept))))
    return len(kept), differing
