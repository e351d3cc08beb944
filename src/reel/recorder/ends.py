"""How takes ended, stored: what can't be stored now is kept, said, and tried again."""

import threading

from reel.core.errors import ReelError
from reel.recorder.guard import attempt, guarded
from reel.recorder.journal import Closed, Journal

AGAIN_S = 2.0


class Ends:
    """Hands the ends of takes to the journal. A full drive or a locked database delays them and loses none.

    What is still unstored when the process ends is found by the next start, since the file has its name by then.
    """

    def __init__(self, journal: Journal) -> None:
        self._journal = journal
        self._lock = threading.Lock()
        self._waiting: dict[int, Closed] = {}
        self._thread: threading.Thread | None = None
        self._stop = threading.Event()
        self.problem: str | None = None

    def store(self, take_id: int, closed: Closed) -> None:
        """Store an end; returns once that was tried."""
        error = self._try(take_id, closed)
        if error is None:
            return
        with self._lock:
            self._waiting[take_id] = closed
            self.problem = f"{closed.path.name} is closed. {error} That is tried again by itself."
            if self._thread is None:
                self._thread = guarded("Storing the ends of takes", self._again, self._failed)
                self._thread.start()

    def stop(self) -> None:
        """Try no longer."""
        self._stop.set()

    def _again(self) -> None:
        while not self._stop.wait(AGAIN_S):
            for take_id, closed in list(self._waiting.items()):
                if self._try(take_id, closed) is None:
                    del self._waiting[take_id]
            with self._lock:
                if not self._waiting:
                    self.problem, self._thread = None, None
                    return

    def _failed(self, error: ReelError) -> None:
        """Say that nothing tries again now; the next end that can't be stored begins anew, with those that wait."""
        with self._lock:
            self.problem, self._thread = str(error), None

    def _try(self, take_id: int, closed: Closed) -> ReelError | None:
        return attempt("Storing the end of a take", lambda: self._journal.closed(take_id, closed))
