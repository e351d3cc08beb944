"""Where files are brought over from: a folder of this computer, or a device's own storage behind a link."""

import datetime
import hashlib
import shutil
import stat
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Protocol

from reel.core.errors import ReelError
from reel.core.media.errors import MediaError

# A storage is listed to so many files; a folder of more is not one of recordings.
MAX_FILES = 10_000
READ_BYTES = 1 << 20


class LinkBrokenError(ReelError, ConnectionError):
    """Raised when the link to a storage is gone; what was asked may be asked again once it is back."""

    def __init__(self, what: str) -> None:
        super().__init__(f"The link to {what} broke.")


@dataclass(frozen=True, slots=True, kw_only=True)
class StoredFile:
    """A file of a storage. `name` is its path there, with slashes; `modified_at` has a time zone."""

    name: str
    size_bytes: int
    modified_at: datetime.datetime


class Storage(Protocol):
    """Where files lie. Every method but `label` raises LinkBrokenError when it can't be reached, MediaError else."""

    @property
    def label(self) -> str:
        """What people call it."""

    def files(self) -> tuple[StoredFile, ...]:
        """Return its files, the newest first."""

    def free_bytes(self) -> int:
        """Return the room that is left on it."""

    def read(self, name: str, offset: int, size: int) -> bytes:
        """Return up to `size` bytes of a file from an offset on; fewer only at its end."""

    def checksums(self, name: str, block_bytes: int) -> Iterator[bytes]:
        """Return the checksum of each block of a file, taken where it lies: BLAKE2b of 16 bytes."""

    def delete(self, name: str) -> None:
        """Delete a file."""


class Folder:
    """A folder of this computer, with what lies in its folders; links are not followed."""

    def __init__(self, root: Path) -> None:
        self.root = root

    @property
    def label(self) -> str:
        return self.root.name or str(self.root)

    def files(self) -> tuple[StoredFile, ...]:
        found: list[StoredFile] = []
        if not self.root.is_dir():
            raise MediaError(self.root, "is no folder that is there")
        try:
            for path in self.root.rglob("*"):
                facts = path.lstat()
                hidden = any(part.startswith(".") for part in path.relative_to(self.root).parts)
                if stat.S_ISREG(facts.st_mode) and not hidden:
                    modified_at = datetime.datetime.fromtimestamp(facts.st_mtime, datetime.UTC)
                    name = path.relative_to(self.root).as_posix()
                    found.append(StoredFile(name=name, size_bytes=facts.st_size, modified_at=modified_at))
                if len(found) > MAX_FILES:
                    break
        except OSError as error:
            raise MediaError(self.root, f"can't be read ({error.strerror})") from error
        if len(found) > MAX_FILES:
            raise MediaError(self.root, f"holds more than {MAX_FILES} files; choose a folder in it")
        return tuple(sorted(found, key=lambda one: (one.modified_at, one.name), reverse=True))

    def free_bytes(self) -> int:
        try:
            return shutil.disk_usage(self.root).free
        except OSError as error:
            raise MediaError(self.root, f"can't be read ({error.strerror})") from error

    def read(self, name: str, offset: int, size: int) -> bytes:
        path = self.path(name)
        try:
            with path.open("rb") as file:
                file.seek(offset)
                return file.read(size)
        except OSError as error:
            raise MediaError(path, f"can't be read ({error.strerror})") from error

    def checksums(self, name: str, block_bytes: int) -> Iterator[bytes]:
        path = self.path(name)
        try:
            with path.open("rb") as file:
                while block := file.read(block_bytes):
                    yield hashlib.blake2b(block, digest_size=16).digest()
        except OSError as error:
            raise MediaError(path, f"can't be read ({error.strerror})") from error

    def delete(self, name: str) -> None:
        path = self.path(name)
        try:
            path.unlink(missing_ok=True)
        except OSError as error:
            raise MediaError(path, f"can't be deleted ({error.strerror})") from error

    def path(self, name: str) -> Path:
        """Return where a file lies; raises MediaError for what is no plain file inside the folder."""
        path = self.root / name
        inside = "\x00" not in name and path.resolve().is_relative_to(self.root.resolve())
        if not inside or path.is_symlink() or not path.is_file():
            raise MediaError(Path(name.replace("\x00", "")[-80:]), "is no file there")
        return path
