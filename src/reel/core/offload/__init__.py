"""Copying files off a storage that may go away, so that what arrives is what lies there."""

from reel.core.offload.copying import BLOCK_BYTES, copy_file, differing_blocks, fingerprint, mend_block
from reel.core.offload.storage import Folder, LinkBrokenError, Storage, StoredFile

__all__ = [
    "BLOCK_BYTES",
    "Folder",
    "LinkBrokenError",
    "Storage",
    "StoredFile",
    "copy_file",
    "differing_blocks",
    "fingerprint",
    "mend_block",
]
