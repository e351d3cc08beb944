"""Rewrapping takes: the same packets in another container, as takes of their own; the original stays as it is."""

from collections.abc import Iterable
from contextlib import ExitStack
from dataclasses import dataclass
from functools import partial

from django.db import transaction

from reel import options
from reel.core.errors import BadValueError
from reel.core.file import CONTAINERS, Container
from reel.core.finish import TARGETS, Finish, plan
from reel.core.media import MediaError, Reserved
from reel.core.media.finishing import finish_file, source_of
from reel.recorder.messages import RefusedError
from reel.web.jobs.actions import ask_for
from reel.web.jobs.files import aside
from reel.web.jobs.kinds import Lane, Progress, WhileRolling, job_kind
from reel.web.jobs.models import Job
from reel.web.takes.made_of import MadeFile, become_take
from reel.web.takes.models import Part, Take, TakeState
from reel.web.takes.proving import kept_on, path_of

# The kind of job that rewraps a take.
REWRAP = "rewrap"
# The containers that a take is rewrapped to: what a form sends, and the name.
REWRAPS = [(one.value, CONTAINERS[one].name) for one in TARGETS]


@dataclass(frozen=True, slots=True, kw_only=True)
class Rewrap:
    """Which take is rewrapped, as what."""

    subject: int
    finish: Finish


def ask_to_rewrap(ids: Iterable[int], container: str) -> int:
    """Ask for takes to be rewrapped, each on its own; returns how many. Raises BadValueError, RefusedError."""
    if container not in set(Container):
        raise BadValueError("Container", container[:20], f"it is one of {', '.join(Container)}")
    finish = Finish(container=Container(container))
    with transaction.atomic():
        takes = list(Take.objects.kept().with_parts().filter(pk__in=ids))
        for take in takes:
            if take.state == TakeState.ROLLING or take.on_device:
                raise RefusedError(f"{take.name} does not lie on a shelf, and can't be rewrapped.")
            if all(path_of(part).suffix == f".{finish.suffix}" for part in take.all_parts):
                label = CONTAINERS[finish.container].name
                raise BadValueError("Container", label, f"{take.name} is one already; nothing would change")
        for take in takes:
            ask_for(REWRAP, Rewrap(subject=take.pk, finish=finish))
    return len(takes)


def rewraps_of(take: Take) -> list[Job]:
    """Return the jobs that rewrap a take, or could not; the newest first."""
    return [job for job in Job.objects.filter(kind=REWRAP, subject=take.pk)[:6] if job.is_open or job.problem]


@job_kind(REWRAP, label="Rewrapping", params=Rewrap, lane=Lane.LONG, priority=2, while_rolling=WhileRolling.PAUSES)
def rewrap(asked: Rewrap, progress: Progress) -> None:
    """Rewrap a take with all its parts; one that was deleted or binned meanwhile is not made."""
    take = Take.objects.kept().with_parts().filter(pk=asked.subject).first()
    if take is None:
        return
    parts, shelf = take.all_parts, kept_on(take)
    sources = [path_of(part) for part in parts]
    for source in sources:
        if not source.is_file():
            raise MediaError(source, "is gone")
    plans = [plan(asked.finish, source_of(source)) for source in sources]
    shelf.check(options.reserve_bytes() + sum(source.stat().st_size for source in sources))
    with ExitStack() as asides:
        reserved = [asides.enter_context(aside(shelf, f"{one.stem}.{asked.finish.suffix}")) for one in sources]
        for number, (source, one, made) in enumerate(zip(sources, reserved, plans, strict=True)):
            finish_file(source, one.rolling, made, partial(_tell, progress, number, len(sources)))
        become_take([(take, 0)], asked.finish, plans[0], _files(parts, reserved), shelf)


def _files(parts: list[Part], reserved: list[Reserved]) -> list[MadeFile]:
    return [
        MadeFile(reserved=one, first_tick=part.first_tick, counts=part.counts)
        for part, one in zip(parts, reserved, strict=True)
    ]


def _tell(progress: Progress, number: int, files: int, part: float) -> None:
    progress(min(0.99, (number + part) / files))
