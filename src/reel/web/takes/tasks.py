"""What the worker does for takes by itself."""

from huey import crontab
from huey.contrib.djhuey import db_periodic_task, on_startup

from reel.web.takes.binning import empty_old
from reel.web.takes.bringing import take_up_broken
from reel.web.takes.pointing import look_for_missing
from reel.web.takes.verifying import verify_due
from reel.web.takes.watching import WatchedFolder, look_into, watcher


@db_periodic_task(crontab(minute="*"))
def go_on_bringing() -> None:
    """Go on with files whose link is back, and look into the folders that are watched."""
    take_up_broken()
    for watched in WatchedFolder.objects.all():
        look_into(watched)
    watcher.follow()


@on_startup()
def begin_watching() -> None:
    """Watch folders from the start on."""
    watcher.follow()


@db_periodic_task(crontab(minute="*/10"))
def look() -> None:
    """Note which takes' files are not where they were."""
    look_for_missing()


@db_periodic_task(crontab(minute="41", hour="*/6"))
def verify() -> None:
    """Have archive copies verified that were not for some months."""
    verify_due()


@db_periodic_task(crontab(minute="17"))
def empty_bin() -> None:
    """Delete what has lain in the bin for its time."""
    empty_old()
