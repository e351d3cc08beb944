"""Errors of reading and writing media files."""

import errno
import os
import stat
from pathlib import Path

import av

from reel.core.errors import ReelError

# All that reading and writing through libav raises: its errors are only partly the built-in ones as well.
BROKEN = (OSError, av.error.FFmpegError, ValueError, EOFError, MemoryError)


def reason_of(error: BaseException) -> str:
    """Return what libav or the system says of an error, in words and without the name of a class."""
    if isinstance(error, EOFError):
        return "it ends before its first picture"
    if isinstance(error, UnicodeDecodeError):
        return "a text in it is damaged"
    if isinstance(error, OSError) and not isinstance(error, av.error.FFmpegError) and error.errno:
        return os.strerror(error.errno)
    said = getattr(error, "strerror", None) or str(error)
    return said or (os.strerror(errno.EIO) if isinstance(error, OSError) else "no reason was given")


class MediaError(ReelError, OSError):
    """Raised when a media file can't be read or written. `path` is the file, `reason` says why."""

    def __init__(self, path: Path, reason: str) -> None:
        self.path, self.reason = path, reason
        super().__init__(f"{path.name} {reason}.")


def check_plain(path: Path) -> None:
    """Raise MediaError for what is no plain file: reading from a pipe or a device would wait for ever."""
    try:
        mode = path.stat().st_mode
    except OSError as error:
        raise MediaError(path, f"can't be read ({reason_of(error)})") from error
    if not stat.S_ISREG(mode):
        raise MediaError(path, "is no plain file")


class NameTakenError(ReelError, FileExistsError):
    """Raised when a file would have to be written over an existing one. `path` is the file that stands there."""

    def __init__(self, path: Path) -> None:
        self.path = path
        super().__init__(f"{path.name} is already on the shelf; choose another name.")
