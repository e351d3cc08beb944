"""Reading ahead: what has come is taken off the driver before what came first is worked on."""

from collections import deque
from typing import NamedTuple

from reel.core.signal import Arrived, DeviceEvent, Input, InputError, Picture, Sent, Signal, SoundFormat

# As much is kept at most; a driver keeps less, and overwrites it. The second bounds the memory that large ones take.
MAX_PICTURES, MAX_PX = 30, 64_000_000


class _Waiting(NamedTuple):
    """What has come, when it was due, and the signal that it is of."""

    due_ns: int
    arrived: Arrived
    signal: Signal | None


class Ahead:
    """An input that is read as far as it has come. Implements Input.

    A computer that is busy for a moment reads late, and loses nothing of what it then finds time for. An error of the
    input is raised once all that came before it has been given.
    """

    def __init__(self, opened: Input) -> None:
        self._opened = opened
        self._waiting: deque[_Waiting] = deque()
        self._pictures = self._px = 0
        self._signal: Signal | None = None
        self._failed: tuple[int, InputError] | None = None

    @property
    def signal(self) -> Signal | None:
        """That of what was given last, while more waits."""
        return self._signal if self._waiting else self._opened.signal

    @property
    def sound(self) -> SoundFormat | None:
        return self._opened.sound

    @property
    def is_connecting(self) -> bool:
        return self._opened.is_connecting

    @property
    def event(self) -> DeviceEvent | None:
        return self._opened.event

    @property
    def sent(self) -> Sent | None:
        return self._opened.sent

    def due_ns(self) -> int | None:
        """When what waits was due, or when the next arrival is."""
        if self._waiting:
            return self._waiting[0].due_ns
        return self._failed[0] if self._failed else self._opened.due_ns()

    def read(self, now_ns: int) -> Arrived | None:
        """Read all that is due, and give what came first; None when nothing has come."""
        self._fetch(now_ns)
        if self._waiting:
            _, arrived, self._signal = self._waiting.popleft()
            if isinstance(arrived, Picture):
                self._count(arrived, -1)
            return arrived
        if self._failed is not None:
            (_, error), self._failed = self._failed, None
            raise error
        return None

    def close(self) -> None:
        """Let the input go, and what waits of it."""
        self._waiting.clear()
        self._opened.close()

    def _fetch(self, now_ns: int) -> None:
        while self._failed is None and self._pictures < MAX_PICTURES and self._px < MAX_PX:
            due_ns = self._opened.due_ns()
            if due_ns is None or due_ns > now_ns:
                return
            try:
                arrived = self._opened.read(now_ns)
            except InputError as error:
                self._failed = due_ns, error
                return
            if arrived is None:
                return
            self._waiting.append(_Waiting(due_ns, arrived, self._opened.signal))
            if isinstance(arrived, Picture):
                self._count(arrived, 1)

    def _count(self, picture: Picture, by: int) -> None:
        self._pictures += by
        self._px += by * picture.frame.width * picture.frame.height
