"""What the worker does for takes by itself."""

from huey import crontab
from huey.contrib.djhuey import db_periodic_task

from reel.web.takes.binning import empty_old
from reel.web.takes.bringing import take_up_broken
from reel.web.takes.pointing import look_for_missing


@db_periodic_task(crontab(minute="*"))
def go_on_bringing() -> None:
    """Go on with files whose link is back."""
    take_up_broken()


@db_periodic_task(crontab(minute="*/10"))
def look() -> None:
    """Note which takes' files are not where they were."""
    look_for_missing()


@db_periodic_task(crontab(minute="17"))
def empty_bin() -> None:
    """Delete what has lain in the bin for its time."""
    empty_old()
