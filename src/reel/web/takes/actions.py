"""What changes takes."""

from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from django.db import Error, transaction

from reel.core.errors import ReelError
from reel.core.line import RigSetup
from reel.core.wire import to_plain
from reel.recorder.messages import RefusedError
from reel.web.jobs.actions import ask_for
from reel.web.jobs.models import Job
from reel.web.setups import stored
from reel.web.takes.models import MAX_NAME, PROVE, ProofState, Take, TakeState
from reel.web.takes.proving import copy_path, poster_path, shelf_of
from reel.web.ui.typed import clean_name


@contextmanager
def _alone(take: Take, verb: str) -> Iterator[Take]:
    """Give a take as it is now, while nobody else changes it; raises RefusedError when it rolls or is gone.

    A transaction that is immediate holds the database's one write lock.
    """
    with transaction.atomic():
        found = Take.objects.filter(pk=take.pk).first()
        if found is None:
            raise RefusedError(f"{take.name} was deleted meanwhile.")
        if found.state == TakeState.ROLLING:
            raise RefusedError(f"{found.name} is rolling and can't be {verb}; cut it first.")
        yield found


def rename(take: Take, name: str) -> None:
    """Rename a take and its file; raises BadValueError, NameTakenError, RefusedError."""
    clean = clean_name("Name", name, MAX_NAME)
    with _alone(take, "renamed") as found:
        before = found.file_name
        found.name, found.file_name = clean, shelf_of(found).rename(before, clean)
        try:
            found.save(update_fields=["name", "file_name"])
        except Error:
            shelf_of(found).rename(found.file_name, Path(before).stem)
            raise
    take.name, take.file_name = found.name, found.file_name


def delete(take: Take) -> None:
    """Delete a take with its file, poster and browser copy; raises RefusedError, MediaError."""
    with _alone(take, "deleted") as found:
        shelf_of(found).delete(found.file_name)
        for path in (poster_path(found), copy_path(found)):
            path.unlink(missing_ok=True)
        Job.objects.filter(kind=PROVE, subject=found.pk).delete()
        found.delete()


def prove_again(take: Take) -> None:
    """Ask for a take's proof once more; nothing changes while one is being made."""
    with _alone(take, "proved") as found:
        if not found.on_device and not (found.job and found.job.is_open):
            Take.objects.filter(pk=found.pk).update(proof_state=ProofState.WAITING)
            ask_for(PROVE, found.pk)


def begin(*, rig_id: int, rig_name: str, name: str, file_name: str, setup: RigSetup, **facts: object) -> Take:
    """Store a take that has begun to roll."""
    return Take.objects.create(
        rig_id=rig_id, rig_name=rig_name, name=name, file_name=file_name, asked=stored(setup), **facts
    )


@transaction.atomic
def close(take: Take, *, file_name: str, counts: object, problem: str, prove: bool = True, on_device: str = "") -> None:
    """Store that a take is complete, and ask for its proof unless the caller makes it.

    A take that lies on a device's own storage is not proved before it has been copied off.
    """
    take.state, take.file_name, take.problem = TakeState.CLOSED, file_name, problem
    take.counts, take.on_device = to_plain(counts), on_device
    take.save(update_fields=["state", "file_name", "problem", "counts", "on_device"])
    if prove and not on_device:
        ask_for(PROVE, take.pk)


def recover_interrupted() -> int:
    """Close takes whose recorder was killed, and ask for their proof; gives how many. Called before anything rolls."""
    found = Take.objects.filter(state=TakeState.ROLLING)
    for take in found:
        problem = "The recorder was stopped while it rolled; this is what had been written until then."
        others = set(Take.objects.exclude(pk=take.pk).values_list("file_name", flat=True))
        try:
            take.file_name = shelf_of(take).rescue(take.file_name, others)
        except ReelError as error:
            problem = f"The recorder was stopped while it rolled, and its file can't be found: {error}"
        with transaction.atomic():
            take.state, take.problem = TakeState.INTERRUPTED, problem
            take.save(update_fields=["state", "file_name", "problem"])
            if not take.on_device:
                ask_for(PROVE, take.pk)
    return len(found)
