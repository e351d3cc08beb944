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


def keep_loaded() -> None:
    """Leave what a process has loaded out of every later search for circles; called once, before its work begins.

    Modules and tables stay until the end: looking through them took 74 ms each time, in which nothing else ran.
    """
    gc.freeze()


def trim_memory() -> None:
    """Free what hangs together in circles, decoders and their threads among it, and give the system what is free.

    Nothing else of this process runs meanwhile, which is short where it has called `keep_loaded`.
    """
    gc.collect()
    with suppress(OSError, AttributeError):
        ctypes.CDLL(None).malloc_trim(0)
