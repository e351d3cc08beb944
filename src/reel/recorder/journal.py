"""What the recorder tells whoever keeps the takes."""

from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Protocol

from reel.core.errors import ReelError
from reel.core.file import FilePlan
from reel.core.line import RigSetup
from reel.core.measure import Counts
from reel.core.roll import CutBy, MarkedMoment


class JournalError(ReelError, OSError):
    """Raised when something can't be stored; `reason` says why, `lasts` that trying again changes nothing."""

    def __init__(self, reason: str, *, lasts: bool = False) -> None:
        self.reason, self.lasts = reason, lasts
        super().__init__(f"It could not be stored ({reason}).")


@dataclass(frozen=True, slots=True, kw_only=True)
class Rolled:
    """A roll has started: the file is written at `rolling`, and is to hold what `plan` says.

    `on_device` is the kind of device on whose own storage it is written, "" when it is on the shelf; `folder` is
    another shelf than the home's, and `shelf_key` what the shelf is known by. `follows` is the id of the take that it
    goes on from, None for none.
    """

    rig_id: int
    rig_name: str
    setup: RigSetup
    plan: FilePlan
    name: str
    rolling: Path
    started_at: datetime
    on_device: str = ""
    is_trial: bool = False
    folder: str = ""
    shelf_key: str = ""
    follows: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class BegunPart:
    """A take goes on in another part: the file is written at `rolling`, from the take's `first_tick` on."""

    number: int
    first_tick: int
    rolling: Path


@dataclass(frozen=True, slots=True, kw_only=True)
class ClosedPart:
    """A part of a take lies at `path`. It begins with the take's `first_tick`, `counts` are by its own ticks."""

    path: Path
    first_tick: int
    counts: Counts


@dataclass(frozen=True, slots=True, kw_only=True)
class Closed:
    """A take is complete, its first part at `path`; `problem` says why it ended by itself, None when it was cut.

    `on_device` is the kind of device on whose own storage it lies, "" when it is on the shelf. `parts` are its files
    in their order; there is one only where they are left out. One that was called off before it began has left nothing.
    """

    path: Path
    counts: Counts
    problem: str | None = None
    on_device: str = ""
    ended_by: CutBy = CutBy.PERSON
    parts: tuple[ClosedPart, ...] = ()
    is_called_off: bool = False

    @property
    def files(self) -> tuple[ClosedPart, ...]:
        return self.parts or (ClosedPart(path=self.path, first_tick=0, counts=self.counts),)


class Journal(Protocol):
    """Stores what happened. Its methods may be called from several threads, may take their time, and may fail."""

    def rolled(self, rolled: Rolled) -> int:
        """Store a take that has begun; returns its id."""

    def marked(self, take_id: int, mark: MarkedMoment) -> None:
        """Store a mark."""

    def part_began(self, take_id: int, part: BegunPart) -> None:
        """Store that a take goes on in another part."""

    def closed(self, take_id: int, closed: Closed) -> None:
        """Store how a take ended."""
