"""What changes takes."""

from django.db import transaction

from reel.core.errors import BadValueError, ReelError
from reel.core.line import RigSetup, after
from reel.core.wire import to_plain
from reel.recorder.messages import RefusedError
from reel.web.jobs.actions import ask_for
from reel.web.rigs.models import Rig
from reel.web.takes.models import MAX_NAME, Take, TakeState
from reel.web.takes.proving import copy_path, poster_path, shelf, shelf_of


def clean_name(thing: str, text: str, limit: int) -> str:
    """Give a name without blanks around it; raises BadValueError for an empty, long or unprintable one."""
    name = " ".join(text.split(" ")).strip()
    if not name or len(name) > limit or not name.isprintable():
        raise BadValueError(thing, text, f"it needs 1 to {limit} printable characters")
    return name


def rename(take: Take, name: str) -> None:
    """Rename a take and its file; raises BadValueError, NameTakenError, RefusedError."""
    _refuse_rolling(take, "renamed")
    take.name = clean_name("Name", name, MAX_NAME)
    take.file_name = shelf_of(take).rename(take.file_name, take.name)
    take.save(update_fields=["name", "file_name"])


def delete(take: Take) -> None:
    """Delete a take with its file, poster and browser copy; raises RefusedError, MediaError."""
    _refuse_rolling(take, "deleted")
    shelf_of(take).delete(take.file_name)
    for path in (poster_path(take), copy_path(take)):
        path.unlink(missing_ok=True)
    take.delete()


def begin(*, rig_id: int, rig_name: str, name: str, file_name: str, setup: RigSetup, **facts: object) -> Take:
    """Store a take that has begun to roll; what was put back after the one before must be put back again."""
    rig = Rig.objects.filter(pk=rig_id).first()
    if rig is not None:
        put_back = {check.key for check in after(setup)}
        rig.ticked = [key for key in rig.ticked if key not in put_back]
        rig.save(update_fields=["ticked"])
    return Take.objects.create(
        rig_id=rig_id, rig_name=rig_name, name=name, file_name=file_name, asked=to_plain(setup), **facts
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
        ask_for("prove", take)


def recover_interrupted() -> int:
    """Close takes whose recorder was killed, and ask for their proof; gives how many. Called before anything rolls."""
    found = Take.objects.filter(state=TakeState.ROLLING)
    for take in found:
        problem = "The recorder was stopped while it rolled; this is what had been written until then."
        try:
            take.file_name = shelf().rescue(take.file_name)
        except ReelError as error:
            problem = f"The recorder was stopped while it rolled, and its file can't be found: {error}"
        with transaction.atomic():
            take.state, take.problem = TakeState.INTERRUPTED, problem
            take.save(update_fields=["state", "file_name", "problem"])
            ask_for("prove", take)
    return len(found)


def _refuse_rolling(take: Take, verb: str) -> None:
    if take.state == TakeState.ROLLING:
        raise RefusedError(f"{take.name} is rolling and can't be {verb}; cut it first.")
