"""The shelves: folders on drives where takes may be kept, and how fast each writes."""

from collections.abc import Callable
from pathlib import Path

from django.conf import settings
from django.db import IntegrityError, transaction
from django.utils import timezone

from reel.core.errors import BadValueError, ReelError
from reel.core.media import MediaError, Shelf, write_speed
from reel.recorder.messages import RefusedError
from reel.web.jobs.actions import ask_for
from reel.web.jobs.models import OPEN_STATES, Job
from reel.web.machine.models import ShelfPlace
from reel.web.ui.typed import clean_name

# The kind of job that measures how fast a shelf's drive writes.
DRIVE = "drive"
HOME_NAME = "The home's shelf"


def home_place() -> ShelfPlace:
    """Give the home's own shelf, which is always there."""
    folder = str(settings.HOME.shelf)
    found = ShelfPlace.objects.filter(name=HOME_NAME).first()
    if found is None:
        return ShelfPlace.objects.create(name=HOME_NAME, folder=folder)
    if found.folder != folder:  # REEL_SHELF says another one: what was measured is not of that
        found.folder, found.write_bps, found.measured_at = folder, None, None
        found.save()
    return found


def places() -> list[ShelfPlace]:
    """Give all shelves, the home's first."""
    first = home_place()
    return [first, *ShelfPlace.objects.exclude(pk=first.pk)]


def add(name: str, folder: str) -> ShelfPlace:
    """Add a folder that is there, and have its drive measured; raises BadValueError, RefusedError."""
    clean = clean_name("Name", name, 60)
    if "\x00" in folder or not (path := Path(folder.strip()).expanduser()).is_absolute():
        raise BadValueError("Folder", folder[:80], "it is a whole path, like /media/drive/takes")
    if not path.is_dir():
        raise BadValueError("Folder", folder[:80], "there is no such folder; make it first")
    try:
        Shelf(path).check(0)
    except MediaError as error:
        raise BadValueError("Folder", folder[:80], str(error)) from error
    home_place()
    try:
        with transaction.atomic():
            made = ShelfPlace.objects.create(name=clean, folder=str(path.resolve()))
    except IntegrityError:
        raise RefusedError(f"There is a shelf of that name or in that folder already: {clean}, {path}.") from None
    measure(made)
    return made


def remove(place: ShelfPlace) -> None:
    """Take a shelf off the list; nothing in its folder is touched, and its takes stay where they are."""
    if place.name == HOME_NAME:
        raise RefusedError("The home's shelf stays: takes of rigs without another one are written to it.")
    place.delete()


def measure(place: ShelfPlace) -> None:
    """Have a drive measured, unless that is asked for already."""
    if not Job.objects.filter(kind=DRIVE, subject=place.pk, state__in=OPEN_STATES).exists():
        ask_for(DRIVE, place.pk)


def measure_drive(place_id: int, progress: Callable[[float], None]) -> None:
    """Do a job of the kind DRIVE; a shelf that was taken off the list needs none."""
    place = ShelfPlace.objects.filter(pk=place_id).first()
    if place is not None:
        speed = write_speed(Path(place.folder), progress)
        ShelfPlace.objects.filter(pk=place.pk).update(write_bps=speed, measured_at=timezone.now())


def free_bytes(place: ShelfPlace) -> int | None:
    """Give the room that is left; None where the folder can't be reached."""
    try:
        return Shelf(Path(place.folder)).free_bytes()
    except ReelError:
        return None
