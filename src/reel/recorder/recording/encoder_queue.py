"""The encoder queue: bounded, and the one thread that encodes and writes a part."""

import threading
import time
from collections import deque
from collections.abc import Callable
from contextlib import AbstractContextManager
from typing import Protocol

import av

from reel.core.errors import ReelError
from reel.core.file import FilePlan
from reel.core.signal import FloatArray, pixel_format
from reel.recorder.guard import attempt, guarded

# Pictures that wait to be encoded take so much memory, and are so many seconds, at most; a few may in any case.
QUEUE_BYTES, QUEUE_S, MIN_QUEUED = 256_000_000, 10, 12
# What is measured of the queue counts this part as much with each further write: about the last second remains.
LATELY = 0.98


def queue_limit(plan: FilePlan, max_bytes: int = QUEUE_BYTES) -> int:
    """Return how many pictures of a file may wait: a burst of other work is ridden out, within a bound of memory."""
    pixels = pixel_format(plan.signal.pixels)
    sample_bytes = 2 if pixels.depth_bits > 8 else 1
    picture_bytes = (
        plan.frame.width_px * plan.frame.height_px * pixels.bits_per_pixel / pixels.depth_bits * sample_bytes
    )
    return max(MIN_QUEUED, min(round(QUEUE_S * plan.frame.rate), int(max_bytes / picture_bytes)))


class Writer(Protocol):
    """What writes a part; see core.media.PartWriter. `disk_s` is how long it waited for the drive so far."""

    disk_s: float

    def write_picture(self, frame: av.VideoFrame, tick: int) -> None: ...
    def write_samples(self, track: int, data: FloatArray) -> None: ...


_Item = tuple[av.VideoFrame, int] | tuple[FloatArray, int]


class EncoderQueue:
    """Takes pictures and samples without ever waiting, and writes them in order on a thread of its own.

    At most `limit` pictures wait; sound is small and always taken. When everything is written, or an error has
    ended it, the part is closed and `closed` is called on that thread with that error, or None. `ended` is set in any
    case. `written` counts what was encoded. `busy_s` is how long it worked of late, `disk_s` how much of that it waited
    for the drive.
    """

    def __init__(
        self,
        writer: AbstractContextManager[Writer],
        closed: Callable[[ReelError | None], None],
        limit: int,
    ) -> None:
        self.limit = self.base_limit = limit
        self._writer, self._closed = writer, closed
        self._items: deque[_Item] = deque()
        self._pictures = self._promised = 0
        self._ending = False
        self.written = 0
        self._change = threading.Condition()
        self.error: ReelError | None = None
        self.busy_s = self.disk_s = self._disk_s = 0.0
        self.ended = threading.Event()
        self._thread = guarded("Writing the take", self._run, self._fail)

    def start(self) -> None:
        self._thread.start()

    def allow_more(self, pictures: int) -> None:
        """Let so many more pictures wait, until they came and no more wait than usually may."""
        with self._change:
            self._promised = pictures
            self.limit = self.base_limit + pictures

    @property
    def waiting(self) -> int:
        return self._pictures

    def offer_picture(self, frame: av.VideoFrame, tick: int) -> bool:
        """Queue a picture; False when the queue is full or writing has failed, and the picture is lost."""
        with self._change:
            if self._pictures >= self.limit or self.error is not None or self._ending:
                return False
            self._pictures += 1
            self._promised = max(0, self._promised - 1)
            self._items.append((frame, tick))
            self._change.notify_all()
        return True

    def offer_samples(self, data: FloatArray, track: int) -> None:
        """Queue a block of sound of a track, counted from 0, that follows on the one before."""
        with self._change:
            if self.error is None and not self._ending:
                self._items.append((data, track))
                self._change.notify_all()

    def finish(self) -> None:
        """Take nothing more; the part is closed once all that waits is written."""
        with self._change:
            self._ending = True
            self._change.notify_all()

    def settle(self, room: int) -> None:
        """Wait until `room` more may come; used by the virtual clock, so that nothing is lost.

        What is written meanwhile changes nothing of what comes after it: two runs are the same.
        """
        with self._change:
            self._change.wait_for(lambda: self._pictures <= max(0, self.base_limit - room))
        if self._ending:
            self.ended.wait()

    def join(self, timeout_s: float) -> bool:
        """Wait for the thread's end; says whether it has ended."""
        self._thread.join(timeout_s)
        return not self._thread.is_alive()

    def _run(self) -> None:
        error = attempt("Writing the take", self._write)
        if error is not None:
            self._fail(error)
        try:
            self._closed(error)
        finally:
            self.ended.set()

    def _write(self) -> None:
        with self._writer as writer:
            while (item := self._next()) is not None:
                payload, place = item
                began_s = time.perf_counter()
                if isinstance(payload, av.VideoFrame):
                    writer.write_picture(payload, place)
                else:
                    writer.write_samples(place, payload)
                self.written += 1
                self._measure(time.perf_counter() - began_s, writer.disk_s)

    def _measure(self, took_s: float, disk_s: float) -> None:
        """Take note of how long a write took, and of how long the drive was waited for in all."""
        self.busy_s = self.busy_s * LATELY + took_s
        self.disk_s = self.disk_s * LATELY + disk_s - self._disk_s
        self._disk_s = disk_s

    def _next(self) -> _Item | None:
        with self._change:
            self._change.notify_all()
            self._change.wait_for(lambda: self._items or self._ending)
            if not self._items:
                return None
            item = self._items.popleft()
            if isinstance(item[0], av.VideoFrame):
                self._pictures -= 1
                if not self._promised and self._pictures < self.base_limit:
                    self.limit = self.base_limit
            return item

    def _fail(self, error: ReelError) -> None:
        with self._change:
            self.error = error
            self._items.clear()
            self._pictures = 0
            self._change.notify_all()
