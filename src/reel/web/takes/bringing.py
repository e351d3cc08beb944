"""Bringing files over: from the browser, from a folder, off a device; copied, checked on both ends, and made takes."""

import time
from collections.abc import Iterable
from dataclasses import replace
from pathlib import Path

from django.conf import settings
from django.db import transaction

from reel import options
from reel.core.errors import BadValueError, ReelError
from reel.core.file import slug
from reel.core.line import DeviceKind
from reel.core.media import MediaError, Reserved, Shelf, container_suffix
from reel.core.media.shelf import ROLLING
from reel.core.offload import (
    BLOCK_BYTES,
    Folder,
    LinkBrokenError,
    Storage,
    StoredFile,
    copy_file,
    differing_blocks,
    fingerprint,
    mend_block,
)
from reel.standins.storage import DeviceStorage
from reel.web.jobs.actions import ask_for, call_off
from reel.web.jobs.kinds import Lane, Progress, Subject, job_kind
from reel.web.takes.files import BRING, Incoming, IncomingSource, IncomingState
from reel.web.takes.models import MAX_NAME, Part, ProofState, Take, TakeOrigin, TakeState
from reel.web.takes.proving import ask_for_proof, path_of, shelf, shelf_of
from reel.web.takes.summing import sum_up

# What is looked for in a folder; anything else can still be brought in by its own path.
MEDIA_ENDINGS = frozenset(
    (
        ".3gp", ".avi", ".flv", ".m2ts", ".m4v", ".mkv", ".mov", ".mp4", ".mpeg", ".mpg", ".mts", ".mxf", ".ogv", ".ts",
        ".webm", ".wmv",
    )
)  # fmt: skip
# A link that broke is waited for so many seconds, looked at this often; after that it goes on when it is asked to.
PATIENCE_S, LOOK_S = 60.0, 0.5
# A block that differs is copied so often anew.
MENDS = 2


def storage_of(source: str, place: str) -> Storage:
    """Return where files come from; raises BadValueError for a device that is none."""
    if source == IncomingSource.DEVICE:
        kinds = [kind.value for kind in DeviceKind]
        if place not in kinds:
            raise BadValueError("Device", place[:20], f"it is one of {', '.join(kinds)}")
        return DeviceStorage(settings.HOME.devices / place, f"the {DeviceKind(place).label.lower()}", time.sleep)
    return Folder(Path(place))


def ask_for_files(source: IncomingSource, place: str, files: Iterable[StoredFile]) -> list[Incoming]:
    """Ask for files to be brought over; one that is on its way already is not asked for twice."""
    asked = []
    with transaction.atomic():
        for file in files:
            same = Incoming.objects.filter(source=source, place=place, name=file.name, size_bytes=file.size_bytes)
            found = same.exclude(state=IncomingState.FAILED).filter(modified_at=file.modified_at).first()
            if found is None or (found.is_over and found.take is None):  # its take was deleted here
                found = Incoming.objects.create(
                    source=source, place=place, name=file.name, size_bytes=file.size_bytes, modified_at=file.modified_at
                )
            go_on(found)
            asked.append(found)
    return asked


def go_on(found: Incoming) -> None:
    """Have a file brought over, or what is missing of it; nothing for one that is here or on its way."""
    if not found.is_over and not (found.job and found.job.is_open):
        Incoming.objects.filter(pk=found.pk).update(state=IncomingState.WAITING, problem="")
        ask_for(BRING, Subject(subject=found.pk))


def files_of_folder(typed: str) -> tuple[Path, list[StoredFile], int]:
    """Return a folder with the media files in it, or that of one file, and how many others were left out.

    Raises BadValueError, MediaError.
    """
    path = Path(typed.strip()).expanduser()
    if not typed.strip() or "\x00" in typed or len(typed) > 900 or not path.is_absolute():
        raise BadValueError("Folder", typed[:80], "it is the whole path of a folder or a file, from / on")
    if path.is_file():
        files = [one for one in Folder(path.parent).files() if one.name == path.name]
        return path.parent, files, 0
    files = list(Folder(path).files())
    media = [one for one in files if Path(one.name).suffix.lower() in MEDIA_ENDINGS]
    return path, media, len(files) - len(media)


def give_up(found: Incoming) -> None:
    """Forget a file that is not over, with what was copied of it; raises MediaError."""
    job = found.job
    if job is not None and job.is_open:
        call_off(job)
    if found.rolling_name and not found.is_over:
        shelf().discard(_reserved(found, shelf()))
    found.delete()


@job_kind(BRING, label="Bringing over", lane=Lane.LONG, priority=1)
def bring(asked: Subject, progress: Progress) -> None:
    """Bring a file over; one that somebody gave up is not brought."""
    found = Incoming.objects.filter(pk=asked.subject).first()
    if found is None or found.is_over:
        return
    try:
        _bring(found, progress)
    except LinkBrokenError as error:
        _set(found, state=IncomingState.BROKEN, problem=f"{error} It goes on where it stopped.")
        raise
    except ReelError as error:
        if isinstance(error, MediaError | BadValueError):
            shelf().discard(_reserved(found, shelf())) if found.rolling_name else None
            _set(found, state=IncomingState.FAILED, problem=str(error), rolling_name="", copied_bytes=0)
        raise


def _bring(found: Incoming, progress: Progress) -> None:
    storage, here = storage_of(found.source, found.place), shelf()
    is_upload = found.source == IncomingSource.UPLOAD
    if not is_upload:
        known = known_as(storage, found)
        if known is not None:
            _set(found, state=IncomingState.KNOWN, take=known, copied_bytes=found.size_bytes)
            return
    if not found.rolling_name:
        reserve(found)
    rolling = here.path(found.rolling_name)
    if not is_upload:
        _copy(storage, found, rolling, progress)
        _set(found, state=IncomingState.CHECKING)
        _check(storage, found, rolling)
    _become_take(found, rolling, here)
    progress(1.0)


def reserve(found: Incoming) -> None:
    """Set a name on the shelf aside for a file, where there is room for it; raises MediaError."""
    here = shelf()
    here.check(options.reserve_bytes() + found.size_bytes)
    reserved = here.reserve_copy(_plain_name(found))
    found.rolling_name = reserved.rolling.name
    _set(found, rolling_name=found.rolling_name)


def _plain_name(found: Incoming) -> str:
    """Return a name that any file system takes, whatever the file was called."""
    name = Path(found.short_name)
    ending = slug(name.suffix.lstrip("."))[:8] or "bin"
    return f"{slug(name.stem)[:100] or 'file'}.{ending}"


def _copy(storage: Storage, found: Incoming, rolling: Path, progress: Progress) -> None:
    """Copy what is missing, and wait for a link that broke."""
    begun_s, begun_at = time.monotonic(), found.copied_bytes

    def tell(at: int) -> None:
        took_s = time.monotonic() - begun_s
        speed = (at - begun_at) / took_s if took_s > 0 else None
        _set(found, copied_bytes=at, state=IncomingState.COPYING, bytes_per_s=speed)
        progress(0.9 * at / max(1, found.size_bytes))

    tell(rolling.stat().st_size if rolling.exists() else 0)
    waited_s = 0.0
    while True:
        try:
            copy_file(storage, found.name, found.size_bytes, rolling, tell)
        except LinkBrokenError as error:
            _set(found, state=IncomingState.BROKEN, problem=str(error))
            if waited_s >= PATIENCE_S:
                raise
            time.sleep(LOOK_S)
            waited_s += LOOK_S
            progress(0.9 * found.copied_bytes / max(1, found.size_bytes))  # it may have been called off
        else:
            _set(found, problem="")
            return


def _check(storage: Storage, found: Incoming, rolling: Path) -> None:
    """Hold what was copied against what lies there, block by block; raises MediaError where it can't be made so."""
    differing = differing_blocks(storage, found.name, rolling)
    for _ in range(MENDS):
        if not differing:
            return
        for number in differing:
            mend_block(storage, found.name, rolling, number)
        differing = differing_blocks(storage, found.name, rolling)
    if differing:
        what = f"{len(differing)} block{'s' if len(differing) > 1 else ''} of {BLOCK_BYTES // 1_000_000} MB"
        raise MediaError(Path(found.short_name), f"differs from what lies there in {what}, after {MENDS} more tries")


def _become_take(found: Incoming, rolling: Path, here: Shelf) -> None:
    """Give a file its name, and make it a take that is measured next; raises MediaError for what is no media file."""
    try:
        suffix = container_suffix(rolling)
    except MediaError as error:  # by the name that it has for people
        raise MediaError(Path(found.short_name), error.reason) from error
    reserved = _reserved(found, here)
    if suffix:
        reserved = replace(reserved, final=reserved.final.with_suffix(f".{suffix}"))
    own = _own_take(found)
    final = here.complete(reserved)
    with transaction.atomic():
        take = own or Take.objects.create(
            name=final.stem[:MAX_NAME],
            rig_name=_from(found),
            state=TakeState.CLOSED,
            started_at=found.modified_at,
            origin=TakeOrigin.BY_DEVICE if found.source == IncomingSource.DEVICE else TakeOrigin.BROUGHT_IN,
            proof_state=ProofState.WAITING,
        )
        if own is not None:
            Take.objects.filter(pk=own.pk).update(on_device="", origin=TakeOrigin.BY_DEVICE)
            Part.objects.filter(take=own).update(file_name=final.name)
            part = Part.objects.get(take=own)
        else:
            part = Part.objects.create(take=take, file_name=final.name, size_bytes=found.size_bytes)
        _set(found, state=IncomingState.WHOLE, take=take, copied_bytes=found.size_bytes, rolling_name="", problem="")
        sum_up(take.pk)
        ask_for_proof(part)


def _own_take(found: Incoming) -> Take | None:
    """Return the take of a rig that was left on the device as this file."""
    if found.source != IncomingSource.DEVICE:
        return None
    return Take.objects.filter(on_device=found.place, parts__file_name=found.name, binned_at=None).first()


def _from(found: Incoming) -> str:
    if found.source == IncomingSource.DEVICE:
        return f"{DeviceKind(found.place).label}'s own storage"
    return "Brought in"


def known_as(storage: Storage, found: Incoming) -> Take | None:
    """Return the take that holds the very same bytes, None where none does; raises what reading them raises."""
    same = Part.objects.select_related("take").filter(size_bytes=found.size_bytes, take__on_device="")
    print_there = ""
    for part in same:
        if not path_of(part).is_file():
            continue
        print_there = print_there or fingerprint(storage, found.name)
        if not part.fingerprint:
            lies = shelf_of(part.take)
            part.fingerprint = fingerprint(Folder(lies.root), part.file_name)
            Part.objects.filter(pk=part.pk).update(fingerprint=part.fingerprint)
        if part.fingerprint == print_there:
            return part.take
    return None


def _reserved(found: Incoming, here: Shelf) -> Reserved:
    rolling = here.path(found.rolling_name)
    return Reserved(rolling=rolling, final=rolling.with_name(rolling.name.replace(ROLLING, "", 1)), number=0)


def _set(found: Incoming, **values: object) -> None:
    for name, value in values.items():
        setattr(found, name, value)
    Incoming.objects.filter(pk=found.pk).update(**values)


def delete_there(place: str, names: Iterable[str]) -> int:
    """Delete files on a device that are over whole, and only those; returns how many.

    Each is held against what lies here once more before it goes. Raises BadValueError, LinkBrokenError, MediaError.
    """
    storage, count = storage_of(IncomingSource.DEVICE, place), 0
    for name in names:
        over = Incoming.objects.filter(source=IncomingSource.DEVICE, place=place, name=name)
        found = next((one for one in over.select_related("take") if one.is_over and one.take), None)
        if found is None or found.take is None:
            raise BadValueError("File", name[-60:], "only what is over whole is deleted there")
        path = path_of(found.take.first)
        if differing_blocks(storage, name, path):
            raise BadValueError("File", name[-60:], f"it is not what lies here as {path.name}; bring it over again")
        storage.delete(name)
        count += 1
    return count


def take_up_broken() -> int:
    """Go on with files whose link broke and is back; returns how many."""
    count = 0
    for found in Incoming.objects.filter(state=IncomingState.BROKEN):
        try:
            storage_of(found.source, found.place).free_bytes()
        except ReelError:
            continue
        go_on(found)
        count += 1
    return count
