"""Errors of reading and writing media files."""

from pathlib import Path

from reel.core.errors import ReelError


class MediaError(ReelError, OSError):
    """Raised when a media file can't be read or written. `path` is the file, `reason` says why."""

    def __init__(self, path: Path, reason: str) -> None:
        self.path, self.reason = path, reason
        super().__init__(f"{path.name} {reason}.")


class NameTakenError(ReelError, FileExistsError):
    """Raised when a file would have to be written over an existing one. `path` is the file that stands there."""

    def __init__(self, path: Path) -> None:
        self.path = path
        super().__init__(f"{path.name} is already on the shelf; choose another name.")
