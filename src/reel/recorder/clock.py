"""Clocks: the real one, and a virtual one that lets the same code run as fast as it can."""

import datetime
import threading
import time
from collections.abc import Callable
from typing import Protocol

from reel.core.signal import NS


class Clock(Protocol):
    """Monotonic nanoseconds for what happens, wall time for names."""

    def now_ns(self) -> int:
        """Nanoseconds since some fixed instant; never goes back."""

    def wall(self) -> datetime.datetime:
        """The time of day, with its zone."""

    def wait(self, until_ns: int, wake: threading.Event) -> None:
        """Return at `until_ns`, or sooner when `wake` is set; clears `wake`."""

    def settle_with(self, settle: Callable[[], None]) -> Callable[[], None]:
        """Have `settle` finish outstanding work before a virtual clock moves on; returns a way to end that."""


class RealClock:
    """The machine's monotonic clock."""

    def now_ns(self) -> int:
        """Give CLOCK_MONOTONIC in nanoseconds."""
        return time.monotonic_ns()

    def wall(self) -> datetime.datetime:
        return datetime.datetime.now().astimezone()

    def wait(self, until_ns: int, wake: threading.Event) -> None:
        """Sleep until then or until woken."""
        if wake.wait(max(0, until_ns - time.monotonic_ns()) / NS):
            wake.clear()

    def settle_with(self, settle: Callable[[], None]) -> Callable[[], None]:
        return lambda: None


class VirtualClock:
    """Starts at 0 and jumps to whatever is waited for, once all work handed to other threads is done.

    Time stands still while work is done, so that nothing is ever late: two runs give the same.
    """

    def __init__(self, wall: datetime.datetime | None = None) -> None:
        self._now_ns = 0
        self._wall = wall or datetime.datetime(2026, 5, 2, 10, 0, tzinfo=datetime.UTC)
        self._settlers: list[Callable[[], None]] = []

    def now_ns(self) -> int:
        """Nanoseconds that were waited for so far."""
        return self._now_ns

    def wall(self) -> datetime.datetime:
        """The wall time that was given, moved on by what was waited for."""
        return self._wall + datetime.timedelta(microseconds=self._now_ns // 1000)

    def wait(self, until_ns: int, wake: threading.Event) -> None:
        """Let outstanding work finish, then be there."""
        wake.clear()
        for settle in list(self._settlers):
            settle()
        self._now_ns = max(self._now_ns, until_ns)

    def settle_with(self, settle: Callable[[], None]) -> Callable[[], None]:
        """Call `settle` before each jump until the returned function is called."""
        self._settlers.append(settle)
        return lambda: self._settlers.remove(settle)
