"""What changes rigs."""

from dataclasses import replace

from django.db import IntegrityError, transaction

from reel.core.file import Recipe
from reel.core.line import (
    ArrivalSetup,
    Device,
    Loss,
    Network,
    Origin,
    Remedy,
    RigSetup,
    Told,
    chain,
    checks_after,
    read_rig,
    remedies,
    told,
    with_fitting_frame,
    write_rig,
)
from reel.core.line.edit import Path, with_device
from reel.core.line.loss import Limit
from reel.core.measure import AlarmKind, alarm_remedy
from reel.core.wire import from_plain, to_plain
from reel.recorder.messages import RefusedError, Status
from reel.standins.play import Play
from reel.web.rigs.forms.new import free_name
from reel.web.rigs.models import MAX_NAME, Rig
from reel.web.setups import from_1
from reel.web.takes.actions import clean_name


def make_rig(name: str, plan: RigSetup, *, play: Play | None = None, is_asked: bool = True) -> Rig:
    """Store a new rig; raises RefusedError when another one has the name meanwhile."""
    rig = Rig(name=name, is_asked=is_asked)
    rig.plan, rig.played = plan, play or Play()
    try:
        with transaction.atomic():
            rig.save()
    except IntegrityError:
        raise RefusedError(f"Another rig is called {name} meanwhile; choose a different name.") from None
    return rig


def make_copy(wanted: str, plan: RigSetup, *, play: Play, is_asked: bool = True) -> Rig:
    """Store a new rig under a name, with a number added where that is taken."""
    with transaction.atomic():  # an immediate transaction: nobody takes the name in between
        return make_rig(free_name(wanted), plan, play=play, is_asked=is_asked)


def set_device(rig: Rig, wanted: tuple[Device, Origin], status: Status | None) -> None:
    """Change the device and its origin, and the path when the signal leaves by another way; refused while it rolls."""
    device, origin = wanted
    _store(rig, with_device(replace(rig.plan, origin=origin), device), status)
    allow_feed(rig)


def set_play(rig: Rig, play: Play, status: Status | None) -> None:
    """Change how the simulated device behaves; refused while the rig rolls."""
    _refuse_rolling(rig, status)
    rig.played = play
    rig.save(update_fields=["play"])


def set_path(rig: Rig, path: Path, status: Status | None) -> None:
    """Change the path; refused while the rig rolls."""
    _store(rig, replace(rig.plan, path=path), status)


def set_arrival(rig: Rig, arrival: ArrivalSetup, status: Status | None) -> None:
    """Change the arriving mode; refused while the rig rolls."""
    _store(rig, replace(rig.plan, arrival=arrival), status)


def set_recipe(rig: Rig, recipe: Recipe, status: Status | None) -> None:
    """Change the file settings; refused while the rig rolls."""
    _store(rig, replace(rig.plan, recipe=recipe), status)


def fit_frame(rig: Rig, status: Status | None) -> None:
    """Record the picture as it arrives: its size and its rate; refused while the rig rolls."""
    _store(rig, with_fitting_frame(rig.plan), status)


def apply_remedy(rig: Rig, key: str, status: Status | None) -> None:
    """Do what a remedy's button says; raises RefusedError when it is no longer offered."""
    plan = rig.plan
    found = [remedy for loss in chain(plan).travel.losses for remedy in remedies(plan, loss)]
    found += [remedy for kind in AlarmKind if (remedy := alarm_remedy(kind, plan)) is not None]
    for remedy in found:
        if remedy.key == key:
            _store(rig, remedy.setup, status)
            return
    raise RefusedError("The line has changed meanwhile, and this remedy is no longer needed. Nothing was changed.")


def grouped_losses(plan: RigSetup, stage: str | None = None) -> list[tuple[list[Told], list[Remedy]]]:
    """Give the chain's losses, those with one limit together, the biggest first; each group with its remedies.

    `stage` keeps to the losses of one stage, None gives all.
    """
    groups: dict[tuple[str, int | None, Limit], list[Loss]] = {}
    for loss in chain(plan).travel.losses:
        if stage in (None, loss.stage):
            groups.setdefault((loss.stage, loss.hop, loss.limit), []).append(loss)
    ordered = sorted(groups.values(), key=lambda group: -max(loss.weight for loss in group))
    for group in ordered:
        group.sort(key=lambda loss: -loss.weight)
    return [([told(loss, plan) for loss in group], _remedies_of(plan, group)) for group in ordered]


def _remedies_of(plan: RigSetup, ordered: list[Loss]) -> list[Remedy]:
    """Give the remedies of a group's biggest loss first, then those of the others that it does not have."""
    found = {remedy.key: remedy for loss in reversed(ordered) for remedy in reversed(remedies(plan, loss))}
    kept = list(reversed(found.values()))
    return sorted(kept, key=lambda remedy: bool(remedy.gives_up and not remedy.gives))[:4]


def duplicate(rig: Rig) -> Rig:
    """Store a second rig that is set like this one."""
    return make_copy(f"{rig.name} copy", rig.plan, play=rig.played, is_asked=rig.is_asked)


def delete(rig: Rig, status: Status | None) -> None:
    """Delete a rig; its takes stay on the shelf. Refused while it rolls."""
    _refuse_rolling(rig, status)
    rig.delete()


def import_rig(data: bytes) -> Rig:
    """Store the rig that a file holds; raises BadRigFileError, BadValueError. A name that is taken gets a number.

    One that comes from the network does not connect before somebody has said that it may.
    """
    found = read_rig(data, older={1: from_1}, parts=("play",))
    name = clean_name("Name", found.name, MAX_NAME)
    play = from_plain(found.parts.get("play", {}), Play)
    return make_copy(name, found.setup, play=play, is_asked=not isinstance(found.setup.origin, Network))


def export_rig(rig: Rig) -> bytes:
    """Give a rig as the content of a file."""
    return write_rig(rig.name, rig.plan, {"play": to_plain(rig.played)})


def refuse_unasked(rig: Rig) -> None:
    """Raise RefusedError for a rig whose address nobody has allowed yet."""
    if not rig.is_asked:
        origin = rig.plan.origin
        address = origin.address if isinstance(origin, Network) else ""
        raise RefusedError(f"{rig.name} came from a file, and connects to {address}. Allow that under Device.")


def allow_feed(rig: Rig) -> None:
    """Let an imported rig connect to its address."""
    Rig.objects.filter(pk=rig.pk).update(is_asked=True)


def untick_put_back(rig_id: int, setup: RigSetup) -> None:
    """Note that a take has begun: what was put back after the one before must be put back again."""
    with transaction.atomic():
        rig = Rig.objects.filter(pk=rig_id).first()
        if rig is not None:
            put_back = {check.key for check in checks_after(setup)}
            rig.ticked = [key for key in rig.ticked if key not in put_back]
            rig.save(update_fields=["ticked"])


def tick(rig: Rig, key: str, *, done: bool) -> None:
    """Tick a check, or take the tick back."""
    with transaction.atomic():
        kept = Rig.objects.select_for_update().get(pk=rig.pk)
        kept.ticked = sorted({*kept.ticked, key} if done else {*kept.ticked} - {key})
        kept.save(update_fields=["ticked"])
    rig.ticked = kept.ticked


def _store(rig: Rig, plan: RigSetup, status: Status | None) -> None:
    _refuse_rolling(rig, status)
    rig.plan = plan
    rig.save(update_fields=["setup"])


def _refuse_rolling(rig: Rig, status: Status | None) -> None:
    """Refuse while it rolls: as the recorder says, or, while that is busy, as was stored."""
    rolls = status.roll is not None and status.roll.rig_id == rig.pk if status else rig.takes.rolling().exists()
    if rolls:
        raise RefusedError(f"{rig.name} is rolling; cut it before you change it.")
