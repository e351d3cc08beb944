"""The file of one part of a take: its name set aside, written, watched, and given its name."""

import os
import threading
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from types import TracebackType
from typing import Generic, TypeVar

from reel.core.errors import ReelError
from reel.core.file import FilePlan
from reel.core.media import PartWriter, Reserved, SentFacts, SentWriter, Shelf, sidecar_folder
from reel.recorder.guard import attempt
from reel.recorder.journal import BegunPart

W = TypeVar("W", PartWriter, SentWriter)


class PartFile(Generic[W]):
    """A part's file, which an encoder queue writes by `with`.

    The first part's is opened at once, another's on its queue's thread.

    `first_tick` is the tick of the take with which it begins. `path` is where it lies, once it `is_there`; `opened` is
    called then. `make` opens what writes it.
    """

    def __init__(
        self,
        shelf: Shelf,
        take: Reserved,
        plan: FilePlan,
        make: Callable[[Path, FilePlan], W],
        *,
        number: int = 1,
        first_tick: int = 0,
        opened: Callable[["PartFile[W]"], None] = lambda file: None,
    ) -> None:
        self.number, self.first_tick = number, first_tick
        self._shelf, self._take, self._plan = shelf, take, plan
        self._opened: Callable[[PartFile[W]], None] = opened
        self._make: Callable[[Path, FilePlan], W] = make
        self._reserved: Reserved | None = take if number == 1 else None
        self._writer: W | None = None
        self._handle = -1
        self.path = take.rolling
        self.is_there = self._is_naming = False
        self.closed = threading.Event()

    @property
    def begun(self) -> BegunPart:
        """What is stored of it once it is open."""
        return BegunPart(number=self.number, first_tick=self.first_tick, rolling=self.path)

    @property
    def facts(self) -> SentFacts | None:
        """What was written into it; None before it was opened."""
        return self._writer.facts if self._writer is not None else None

    def open(self) -> None:
        """Set its name aside and open it; raises MediaError."""
        self._reserved = self._reserved or self._shelf.reserve_part(self._take, self.number)
        self.path = self._reserved.rolling
        self._writer = self._make(self.path, self._plan)
        self._handle = os.open(self.path, os.O_RDONLY | os.O_CLOEXEC)
        self.is_there = True
        self._opened(self)

    def discard(self) -> None:
        """Close it and leave nothing of it: no take begins."""
        self.let_go()
        if self._writer is not None:
            attempt("Closing the file", self._writer.close)
        if self._reserved is not None:
            self._shelf.discard(self._reserved)

    def __enter__(self) -> W:
        if self._writer is None:
            try:
                self.open()
            except BaseException:
                self.discard()
                raise
        assert self._writer is not None
        return self._writer

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        if self._writer is not None:
            self._writer.close()

    def complete(self) -> ReelError | None:
        """Give the closed file its name; where that can't be, find where it lies, and give the reason."""
        if self._reserved is None or not self.is_there:
            return None  # it could not be opened, which is the queue's error
        self._is_naming = True  # until its path is the new one, it seems to have been moved
        try:
            self.path = self._shelf.complete(self._reserved)
        except ReelError as naming:
            self.path = self._place() or self.path
            return naming
        finally:
            attempt("Letting the file go", self.let_go)
        return None

    def let_go(self) -> None:
        if self._handle >= 0:
            handle, self._handle = self._handle, -1
            os.close(handle)

    def size_bytes(self) -> int:
        """Return its bytes, with those of what lies beside it; 0 before it is there."""
        found = 0
        if not self.is_there:
            return found
        with suppress(OSError):
            found = self.path.stat().st_size
            found += sum(file.stat().st_size for file in sidecar_folder(self.path).glob("*"))
        return found

    def trouble(self) -> str | None:
        """Say what somebody did to it while it is written; None when all is well."""
        if self._handle < 0 or self._is_naming:
            return None
        try:
            if os.path.samestat(self.path.stat(), os.fstat(self._handle)):
                return None
        except OSError:
            pass
        if self._is_naming:  # it got its name just now
            return None
        try:
            links = os.fstat(self._handle).st_nlink  # as it is now: it may have been deleted just before
        except OSError:  # it was closed just now
            return None
        if not links:
            return "Its file was deleted while it rolled; nothing of it is kept."
        return f"Its file was moved while it rolled; all until then lies at {self._place() or 'its new place'}."

    def _place(self) -> Path | None:
        """Return where the file lies now; None when it was deleted, or that can't be told."""
        if self._handle < 0 or not os.fstat(self._handle).st_nlink:
            return None
        try:
            return Path(f"/proc/self/fd/{self._handle}").readlink()
        except OSError:
            return None
