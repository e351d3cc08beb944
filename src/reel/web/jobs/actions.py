"""Asking for jobs, calling them off."""

from functools import partial
from typing import Any

from django.db import transaction

from reel.core.wire import to_plain
from reel.web.jobs.kinds import KINDS, Lane
from reel.web.jobs.models import OPEN_STATES, Job, JobState
from reel.web.jobs.tasks import work


def ask_for(kind: str, params: Any, *, lane: Lane | None = None) -> Job:
    """Queue a job with its kind's parameters, in its kind's lane unless another is given.

    The worker is woken once the transaction stands, and looks by itself now and then in any case.
    """
    known = KINDS[kind]
    job = Job.objects.create(
        kind=kind, subject=params.subject, params=to_plain(params), lane=lane or known.lane, priority=known.priority
    )
    transaction.on_commit(partial(work, job.lane), robust=True)
    return job


def wake() -> None:
    """Have all lanes looked at once the transaction stands: nothing may roll any more for which something waits."""
    for lane in Lane:
        transaction.on_commit(partial(work, lane), robust=True)


def ask_once(kind: str, params: Any) -> Job | None:
    """Queue a job unless one of its kind and subject waits or runs; None then."""
    if Job.objects.filter(kind=kind, subject=params.subject, state__in=OPEN_STATES).exists():
        return None
    return ask_for(kind, params)


def call_off(job: Job) -> None:
    """Ask a job to stop; the worker notices at its next progress."""
    Job.objects.filter(pk=job.pk, state__in=OPEN_STATES).update(state=JobState.CALLED_OFF)
