"""What a drive says of a take's files, asked on a thread of its own: a drive that hangs holds up nothing else."""

import threading
from collections.abc import Callable, Sequence
from typing import Any

from reel.core.errors import ReelError
from reel.core.media import Shelf, megabytes
from reel.recorder.guard import attempt, guarded
from reel.recorder.recording.part_file import PartFile

EVERY_S = 0.1


class DriveWatch:
    """Looks at a shelf's room and at the files of a take ten times a second, until stopped.

    `room_bytes` are left until the reserve is reached, `sizes` are those of the files by their numbers. `trouble` says
    what somebody did to a file, or that there is no room; None while all is well. All may be read from any thread, and
    are as they were when the drive answered last.
    """

    def __init__(self, shelf: Shelf, reserve_bytes: int, files: Callable[[], Sequence[PartFile[Any]]]) -> None:
        self._shelf, self._reserve_bytes, self._files = shelf, reserve_bytes, files
        self.room_bytes = 0
        self.sizes: dict[int, int] = {}
        self.trouble: str | None = None
        self._stop = threading.Event()
        self._thread = guarded("Watching the drive", self._run, lambda error: None)

    @property
    def size_bytes(self) -> int:
        return sum(self.sizes.values())

    def start(self) -> None:
        self._thread.start()

    def stop(self) -> None:
        self._stop.set()

    def look(self) -> None:
        """Look once, on the thread that asks."""
        files = list(self._files())
        self.sizes = {file.number: file.size_bytes() for file in files}
        self.trouble = next((said for file in files if (said := file.trouble())), None) or self._room_trouble()

    def _run(self) -> None:
        while not self._stop.is_set():
            attempt("Watching the drive", self.look)
            self._stop.wait(EVERY_S)

    def _room_trouble(self) -> str | None:
        try:
            free = self._shelf.free_bytes()
        except ReelError as error:
            self.room_bytes = 0
            return f"{error} What was written until then is there."
        self.room_bytes = max(0, free - self._reserve_bytes)
        if self.room_bytes:
            return None
        kept = megabytes(self._reserve_bytes)
        return f"It was cut because only the reserve of {kept} was left on the drive; all until then is kept."
