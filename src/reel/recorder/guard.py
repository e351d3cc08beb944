"""The one guard of all threads: an error that nobody foresaw is logged, ends what depends on it, and is said."""

import logging
import threading
import time
from collections.abc import Callable
from typing import TypeVar

from reel.core.errors import ReelError
from reel.core.wire import from_json, to_json

T = TypeVar("T")
log = logging.getLogger(__name__)
# An error that comes back again and again is logged once in this time.
QUIET_S = 10.0
_logged_s: dict[str, float] = {}


class FailedError(ReelError, RuntimeError):
    """Raised in place of an error that nobody foresaw. `what` is what failed, `error` what was raised."""

    def __init__(self, what: str, error: BaseException) -> None:
        self.what, self.error = what, error
        super().__init__(f"{what} failed ({error or type(error).__name__}); the recorder's log says more.")


def said(what: str, error: Exception) -> ReelError:
    """Return an error as one that people can read; one that nobody foresaw is logged with its traceback."""
    if isinstance(error, ReelError):
        return error
    _log(what, error)
    return FailedError(what, error)


def _log(what: str, error: Exception) -> None:
    now_s = time.monotonic()
    if now_s - _logged_s.get(what, -QUIET_S) >= QUIET_S:
        _logged_s[what] = now_s
        log.error("%s failed", what, exc_info=error)


def guarded(what: str, work: Callable[[], None], failed: Callable[[ReelError], None]) -> threading.Thread:
    """Return a thread, not yet started, that runs `work` and calls `failed` with whatever ended it by an error.

    It does not keep the process alive: whoever ends waits for it as long as it may take.
    """

    def run() -> None:
        try:
            work()
        except Exception as error:
            found = said(what, error)
            attempt(f"Ending after {what.lower()} failed", lambda: failed(found))

    return threading.Thread(target=run, name=what, daemon=True)


def attempt(what: str, work: Callable[[], None]) -> ReelError | None:
    """Do something that may fail without stopping what follows; returns the error."""
    try:
        work()
    except Exception as error:
        return said(what, error)
    return None


def readable(what: str, make: Callable[[], T], kind: type[T]) -> T | None:
    """Return what `make` makes if whoever it is sent to can read it as a `kind`; else None, and the log says why.

    So one rig's odd state, or a figure that JSON can't hold, is left out, and the rest is still told.
    """
    try:
        made = make()
        from_json(to_json(made), kind)
    except Exception as error:
        _log(what, error)
        return None
    return made
