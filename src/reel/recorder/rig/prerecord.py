"""Reaching back: the last frames before a take are kept, so that it can begin with them."""

from collections import deque
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from typing import NamedTuple

import av

from reel.core.signal import NS, Picture

# As many bytes of frames are kept at most.
MAX_BYTES = 512_000_000


class Kept(NamedTuple):
    """The frame that was composed with a picture of the first input, in its stead, and the seconds to the next one."""

    picture: Picture
    interval: Fraction

    def give(self, at_ns: int) -> av.VideoFrame:
        """Return the frame, for whatever instant."""
        return self.picture.frame


class PreRecordBuffer:
    """The frames of the last `seconds`, as many as there is room for; 0 keeps none."""

    def __init__(self, seconds: int) -> None:
        self.seconds = seconds
        self._kept: deque[Kept] = deque()

    def keep(self, picture: Picture, frame: av.VideoFrame, interval: Fraction) -> None:
        """Keep a frame, and let those go that are too old or too many."""
        # the picture that came is not needed any more, and may be larger than the frame
        self._kept.append(Kept(replace(picture, frame=frame), interval))
        most = max(1, MAX_BYTES // frame_bytes(frame))
        while len(self._kept) > most or picture.at_ns - self._kept[0].picture.at_ns >= self.seconds * NS:
            self._kept.popleft()

    def clear(self) -> None:
        """Keep nothing of what was before: what comes does not follow on it."""
        self._kept.clear()

    def take(self) -> Iterator[Kept]:
        """Return all, the oldest first, and keep none of it."""
        while self._kept:
            yield self._kept.popleft()

    @property
    def count(self) -> int:
        return len(self._kept)

    @property
    def size_bytes(self) -> int:
        kept = list(self._kept)
        return frame_bytes(kept[-1].picture.frame) * len(kept) if kept else 0

    @property
    def length_s(self) -> float:
        """How many seconds are kept."""
        kept = list(self._kept)
        return (kept[-1].picture.at_ns - kept[0].picture.at_ns) / NS if kept else 0.0


def frame_bytes(frame: av.VideoFrame) -> int:
    """Return the memory that a frame takes."""
    return sum(plane.buffer_size for plane in frame.planes)
