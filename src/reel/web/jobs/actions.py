"""Asking for jobs, running them, calling them off."""

from collections.abc import Callable

from django.db import transaction

from reel.core.errors import ReelError
from reel.web.jobs.models import Job, JobState
from reel.web.takes.models import Take

Progress = Callable[[float], None]
Work = Callable[[Take, Progress], None]


class CalledOffError(ReelError):
    """Raised inside a job when somebody has called it off."""


def ask_for(kind: str, take: Take) -> Job:
    """Queue a job; the worker gets it once the transaction stands."""
    from reel.web.jobs.tasks import run

    job = Job.objects.create(kind=kind, take=take)
    transaction.on_commit(lambda: run(job.pk))
    return job


def take_up_left() -> int:
    """Queue the jobs again that a killed worker left running; gives how many. Called when the worker starts."""
    from reel.web.jobs.tasks import run

    left = list(Job.objects.filter(state=JobState.RUNNING))
    for job in left:
        Job.objects.filter(pk=job.pk).update(state=JobState.WAITING, done_part=0)
        run(job.pk)
    return len(left)


def run_here(take: Take, kind: str, work: Work) -> Job:
    """Run the take's newest open job of a kind on this thread, where no worker may be running; gives it as it ended."""
    job = take.jobs.filter(kind=kind).first() or Job.objects.create(kind=kind, take=take)
    run_job(job, work)
    job.refresh_from_db()
    return job


def call_off(job: Job) -> None:
    """Ask a job to stop; the worker notices at its next progress."""
    Job.objects.filter(pk=job.pk, state__in=(JobState.WAITING, JobState.RUNNING)).update(state=JobState.CALLED_OFF)


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
    else:
        Job.objects.filter(pk=job.pk).update(state=JobState.DONE, done_part=1)
