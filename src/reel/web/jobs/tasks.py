"""What the worker runs."""

from huey.contrib.djhuey import db_task, on_startup

from reel.web.jobs.actions import run_job, take_up_left
from reel.web.jobs.models import Job
from reel.web.takes.proving import prove_take

WORK = {"prove": prove_take}


@db_task()
def run(job_id: int) -> None:
    """Run one job; one that is gone was deleted with its take."""
    job = Job.objects.select_related("take").filter(pk=job_id).first()
    if job is not None:
        run_job(job, WORK[job.kind])


@on_startup()
def take_up() -> None:
    """Take up what a killed worker left."""
    take_up_left()
