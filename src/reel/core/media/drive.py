"""How fast a drive takes what is written to it."""

import os
import time
from collections.abc import Callable
from pathlib import Path

from reel.core.media.errors import MediaError

# So much is written, at most for so long, and never more than this part of the room that is left.
MAX_BYTES, MAX_S, ROOM_PART = 512_000_000, 4.0, 0.25
_BLOCK = os.urandom(8_000_000)  # a drive that compresses is not fooled


def write_speed(folder: Path, go_on: Callable[[float], None] = lambda part: None) -> float:
    """Return the bits a second that a folder's drive takes and keeps, each block brought to the drive before the next.

    `go_on` is told the part that is done, and may raise to call it off. Raises MediaError; nothing is left behind.
    """
    path = folder / f".reel-speed-{os.getpid()}"
    try:
        stat = os.statvfs(folder)
        most = min(MAX_BYTES, int(stat.f_bavail * stat.f_frsize * ROOM_PART))
        if most < len(_BLOCK):
            raise MediaError(folder, "has too little room for measuring how fast it writes")
        written, began = 0, time.perf_counter()
        with path.open("xb", buffering=0) as file:
            path.unlink()  # what is open stays until it is closed, also by a kill
            while written < most and time.perf_counter() - began < MAX_S:
                written += file.write(_BLOCK)
                os.fdatasync(file.fileno())
                go_on(max(written / most, (time.perf_counter() - began) / MAX_S))
        return written * 8 / (time.perf_counter() - began)
    except OSError as error:
        if isinstance(error, MediaError):
            raise
        raise MediaError(folder, f"can't be written to ({error.strerror})") from error
    finally:
        path.unlink(missing_ok=True)
