"""Asking for jobs, calling them off."""

from django.db import transaction

from reel.web.jobs.models import OPEN_STATES, Job, JobState
from reel.web.jobs.tasks import work


def ask_for(kind: str, subject: int) -> Job:
    """Queue a job; the worker is woken once the transaction stands, and looks by itself now and then in any case."""
    job = Job.objects.create(kind=kind, subject=subject)
    transaction.on_commit(work, robust=True)
    return job


def call_off(job: Job) -> None:
    """Ask a job to stop; the worker notices at its next progress."""
    Job.objects.filter(pk=job.pk, state__in=OPEN_STATES).update(state=JobState.CALLED_OFF)
