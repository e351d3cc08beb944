"""Kinds of jobs, each registered where its work is written."""

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from typing import Any, TypeVar

Progress = Callable[[float], None]
# Does a job of a kind, by its parameters; raises a ReelError with the reason where it can't be done.
Work = Callable[[Any, Progress], None]
W = TypeVar("W", bound=Work)


class Lane(StrEnum):
    """Where a job waits: what takes seconds never stands behind what takes minutes."""

    QUICK = "quick"
    LONG = "long"


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


KINDS: dict[str, Kind] = {}


def job_kind(
    name: str, *, label: str, params: type[Any] = Subject, lane: Lane = Lane.QUICK, priority: int = 0, attempts: int = 3
) -> Callable[[W], W]:
    """Register the function that does the work of a kind."""

    def register(work: W) -> W:
        KINDS[name] = Kind(
            name=name, label=label, work=work, params=params, lane=lane, priority=priority, attempts=attempts
        )
        return work

    return register
