"""Running jobs: what waits in a lane, one after the other, what people wait for first."""

import logging
import threading
import time

from django.db.models import F, QuerySet
from django.utils import timezone

from reel.core.errors import ReelError
from reel.core.memory import trim_memory
from reel.core.wire import from_plain
from reel.web.jobs.kinds import KINDS, BeginAnewError, Kind, Lane, Progress, WhileRolling, is_rolling, kinds_now
from reel.web.jobs.models import Job, JobState

log = logging.getLogger(__name__)

# How often a job that gives way looks whether it may go on, in seconds; nothing ends that wait earlier.
LOOK_S = 1.0
_pause = threading.Event()
# Progress is stored this often, or after so much of the work; as often a job notices that it was called off.
TELL_S, TELL_PART = 0.5, 0.02

_running = {lane: threading.Lock() for lane in Lane}


class CalledOffError(ReelError):
    """Raised inside a job when somebody has called it off."""


def take_up_left() -> int:
    """Have the jobs that a killed worker left wait again; returns how many. Called when the worker starts.

    One that was left so as often as its kind allows ends the worker, and is set aside.
    """
    left = Job.objects.filter(state=JobState.RUNNING)
    for kind in KINDS.values():
        times = "once" if kind.attempts == 1 else f"{kind.attempts} times"
        said = f"It ended the worker {times} and is not tried again; the worker's log says more."
        left.filter(kind=kind.name, attempts__gte=kind.attempts).update(state=JobState.FAILED, problem=said)
    return left.update(state=JobState.WAITING, done_part=0)


def run_waiting(*lanes: Lane) -> None:
    """Run what waits in some lanes, all of them by default; one that is worked on already is left to who does."""
    for lane in lanes or Lane:
        while _waiting(lane).exists() and _running[lane].acquire(blocking=False):
            try:  # what comes while the last one ends is seen by the loop around
                while (job := _waiting(lane).first()) is not None:
                    run_job(job)
                    trim_memory()  # a bench has had hundreds of pictures in memory
            finally:
                _running[lane].release()


def _waiting(lane: Lane) -> QuerySet[Job]:
    return Job.objects.filter(state=JobState.WAITING, kind__in=kinds_now(), lane=lane).order_by("-priority", "id")


def run_here(kind: str, subject: int) -> Job:
    """Run a subject's newest job of a kind on this thread, where no worker may be running; gives it as it ended."""
    mine = {"kind": kind, "subject": subject}
    job = Job.objects.filter(**mine).first() or Job.objects.create(**mine)
    run_job(job)
    job.refresh_from_db()
    return job


def _give_way(job: Job) -> None:
    """Wait while something rolls; raises CalledOffError where the job is called off meanwhile.

    What goes on while something rolls, as the proof of another take, is done meanwhile: it would stand behind the job.
    """
    others = [kind.name for kind in KINDS.values() if kind.while_rolling is WhileRolling.GOES_ON]
    while is_rolling():
        if not Job.objects.filter(pk=job.pk, state=JobState.RUNNING).exists():
            raise CalledOffError("The job was called off.")
        if (other := _waiting(Lane(job.lane)).filter(kind__in=others).first()) is not None:
            run_job(other)
        else:
            _pause.wait(LOOK_S)


def _progress_of(job: Job, kind: Kind) -> Progress:
    """Return what a job's work tells its progress, and by which it hears that it is called off or gives way."""
    told_s, told = time.monotonic(), 0.0

    def progress(part: float) -> None:
        nonlocal told_s, told
        now_s = time.monotonic()
        if now_s - told_s < TELL_S and abs(part - told) < TELL_PART:
            return  # a file's every block is no news
        told_s, told = now_s, part
        if not Job.objects.filter(pk=job.pk, state=JobState.RUNNING).update(done_part=part):
            raise CalledOffError("The job was called off.")
        if kind.pauses:
            _give_way(job)
        if kind.while_rolling is WhileRolling.BEGINS_ANEW and is_rolling():
            raise BeginAnewError("Something rolls.")

    return progress


def run_job(job: Job) -> None:
    """Run a job's work on this thread and store how it ended, or that it waits again."""
    begun = {"state": JobState.RUNNING, "attempts": F("attempts") + 1, "began_at": timezone.now()}
    if not Job.objects.filter(pk=job.pk, state=JobState.WAITING).update(**begun):
        return
    kind = KINDS[job.kind]
    try:
        kind.work(from_plain({"subject": job.subject, **job.params}, kind.params), _progress_of(job, kind))
    except CalledOffError:
        return
    except BeginAnewError:
        again = {"state": JobState.WAITING, "attempts": F("attempts") - 1, "done_part": 0}
        Job.objects.filter(pk=job.pk, state=JobState.RUNNING).update(**again)
        _pause.wait(LOOK_S)
    except ReelError as error:
        Job.objects.filter(pk=job.pk).update(state=JobState.FAILED, problem=str(error))
    except Exception as error:
        log.exception("job %s failed", job)
        problem = f"It failed ({error or type(error).__name__}); the worker's log says more."
        Job.objects.filter(pk=job.pk).update(state=JobState.FAILED, problem=problem)
    else:
        Job.objects.filter(pk=job.pk).update(state=JobState.DONE, done_part=1)
