"""Moving takes to another shelf: copied, held against what lies there, and only then taken away."""

from collections.abc import Iterable
from contextlib import ExitStack
from dataclasses import dataclass
from pathlib import Path

from django.db import transaction

from reel import options
from reel.core.media import MediaError, Shelf
from reel.core.media.shelf import sidecar_folder
from reel.core.offload import Folder, copy_file, differing_blocks
from reel.recorder.messages import RefusedError
from reel.web.jobs.actions import ask_once
from reel.web.jobs.files import aside
from reel.web.jobs.kinds import Lane, Progress, job_kind
from reel.web.takes.actions import give_names
from reel.web.takes.models import Part, Take, TakeState
from reel.web.takes.proving import kept_on
from reel.web.takes.summing import sum_up

# The kind of job that moves a take.
MOVE = "move"


@dataclass(frozen=True, slots=True, kw_only=True)
class MoveTo:
    """Which take goes where: a folder, "" for the home's shelf, with the key that it is known by."""

    subject: int
    folder: str
    key: str = ""


def ask_to_move(ids: Iterable[int], folder: str, key: str) -> int:
    """Ask for takes to be moved, each on its own; returns how many. Raises RefusedError for one that can't be."""
    with transaction.atomic():
        takes = list(Take.objects.kept().filter(pk__in=ids))
        for take in takes:
            if take.state == TakeState.ROLLING or take.on_device:
                raise RefusedError(f"{take.name} does not lie on a shelf, and can't be moved.")
        count = 0
        for take in takes:
            if take.folder != folder and ask_once(MOVE, MoveTo(subject=take.pk, folder=folder, key=key)):
                count += 1
    return count


@job_kind(MOVE, label="Moving", params=MoveTo, lane=Lane.LONG)
def move(asked: MoveTo, progress: Progress) -> None:
    """Move a take; one that was deleted, binned or moved meanwhile stays as it is."""
    take = Take.objects.kept().with_parts().filter(pk=asked.subject).first()
    if take is None or take.folder == asked.folder:
        return
    there = _shelf(asked)
    names = [name for part in take.all_parts for name, _ in part.names]
    here = kept_on(take)
    here.reach()
    total = sum(here.path(name).stat().st_size for name in names if here.path(name).is_file())
    there.check(options.reserve_bytes() + total)
    with ExitStack() as asides:
        reserved = [asides.enter_context(aside(there, name)) for name in names]
        for name, one in zip(names, reserved, strict=True):
            _copy(here, name, one.rolling, lambda at: progress(min(0.99, at / max(1, total))))
        done = list[str]()
        try:
            done += [there.complete(one).name for one in reserved]
            _store(take, asked, done)
        except BaseException:
            for name in done:
                there.delete(name)
            raise
    for name in names:
        here.delete(name)


def _shelf(asked: MoveTo) -> Shelf:
    return kept_on(Take(folder=asked.folder, shelf_key=asked.key))


def _copy(here: Shelf, name: str, target: Path, tell: Progress) -> None:
    """Copy a file with what lies beside it, and hold it against what lies there; raises MediaError."""
    folder = Folder(here.root)
    copy_file(folder, name, here.path(name).stat().st_size, target, tell)
    if differing_blocks(folder, name, target):
        raise MediaError(here.path(name), "came over differently; it stays where it was")
    beside = sidecar_folder(here.path(name))
    if not beside.is_dir():
        return
    sidecar_folder(target).mkdir(exist_ok=True)
    for one in Folder(beside).files():
        to = sidecar_folder(target) / one.name
        copy_file(Folder(beside), one.name, one.size_bytes, to, lambda at: None)
        if differing_blocks(Folder(beside), one.name, to):
            raise MediaError(to, "came over differently; it stays where it was")


def _store(take: Take, asked: MoveTo, names: list[str]) -> None:
    """Store where a take lies now; raises RefusedError where it was changed meanwhile."""
    with transaction.atomic():
        same = Take.objects.kept().filter(pk=take.pk, folder=take.folder)
        before = [name for part in Part.objects.filter(take=take) for name, _ in part.names]
        if before != [name for part in take.all_parts for name, _ in part.names]:
            raise RefusedError(f"{take.name} was renamed while it was moved; it stays where it was.")
        if not same.update(folder=asked.folder, shelf_key=asked.key):
            raise RefusedError(f"{take.name} was changed while it was moved; it stays where it was.")
        give_names(take.all_parts, names)
        sum_up(take.pk)
