"""Running jobs: what waits, one after the other, by the kinds that the rooms above have registered."""

import logging
from collections.abc import Callable

from django.db.models import F

from reel.core.errors import ReelError
from reel.core.memory import trim_memory
from reel.web.jobs.models import Job, JobState

MAX_ATTEMPTS = 3
log = logging.getLogger(__name__)

Progress = Callable[[float], None]
Work = Callable[[int, Progress], None]
# What does the work of a kind, given the number of its subject.
KINDS: dict[str, Work] = {}


class CalledOffError(ReelError):
    """Raised inside a job when somebody has called it off."""


def take_up_left() -> int:
    """Have the jobs that a killed worker left wait again; returns how many. Called when the worker starts.

    One that was left so MAX_ATTEMPTS times ends the worker, and is set aside.
    """
    left = Job.objects.filter(state=JobState.RUNNING)
    said = f"It ended the worker {MAX_ATTEMPTS} times and is not tried again; the worker's log says more."
    left.filter(attempts__gte=MAX_ATTEMPTS).update(state=JobState.FAILED, problem=said)
    return left.update(state=JobState.WAITING, done_part=0)


def run_waiting() -> None:
    """Run what waits, one after the other, the oldest first."""
    waiting = Job.objects.filter(state=JobState.WAITING, kind__in=KINDS).order_by("id")
    while (job := waiting.first()) is not None:
        run_job(job)
        trim_memory()  # a bench has had hundreds of pictures in memory


def run_here(kind: str, subject: int) -> Job:
    """Run a subject's newest job of a kind on this thread, where no worker may be running; gives it as it ended."""
    mine = {"kind": kind, "subject": subject}
    job = Job.objects.filter(**mine).first() or Job.objects.create(**mine)
    run_job(job)
    job.refresh_from_db()
    return job


def run_job(job: Job) -> None:
    """Run a job's work on this thread and store how it ended."""
    begun = {"state": JobState.RUNNING, "attempts": F("attempts") + 1}
    if not Job.objects.filter(pk=job.pk, state=JobState.WAITING).update(**begun):
        return
    assert job.subject is not None

    def progress(part: float) -> None:
        if not Job.objects.filter(pk=job.pk, state=JobState.RUNNING).update(done_part=part):
            raise CalledOffError("The job was called off.")

    try:
        KINDS[job.kind](job.subject, progress)
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
