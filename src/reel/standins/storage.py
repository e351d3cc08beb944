"""A device's own storage, as a folder behind a link that is slow and breaks."""

import json
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

from reel.core.errors import ReelError
from reel.core.offload import Folder, LinkBrokenError, StoredFile
from reel.core.wire import from_json, to_json

# What the folder of a device says of its link.
LINK_FILE = ".link.json"


@dataclass(frozen=True, slots=True, kw_only=True)
class Link:
    """How a link behaves: bytes a second, 0 for as fast as the drive; whether it is there; after how many more bytes it
    breaks, and which of its reads it alters on the way, counted from now on.
    """

    bytes_per_s: int = 0
    is_up: bool = True
    breaks_after_bytes: int | None = None
    alters_reads: tuple[int, ...] = ()


class DeviceStorage:
    """A storage whose link does what its folder says; `wait` lets time pass."""

    def __init__(self, root: Path, label: str, wait: Callable[[float], object]) -> None:
        self._folder, self._label, self._wait = Folder(root), label, wait

    @property
    def label(self) -> str:
        return self._label

    @property
    def link(self) -> Link:
        try:
            return from_json((self._folder.root / LINK_FILE).read_bytes(), Link)
        except (OSError, ReelError, json.JSONDecodeError):
            return Link()

    def set_link(self, link: Link) -> None:
        """Have the link behave so from now on."""
        self._folder.root.mkdir(parents=True, exist_ok=True)
        (self._folder.root / LINK_FILE).write_bytes(to_json(link))

    def files(self) -> tuple[StoredFile, ...]:
        self._carry(0)
        return self._folder.files()

    def free_bytes(self) -> int:
        self._carry(0)
        return self._folder.free_bytes()

    def read(self, name: str, offset: int, size: int) -> bytes:
        data = self._folder.read(name, offset, size)
        return self._carry(len(data), data)

    def checksums(self, name: str, block_bytes: int) -> Iterator[bytes]:
        """Return the checksums, which the device takes itself: only they come over the link."""
        for checksum in self._folder.checksums(name, block_bytes):
            self._carry(0)
            yield checksum

    def delete(self, name: str) -> None:
        self._carry(0)
        self._folder.delete(name)

    def _carry(self, size: int, data: bytes = b"") -> bytes:
        """Carry bytes over the link; raises LinkBrokenError."""
        link = self.link
        if not link.is_up:
            raise LinkBrokenError(self._label)
        if not size:
            return data
        left = link.breaks_after_bytes
        if left is not None and size > left:
            self.set_link(Link(bytes_per_s=link.bytes_per_s, is_up=False, alters_reads=link.alters_reads))
            raise LinkBrokenError(self._label)
        if link.bytes_per_s:
            self._wait(size / link.bytes_per_s)
        if left is not None or link.alters_reads:
            alters = link.alters_reads
            if 0 in alters:
                data = bytes([data[0] ^ 0x40]) + data[1:]
            self.set_link(
                Link(
                    bytes_per_s=link.bytes_per_s,
                    breaks_after_bytes=None if left is None else left - size,
                    alters_reads=tuple(number - 1 for number in alters if number > 0),
                )
            )
        return data
