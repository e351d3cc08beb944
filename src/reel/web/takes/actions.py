"""What changes takes."""

from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from fractions import Fraction

from django.db import Error, transaction

from reel.core.errors import BadValueError, ReelError
from reel.core.line import RigSetup
from reel.core.measure import Counts
from reel.core.media.shelf import ROLLING
from reel.core.roll import CutBy
from reel.core.wire import to_plain
from reel.recorder.messages import MAX_LABEL, RefusedError
from reel.web.jobs.actions import wake
from reel.web.jobs.models import Job
from reel.web.setups import stored
from reel.web.takes.making import forget_file
from reel.web.takes.models import MAX_NAME, PROVE, RESCUE, Mark, Part, ProofState, Take, TakeState
from reel.web.takes.proving import ask_for_proof, ask_for_repair, cached_paths, path_of, shelf_of
from reel.web.takes.summing import forget_words, sum_up
from reel.web.ui.typed import clean_name

STOPPED = "The recorder was stopped while it rolled"
LEFT = "this is what had been written until then."


@contextmanager
def _alone(take: Take, verb: str) -> Iterator[Take]:
    """Return a take as it is now, while nobody else changes it; raises RefusedError when it rolls or is gone.

    A transaction that is immediate holds the database's one write lock.
    """
    with transaction.atomic():
        found = Take.objects.with_parts().filter(pk=take.pk).first()
        if found is None:
            raise RefusedError(f"{take.name} was deleted meanwhile.")
        if found.state == TakeState.ROLLING:
            raise RefusedError(f"{found.name} is rolling and can't be {verb}; cut it first.")
        yield found


def rename(take: Take, name: str) -> str:
    """Rename a take and its files; returns the first one's name. Raises BadValueError, NameTakenError, RefusedError."""
    clean = clean_name("Name", name, MAX_NAME)
    names: list[str] = []
    before: list[str] = []
    try:
        with _alone(take, "renamed") as found:
            parts = found.all_parts
            files = [file for part in parts for file in part.names]
            before = [name for name, _ in files]
            names = shelf_of(found).rename(files, clean)
            found.name = clean
            found.save(update_fields=["name"])
            give_names(parts, names)
            sum_up(found.pk)
    except Error:  # the commit may fail too
        if names:
            shelf_of(take).put_back(names, before)
        raise
    take.name = clean
    return names[0]


def give_names(parts: Iterable[Part], names: Iterable[str]) -> None:
    """Store the names of the files of parts, in the order in which Part.names gives them."""
    new = iter(names)
    for part in parts:
        part.file_name = next(new)
        part.original_name = next(new) if part.original_name else ""
        part.save(update_fields=["file_name", "original_name"])


def delete(take: Take) -> None:
    """Delete a take with its files, posters and browser copies; raises RefusedError, MediaError."""
    with _alone(take, "deleted") as found:
        shelf_of(found).reach()
        parts = found.all_parts
        for part in parts:
            for file_name, _ in part.names:
                shelf_of(found).delete(file_name)
            for path in cached_paths(part):
                path.unlink(missing_ok=True)
            for made in part.made.all():
                forget_file(made)
        Job.objects.filter(kind__in=(PROVE, RESCUE), subject__in=[part.pk for part in parts]).delete()
        forget_words(found.pk)
        found.delete()


def repair_again(take: Take) -> None:
    """Look once more for the files of a take whose recorder was killed, and ask for its repair; raises RefusedError."""
    with _alone(take, "repaired") as found:
        if found.state != TakeState.INTERRUPTED or found.on_device:
            raise RefusedError(f"{found.name} was closed as it should be; there is nothing to repair.")
        _find_left(found)


def look_for_left() -> int:
    """Give files that a killed recorder left, and that are there again, their names; returns how many takes."""
    left = Take.objects.with_parts().filter(state=TakeState.INTERRUPTED, parts__file_name__contains=ROLLING).distinct()
    found = 0
    for take in left:
        if any(path_of(part).exists() for part in take.all_parts if ROLLING in part.file_name):
            found += 1
            with transaction.atomic():
                _find_left(take)
    return found


def _find_left(take: Take) -> None:
    """Give the files of an interrupted take their names where they lie, and ask for their repair and proofs."""
    missing, parts = [], take.all_parts
    for part in parts:
        others = set(Part.objects.exclude(pk=part.pk).values_list("file_name", flat=True))
        try:
            part.file_name = shelf_of(take).rescue(part.file_name, others)
        except ReelError as error:
            missing.append(str(error))
    take.problem = f"{STOPPED}, and its file can't be found: {' '.join(missing)}" if missing else f"{STOPPED}; {LEFT}"
    take.save(update_fields=["problem"])
    for part in parts:
        part.problem = ""
        part.save(update_fields=["file_name", "problem"])
        if not (part.job and part.job.is_open):
            (ask_for_repair if part is parts[-1] and not part.original_name else ask_for_proof)(part)
    sum_up(take.pk)


def prove_again(take: Take) -> None:
    """Ask for the proofs of a take's parts once more; nothing changes for one that is being made."""
    with _alone(take, "proved") as found:
        for part in found.all_parts:
            if not found.on_device and not (part.job and part.job.is_open):
                Part.objects.filter(pk=part.pk).update(proof_state=ProofState.WAITING)
                ask_for_proof(part)
        sum_up(found.pk)


def keep_trial(take: Take) -> None:
    """Make a trial a take like any other."""
    with _alone(take, "kept") as found:
        Take.objects.filter(pk=found.pk).update(is_trial=False)


def add_mark(take: Take, part: Part, at_s: float, label: str) -> Mark:
    """Note a moment of a take afterwards, at a second of one of its parts; raises BadValueError, RefusedError."""
    clean = clean_name("Mark", label, MAX_LABEL) if label.strip() else ""
    with _alone(take, "marked") as found:
        length_s = part.length_s or 0.0
        if not 0 <= at_s <= length_s:
            raise BadValueError("Mark", f"{at_s:g} s", f"this part is {length_s:.1f} s long")
        tick = part.first_tick + int(Fraction(at_s) * found.form.tick_rate)
        return Mark.objects.create(take=found, tick=tick, label=clean)


def note_mark(mark: Mark, label: str) -> None:
    """Say something else of a mark; raises BadValueError."""
    mark.label = clean_name("Mark", label, MAX_LABEL) if label.strip() else ""
    mark.save(update_fields=["label"])


@transaction.atomic
def begin(*, rig_id: int | None, rig_name: str, name: str, file_name: str, setup: RigSetup, **facts: object) -> Take:
    """Store a take that has begun to roll, with its first part."""
    take = Take.objects.create(rig_id=rig_id, rig_name=rig_name, name=name, asked=stored(setup), **facts)
    Part.objects.create(take=take, file_name=file_name)
    sum_up(take.pk)
    return take


def add_part(take_id: int, *, number: int, first_tick: int, file_name: str) -> None:
    """Store that a take goes on in another part; one that was deleted or closed meanwhile has none."""
    if Take.objects.rolling().filter(pk=take_id).exists():
        Part.objects.get_or_create(
            take_id=take_id, number=number, defaults={"first_tick": first_tick, "file_name": file_name}
        )
        sum_up(take_id)


@dataclass(frozen=True, slots=True, kw_only=True)
class ClosedFile:
    """A part that is complete: its file's plain name, the take's tick with which it begins, its own counts."""

    file_name: str
    first_tick: int
    counts: Counts


@transaction.atomic
def close(
    take: Take,
    files: Sequence[ClosedFile],
    *,
    counts: Counts,
    problem: str = "",
    prove: bool = True,
    on_device: str = "",
    ended_by: CutBy = CutBy.PERSON,
) -> None:
    """Store that a take is complete, and ask for the proofs of its parts unless the caller makes them.

    A take that lies on a device's own storage is not proved before it has been copied off.
    """
    take.state, take.problem, take.ended_by = TakeState.CLOSED, problem, ended_by
    take.counts, take.on_device = to_plain(counts), on_device
    take.save(update_fields=["state", "problem", "counts", "on_device", "ended_by"])
    for number, file in enumerate(files, start=1):
        made = {"file_name": file.file_name, "first_tick": file.first_tick, "counts": to_plain(file.counts)}
        part, _ = Part.objects.update_or_create(take=take, number=number, defaults=made)
        if prove and not on_device:
            ask_for_proof(part)
    take.parts.filter(number__gt=max(1, len(files))).delete()  # one that could not be opened
    sum_up(take.pk)
    wake()


def forget(take_id: int) -> None:
    """Delete a take that never began; it has no file."""
    if Take.objects.rolling().filter(pk=take_id).delete()[0]:
        forget_words(take_id)
        wake()


def recover_interrupted(reached: Mapping[int, float] | None = None) -> int:
    """Close takes whose recorder was killed, and ask for their repair; returns how many. Called before anything rolls.

    `reached` says how many seconds long each was, by its id, when that was noted last.
    """
    found = Take.objects.rolling().with_parts()
    for take in found:
        problem = f"{STOPPED}; {LEFT}"
        missing, parts = [], take.all_parts
        for part in parts:
            others = set(Part.objects.exclude(pk=part.pk).values_list("file_name", flat=True))
            try:
                part.file_name = shelf_of(take).rescue(part.file_name, others)
            except ReelError as error:
                missing.append(str(error))
        if missing:
            problem = f"{STOPPED}, and its file can't be found: {' '.join(missing)}"
        with transaction.atomic():
            take.state, take.problem, take.ended_by = TakeState.INTERRUPTED, problem, CutBy.TROUBLE
            take.save(update_fields=["state", "problem", "ended_by"])
            reached_s = (reached or {}).get(take.pk)
            for part in parts:
                is_last = part is parts[-1]
                if is_last and reached_s is not None:
                    part.reached_ms = round((reached_s - float(part.first_tick / take.plan.tick_rate)) * 1000)
                part.save(update_fields=["file_name", "reached_ms"])
                if not take.on_device:
                    (ask_for_repair if is_last else ask_for_proof)(part)
            sum_up(take.pk)
    return len(found)
