"""What the worker runs, on a thread for each lane."""

import os
import threading

from huey import crontab
from huey.contrib.djhuey import db_periodic_task, db_task, on_startup

from reel.core.memory import keep_loaded
from reel.web.jobs.files import clear_asides
from reel.web.jobs.kinds import Lane
from reel.web.jobs.running import run_waiting, take_up_left

# Proving gives way to recording.
NICENESS = 19

_taking_up = threading.Lock()
_taken_up = threading.Event()


@db_task()
def work(lane: str) -> None:
    """Run the jobs that wait in a lane; a message says only that there may be some."""
    run_waiting(Lane(lane))


@db_periodic_task(crontab(minute="*"))
def work_left() -> None:
    """Have jobs run whose message was lost."""
    for lane in Lane:
        work(lane)


@on_startup()
def take_up() -> None:
    """Take up what a killed worker left, once: every thread of the worker comes here, and begins no job before.

    Where it fails for one thread, the next one tries it.
    """
    with _taking_up:
        if _taken_up.is_set():
            return
        os.nice(NICENESS)
        keep_loaded()
        take_up_left()
        clear_asides()
        _taken_up.set()
    for lane in Lane:
        work(lane)
