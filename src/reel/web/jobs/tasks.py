"""What the worker runs."""

import os

from huey import crontab
from huey.contrib.djhuey import db_periodic_task, db_task, on_startup

from reel.web.jobs.running import run_waiting, take_up_left

# Proving gives way to recording.
NICENESS = 19


@db_task()
def work() -> None:
    """Run the jobs that wait; a message says only that there may be some."""
    run_waiting()


@db_periodic_task(crontab(minute="*"))
def work_left() -> None:
    """Run jobs whose message was lost."""
    run_waiting()


@on_startup()
def take_up() -> None:
    """Take up what a killed worker left."""
    os.nice(NICENESS)
    take_up_left()
    run_waiting()
