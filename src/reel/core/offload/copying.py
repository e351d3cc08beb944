"""Copying a file in blocks that are checked on both ends."""

import hashlib
import os
from collections.abc import Callable
from itertools import zip_longest
from pathlib import Path

from reel.core.media.errors import MediaError
from reel.core.offload.storage import Folder, Storage

# A file is copied, checked and mended by blocks of so many bytes.
BLOCK_BYTES = 4 << 20


def copy_file(
    storage: Storage,
    name: str,
    size_bytes: int,
    target: Path,
    progress: Callable[[int], None],
) -> None:
    """Copy a file to `target`, going on where that ends; it is what lies there once it is checked.

    `progress` is told the bytes that are there, and may raise to call it off. Raises LinkBrokenError, MediaError; what
    was copied until then stays.
    """
    try:
        with target.open("ab") as file:
            at = min(file.tell(), size_bytes)
            file.truncate(at)
            while at < size_bytes:
                block = storage.read(name, at, min(BLOCK_BYTES, size_bytes - at))
                if not block:
                    raise MediaError(Path(name), "ends before its size; it was changed while it was copied")
                file.write(block)
                file.flush()
                at += len(block)
                progress(at)
            os.fsync(file.fileno())
    except OSError as error:
        if isinstance(error, MediaError | ConnectionError):
            raise
        raise MediaError(target, f"can't be written ({error.strerror})") from error


def differing_blocks(storage: Storage, name: str, target: Path) -> list[int]:
    """Return the numbers of the blocks that are not what lies there, read back from the drive."""
    here = Folder(target.parent).checksums(target.name, BLOCK_BYTES)
    both = zip_longest(storage.checksums(name, BLOCK_BYTES), here)
    return [number for number, (there, copied) in enumerate(both) if there != copied]


def mend_block(storage: Storage, name: str, target: Path, number: int) -> None:
    """Copy one block once more; raises LinkBrokenError, MediaError."""
    block = storage.read(name, number * BLOCK_BYTES, BLOCK_BYTES)
    try:
        with target.open("r+b") as file:
            file.seek(number * BLOCK_BYTES)
            file.write(block)
            if len(block) < BLOCK_BYTES:
                file.truncate()
            file.flush()
            os.fsync(file.fileno())
    except OSError as error:
        raise MediaError(target, f"can't be written ({error.strerror})") from error


def fingerprint(storage: Storage, name: str) -> str:
    """Return what a file is known again by: a checksum of the checksums of all its blocks, taken where it lies."""
    digest = hashlib.blake2b(digest_size=20)
    for checksum in storage.checksums(name, BLOCK_BYTES):
        digest.update(checksum)
    return digest.hexdigest()
