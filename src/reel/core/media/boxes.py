"""The boxes of MP4 and MOV (ISO/IEC 14496-12, 4.2): where one is cut off."""

import os
from pathlib import Path

_HEAD, _LONG_HEAD = 8, 16


def cut_off_at(path: Path) -> int | None:
    """Return at which byte a box of an MP4 or MOV begins that its end cuts off; None where none does.

    What is there of media can be read; of any other box that is begun nothing can, and libavformat then refuses all of
    the file. Raises OSError.
    """
    size = path.stat().st_size
    with path.open("rb") as file:
        at = 0
        while at < size:
            file.seek(at)
            head = file.read(_LONG_HEAD)
            kind, length = head[4:_HEAD], int.from_bytes(head[:4], "big")
            if at == 0 and kind != b"ftyp":
                return None  # it is neither
            if length == 1 and len(head) == _LONG_HEAD:
                length = int.from_bytes(head[_HEAD:], "big")
            elif length == 0 and len(head) >= _HEAD:
                return None  # up to the end
            if len(head) < _HEAD or at + length > size:
                return None if kind == b"mdat" else at
            if length < _HEAD:
                return None  # it is no box: what reads it says so
            at += length
    return None


def trim(path: Path) -> None:
    """Leave out a box that the end of an MP4 or MOV cuts off; raises OSError."""
    at = cut_off_at(path)
    if at:
        os.truncate(path, at)


def address_of(path: Path) -> str:
    """Return what libavformat opens a file by, without a box that its end cuts off; raises OSError."""
    at = cut_off_at(path)
    return f"subfile,,start,0,end,{at},,:{path.resolve()}" if at else str(path)
