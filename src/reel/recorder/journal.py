"""What the recorder tells whoever keeps the takes."""

from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Protocol

from reel.core.errors import ReelError
from reel.core.file import FilePlan
from reel.core.line import RigSetup
from reel.core.measure import Counts
from reel.recorder.roll import MarkedMoment


class JournalError(ReelError, OSError):
    """Raised when something can't be stored just now; `reason` says why."""

    def __init__(self, reason: str) -> None:
        self.reason = reason
        super().__init__(f"It could not be stored ({reason}).")


@dataclass(frozen=True, slots=True, kw_only=True)
class Rolled:
    """A roll has started: the file is written at `rolling`, and is to hold what `plan` says.

    `on_device` is the kind of device on whose own storage it is written, "" when it is on the shelf.
    """

    rig_id: int
    rig_name: str
    setup: RigSetup
    plan: FilePlan
    name: str
    rolling: Path
    started_at: datetime
    on_device: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Closed:
    """A take is complete at `path`; `problem` says why it ended by itself, None when it was cut.

    `on_device` is the kind of device on whose own storage it lies, "" when it is on the shelf.
    """

    path: Path
    counts: Counts
    problem: str | None = None
    on_device: str = ""


class Journal(Protocol):
    """Stores what happened. Its methods may be called from several threads, may take their time, and may fail."""

    def rolled(self, rolled: Rolled) -> int:
        """Store a take that has begun; gives its id."""

    def marked(self, take_id: int, mark: MarkedMoment) -> None:
        """Store a mark."""

    def closed(self, take_id: int, closed: Closed) -> None:
        """Store how a take ended."""
