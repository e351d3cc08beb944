"""Kinds of jobs, each registered where its work is written."""

from collections.abc import Callable
from dataclasses import dataclass
from enum import Enum, StrEnum, auto
from typing import Any, TypeVar

from reel import options
from reel.core.errors import ReelError

Progress = Callable[[float], None]
# Does a job of a kind, by its parameters; raises a ReelError with the reason where it can't be done.
Work = Callable[[Any, Progress], object]
W = TypeVar("W", bound=Work)


class Lane(StrEnum):
    """Where a job waits: what takes seconds never stands behind what takes minutes."""

    QUICK = "quick"
    LONG = "long"


class WhileRolling(Enum):
    """What becomes of a job's work while something rolls."""

    GOES_ON = auto()
    # it goes on after the roll, unless the settings say that finishes go on meanwhile
    PAUSES = auto()
    # it would take from a roll what that needs: it neither begins nor goes on meanwhile
    BEGINS_LATER = auto()
    # the same of what measures, and is begun anew afterwards
    BEGINS_ANEW = auto()


class BeginAnewError(ReelError):
    """Raised inside a job whose work can't be done just now, and is to begin anew a moment later."""


@dataclass(frozen=True, slots=True, kw_only=True)
class Subject:
    """The parameters of a job that is about one thing of the database: its number. Other kinds' have it too."""

    subject: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Kind:
    """A kind of job: what people call it, its checked parameters, where it waits. A higher `priority` goes first.

    One that has ended its worker `attempts` times is set aside.
    """

    name: str
    label: str
    work: Work
    params: type[Any] = Subject
    lane: Lane = Lane.QUICK
    priority: int = 0
    attempts: int = 3
    while_rolling: WhileRolling = WhileRolling.GOES_ON

    @property
    def may_begin_while_rolling(self) -> bool:
        return self.while_rolling in (WhileRolling.GOES_ON, WhileRolling.PAUSES)

    @property
    def pauses(self) -> bool:
        """Whether it waits in the middle of its work while something rolls."""
        if self.while_rolling is WhileRolling.PAUSES:
            return options.finishes_pause()
        return self.while_rolling is WhileRolling.BEGINS_LATER


KINDS: dict[str, Kind] = {}


# What knows whether something rolls; the room of takes says so once it is there.
_rolls: list[Callable[[], bool]] = []


def job_kind(name: str, **facts: Any) -> Callable[[W], W]:
    """Register the function that does the work of a kind; `facts` are a Kind's other fields."""

    def register(work: W) -> W:
        KINDS[name] = Kind(name=name, work=work, **facts)
        return work

    return register


def tells_of_rolls(ask: Callable[[], bool]) -> Callable[[], bool]:
    """Register what says whether something rolls."""
    _rolls.append(ask)
    return ask


def kinds_now() -> list[str]:
    """Return the kinds that may begin just now."""
    rolls = is_rolling()
    return [kind.name for kind in KINDS.values() if not rolls or kind.may_begin_while_rolling]


def is_rolling() -> bool:
    """Return whether something rolls."""
    return any(ask() for ask in _rolls)
