"""Giving memory back: glibc keeps a heap for each thread that ever ran, and pictures are large."""

import ctypes
import gc
from contextlib import suppress

# mallopt(3): as many heaps for all threads; blocks up to a size come from them, pictures among them, since pages that
# the system gives anew for each picture cost more than the picture; free memory above a size goes back.
_M_TRIM_THRESHOLD, _M_MMAP_THRESHOLD, _M_ARENA_MAX = -1, -3, -8
ARENAS, FROM_HEAP_BYTES, KEPT_BYTES = 2, 16 * 1024 * 1024, 64 * 1024 * 1024


def share_heaps() -> None:
    """Have all threads share a few heaps; called before they start. Elsewhere than on glibc it does nothing."""
    with suppress(OSError, AttributeError):
        libc = ctypes.CDLL(None)
        libc.mallopt(_M_ARENA_MAX, ARENAS)
        libc.mallopt(_M_MMAP_THRESHOLD, FROM_HEAP_BYTES)
        libc.mallopt(_M_TRIM_THRESHOLD, KEPT_BYTES)


def trim_memory() -> None:
    """Free what hangs together in circles, decoders and their threads among it, and give the system what is free.

    It takes some tens of milliseconds, in which nothing else of this process runs.
    """
    gc.collect()
    with suppress(OSError, AttributeError):
        ctypes.CDLL(None).malloc_trim(0)
