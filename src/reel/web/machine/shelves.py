"""The shelves: folders on drives where takes may be kept, and how fast each writes."""

from pathlib import Path

from django.conf import settings
from django.db import IntegrityError, transaction
from django.utils import timezone

from reel.core.errors import BadValueError, ReelError
from reel.core.media import MediaError, Shelf, write_speed
from reel.recorder.messages import RefusedError
from reel.web.jobs.actions import ask_once
from reel.web.jobs.kinds import Progress, Subject, WhileRolling, job_kind
from reel.web.machine.models import ShelfPlace
from reel.web.ui.typed import clean_name, free_name

# The kind of job that measures how fast a shelf's drive writes.
DRIVE = "drive"
HOME_NAME = "The home's shelf"
MAX_FOLDER = 400
# Folders of the system that look like others, and keep nothing.
SYSTEM = (Path("/dev"), Path("/proc"), Path("/sys"))


def home_place() -> ShelfPlace:
    """Return the home's own shelf, which is always there."""
    folder = str(settings.HOME.shelf)
    found = ShelfPlace.objects.filter(folder=folder).first()
    if found is None:
        name = free_name(HOME_NAME, ShelfPlace.objects.values_list("name", flat=True))
        found = ShelfPlace.objects.get_or_create(folder=folder, defaults={"name": name})[0]
    return found


def shelf_in(folder: str) -> Shelf:
    """Return the shelf in a folder, "" for the home's, with the key that it is known by."""
    where = folder or str(settings.HOME.shelf)
    key = ShelfPlace.objects.filter(folder=where).values_list("key", flat=True).first()
    return Shelf(Path(where), key or "")


def places() -> list[ShelfPlace]:
    """Return all shelves, the home's first."""
    first = home_place()
    return [first, *ShelfPlace.objects.exclude(pk=first.pk)]


def add(name: str, folder: str) -> ShelfPlace:
    """Add a folder that is there, and have its drive measured; raises BadValueError, RefusedError."""
    clean = clean_name("Name", name, 60)
    path = _folder(folder)
    try:
        Shelf(path).check(0)
        key = Shelf(path).mark()
    except MediaError as error:
        raise BadValueError("Folder", folder[:80], str(error)) from error
    home_place()
    try:
        with transaction.atomic():
            made = ShelfPlace.objects.create(name=clean, folder=str(path), key=key)
    except IntegrityError:
        raise RefusedError(f"There is a shelf of that name or in that folder already: {clean}, {path}.") from None
    measure(made)
    return made


def _folder(typed: str) -> Path:
    """Return the folder that somebody typed; raises BadValueError for none, for Reel's own and for the system's."""
    shown, path = typed[:80], Path(typed.strip())
    if "\x00" in typed or len(typed) > MAX_FOLDER:
        raise BadValueError("Folder", shown, f"it is a whole path of up to {MAX_FOLDER} characters")
    try:
        path = path.expanduser()
        is_there = path.is_dir()
        resolved = path.resolve()
    except (OSError, RuntimeError) as error:  # a user that is not known, a name too long, a link to itself
        raise BadValueError("Folder", shown, "there is no such folder; make it first") from error
    if not path.is_absolute():
        raise BadValueError("Folder", shown, "it is a whole path, like /media/drive/takes")
    if not is_there:
        raise BadValueError("Folder", shown, "there is no such folder; make it first")
    home = settings.HOME
    own = (home.run, home.feeds, home.cache, home.logs, home.images, home.devices)
    if resolved == home.root.resolve() or any(resolved.is_relative_to(folder.resolve()) for folder in own):
        raise BadValueError("Folder", shown, "Reel keeps things of its own there; take another one")
    if any(resolved.is_relative_to(folder) for folder in SYSTEM):
        raise BadValueError("Folder", shown, "it is the system's, and no files are kept there")
    return resolved


def remove(place: ShelfPlace) -> None:
    """Take a shelf off the list; nothing in its folder is touched, and its takes stay where they are."""
    if place == home_place():
        raise RefusedError("The home's shelf stays: takes of rigs without another one are written to it.")
    names = [rig.name for rig in place.rigs.all()[:3]]
    if names:
        raise RefusedError(f"{', '.join(names)} write to it; choose another shelf for them on Roll first.")
    place.delete()


def measure(place: ShelfPlace) -> None:
    """Have a drive measured, unless that is asked for already."""
    ask_once(DRIVE, Subject(subject=place.pk))


@job_kind(DRIVE, label="Measuring the drive", while_rolling=WhileRolling.BEGINS_ANEW)
def measure_drive(asked: Subject, progress: Progress) -> None:
    """Measure what a shelf's drive writes; a shelf that was taken off the list needs none."""
    place = ShelfPlace.objects.filter(pk=asked.subject).first()
    if place is not None:
        speed = write_speed(Path(place.folder), progress)
        key = Shelf(Path(place.folder)).mark()
        ShelfPlace.objects.filter(pk=place.pk).update(write_bps=speed, measured_at=timezone.now(), key=key)


def free_bytes(place: ShelfPlace) -> int | None:
    """Return the room that is left; None where the folder can't be reached."""
    try:
        return Shelf(Path(place.folder)).free_bytes()
    except ReelError:
        return None
