"""What is told to the journal in passing: on a thread of its own, in order, and again where it can't be stored now."""

import threading
from collections import deque
from collections.abc import Callable

from reel.core.errors import ReelError
from reel.recorder.guard import attempt, guarded
from reel.recorder.journal import JournalError

AGAIN_S = 2.0
STOP_S = 1.0


class Notes:
    """Does small work for the journal, one after the other; who adds some never waits for the database."""

    def __init__(self) -> None:
        self._waiting: deque[Callable[[], None]] = deque()
        self._lock = threading.Lock()
        self._thread: threading.Thread | None = None
        self._stop = threading.Event()
        self.problem: str | None = None

    def add(self, work: Callable[[], None]) -> None:
        """Have something done, before what is added later.

        While the database is locked or its drive full it is tried again. What fails for another reason is left out,
        which `problem` says until something is stored again: nothing that follows waits for it.
        """
        with self._lock:
            self._waiting.append(work)
            if self._thread is None:
                self._thread = guarded("Noting what happened", self._work, self._failed)
                self._thread.start()

    def stop(self) -> None:
        """Try no longer what fails; what is being stored just now is waited for a moment."""
        self._stop.set()
        if (thread := self._thread) is not None:
            thread.join(STOP_S)

    def _work(self) -> None:
        while True:
            with self._lock:
                if not self._waiting:
                    self._thread = None
                    return
                work = self._waiting[0]
            error = attempt("Noting what happened", work)
            if isinstance(error, JournalError) and not error.lasts and not self._stop.wait(AGAIN_S):
                continue
            self.problem = f"A mark or the beginning of a part is not kept. {error}" if error is not None else None
            self._waiting.popleft()

    def _failed(self, error: ReelError) -> None:
        with self._lock:
            self._thread = None
