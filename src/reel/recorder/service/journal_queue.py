"""The way to the journal: a take's marks, parts and end in their order, tried again where that can help."""

import threading
import time
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial

from reel.core.errors import ReelError
from reel.core.roll import MarkedMoment
from reel.recorder.guard import attempt, guarded
from reel.recorder.journal import BegunPart, Closed, Journal, JournalError

# What a locked database or a full drive refuses is tried again this often, for so long; then it is set aside.
AGAIN_S, LIMIT_S = 2.0, 600.0
# So long the end of a take waits to be stored before its rig may roll again.
FIRST_TRY_S = 30.0
STOP_S = 1.0


@dataclass(slots=True, eq=False)
class _Item:
    """Something to store, `what` for people. `tried` is set after the first try, `problem` says why it failed."""

    what: str
    store: Callable[[], None]
    limit_s: float = field(default_factory=lambda: time.monotonic() + LIMIT_S)
    tried: threading.Event = field(default_factory=threading.Event)
    problem: str = ""


class JournalQueue:
    """Stores what happens on a thread of its own, so that nothing that records waits for the database.

    What is stored of one take keeps its order; what can't be stored now holds up no other take. What can never be is
    set aside, which `problem` says until something is stored again; the next start finds such a take by its files.
    May be used from any thread.
    """

    def __init__(self, journal: Journal) -> None:
        self._journal = journal
        self._waiting: dict[int, deque[_Item]] = {}
        self._change = threading.Condition()
        self._thread: threading.Thread | None = None
        self._stopping = False
        self._set_aside: str | None = None

    @property
    def problem(self) -> str | None:
        """What is not stored, and why; None while all is."""
        with self._change:
            stuck = [queue[0].problem for queue in self._waiting.values() if queue[0].problem]
        return stuck[0] if stuck else self._set_aside

    def marked(self, take_id: int, mark: MarkedMoment) -> None:
        self._add(take_id, "A mark", partial(self._journal.marked, take_id, mark))

    def part_began(self, take_id: int, part: BegunPart) -> None:
        """Store that a take goes on in another part."""
        self._add(take_id, f"The beginning of part {part.number}", partial(self._journal.part_began, take_id, part))

    def closed(self, take_id: int, closed: Closed) -> None:
        """Store how a take ended; returns once that was tried."""
        what = f"{closed.path.name} is closed; its end"
        self._add(take_id, what, partial(self._journal.closed, take_id, closed)).tried.wait(FIRST_TRY_S)

    def stop(self) -> None:
        """Try no longer what fails; what is being stored just now is waited for a moment."""
        with self._change:
            self._stopping = True
            self._change.notify_all()
        if (thread := self._thread) is not None:
            thread.join(STOP_S)

    def _add(self, take_id: int, what: str, store: Callable[[], None]) -> _Item:
        item = _Item(what, store)
        with self._change:
            self._waiting.setdefault(take_id, deque()).append(item)
            self._change.notify_all()
            if self._thread is None:
                self._thread = guarded("Storing what happened", self._work, self._failed)
                self._thread.start()
        return item

    def _work(self) -> None:
        while heads := self._heads():
            stored = [self._try(take_id, item) for take_id, item in heads]
            if any(stored):
                continue
            with self._change:
                if self._stopping:
                    self._thread = None
                    return
                if all(queue[0].tried.is_set() for queue in self._waiting.values()):
                    self._change.wait(AGAIN_S)  # what came while the others failed is not held up by them

    def _heads(self) -> list[tuple[int, _Item]]:
        """Return what is next of each take; the thread ends where there is nothing."""
        with self._change:
            if not self._waiting:
                self._thread = None
            return [(take_id, queue[0]) for take_id, queue in self._waiting.items()]

    def _try(self, take_id: int, item: _Item) -> bool:
        """Store something; says whether what follows on it may be stored next."""
        error = attempt("Storing what happened", item.store)
        with self._change:
            item.tried.set()
            if isinstance(error, JournalError) and not error.lasts and time.monotonic() < item.limit_s:
                item.problem = f"{item.what} is not stored yet. {error} That is tried again by itself."
                return False
            self._set_aside = f"{item.what} is not kept. {error}" if error is not None else None
            self._waiting[take_id].popleft()
            if not self._waiting[take_id]:
                del self._waiting[take_id]
        return True

    def _failed(self, error: ReelError) -> None:
        """Say that nothing is stored now; the next that is to be begins anew, with what waits."""
        with self._change:
            self._thread, self._set_aside = None, str(error)
            for queue in self._waiting.values():
                queue[0].problem = ""
                queue[0].tried.set()
