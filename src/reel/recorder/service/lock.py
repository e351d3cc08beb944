"""One recorder a home: a lock that the system itself takes back when the process is gone."""

import fcntl
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from reel.core.errors import ReelError

LOCK = "recorder.lock"


class AlreadyRunningError(ReelError, RuntimeError):
    """Raised when another recorder works on the home. `folder` is its run folder."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder
        super().__init__(f"Another recorder works on {folder.parent}; a home has one.")


@contextmanager
def only_recorder(run_folder: Path) -> Iterator[None]:
    """Be the home's one recorder; raises AlreadyRunningError. Whatever is done to takes is done under it."""
    with (run_folder / LOCK).open("w") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise AlreadyRunningError(run_folder) from None
        yield
