"""What the worker does for takes by itself."""

from huey import crontab
from huey.contrib.djhuey import db_periodic_task, on_startup

from reel.web.takes.binning import empty_old
from reel.web.takes.bringing import take_up_broken
from reel.web.takes.making import clear_left


@on_startup()
def clear() -> None:
    """Take away what jobs left that were killed and are not tried again."""
    clear_left()


@db_periodic_task(crontab(minute="*"))
def go_on_bringing() -> None:
    """Go on with files whose link is back."""
    take_up_broken()


@db_periodic_task(crontab(minute="17"))
def empty_bin() -> None:
    """Delete what has lain in the bin for its time."""
    empty_old()
