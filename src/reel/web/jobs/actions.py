"""Asking for jobs, running them, calling them off."""

import logging
from collections.abc import Callable, Mapping

from django.db import transaction

from reel.core.errors import ReelError
from reel.web.jobs.models import OPEN_STATES, Job, JobState
from reel.web.takes.models import Take

log = logging.getLogger(__name__)

Progress = Callable[[float], None]
Work = Callable[[Take, Progress], None]


class CalledOffError(ReelError):
    """Raised inside a job when somebody has called it off."""


def ask_for(kind: str, take: Take) -> Job:
    """Queue a job; the worker is woken once the transaction stands, and looks by itself now and then in any case."""
    from reel.web.jobs.tasks import work

    job = Job.objects.create(kind=kind, take=take)
    transaction.on_commit(work, robust=True)
    return job


def take_up_left() -> int:
    """Have the jobs that a killed worker left wait again; gives how many. Called when the worker starts."""
    return Job.objects.filter(state=JobState.RUNNING).update(state=JobState.WAITING, done_part=0)


def run_waiting(kinds: Mapping[str, Work]) -> None:
    """Run what waits, one after the other, the oldest first."""
    waiting = Job.objects.select_related("take").filter(state=JobState.WAITING, kind__in=kinds).order_by("id")
    while (job := waiting.first()) is not None:
        run_job(job, kinds[job.kind])


def run_here(take: Take, kind: str, work: Work) -> Job:
    """Run the take's newest open job of a kind on this thread, where no worker may be running; gives it as it ended."""
    job = take.jobs.filter(kind=kind).first() or Job.objects.create(kind=kind, take=take)
    run_job(job, work)
    job.refresh_from_db()
    return job


def call_off(job: Job) -> None:
    """Ask a job to stop; the worker notices at its next progress."""
    Job.objects.filter(pk=job.pk, state__in=OPEN_STATES).update(state=JobState.CALLED_OFF)


def run_job(job: Job, work: Work) -> None:
    """Run a job's work on this thread and store how it ended."""
    if not Job.objects.filter(pk=job.pk, state=JobState.WAITING).update(state=JobState.RUNNING):
        return
    assert job.take is not None

    def progress(part: float) -> None:
        if not Job.objects.filter(pk=job.pk, state=JobState.RUNNING).update(done_part=part):
            raise CalledOffError("The job was called off.")

    try:
        work(job.take, progress)
    except CalledOffError:
        return
    except ReelError as error:
        Job.objects.filter(pk=job.pk).update(state=JobState.FAILED, problem=str(error))
    except Exception as error:
        log.exception("job %s failed", job)
        problem = f"It failed ({error or type(error).__name__}); the worker's log says more."
        Job.objects.filter(pk=job.pk).update(state=JobState.FAILED, problem=problem)
    else:
        Job.objects.filter(pk=job.pk).update(state=JobState.DONE, done_part=1)
