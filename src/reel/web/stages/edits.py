"""What the stages change in a rig."""

from collections.abc import Sequence
from dataclasses import replace

from django.db import transaction

from reel.core.file import Recipe
from reel.core.frame import FrameSetup, with_renamed, without_input
from reel.core.line import (
    ArrivalSetup,
    Device,
    InputSetup,
    Loss,
    LossMessage,
    Network,
    Origin,
    Remedy,
    loss_message,
    remedies,
    signal_chain,
    with_fitting_frame,
    without_free_tracks,
)
from reel.core.line.edit import Path, with_device
from reel.core.line.loss import Limit
from reel.core.measure import AlarmKind, alarm_remedy
from reel.core.roll import RollSetup
from reel.core.sound import MAX_TRACKS, SoundSetup, TrackSetup
from reel.core.sound.setup import DELAY_MS, LEVEL_DB
from reel.recorder.messages import RefusedError, Status
from reel.standins.scenario import Scenario, for_inputs
from reel.web.live.recorder import rig_status
from reel.web.machine.models import ShelfPlace
from reel.web.rigs.actions import addresses_of, allow_feed, refuse_rolling
from reel.web.rigs.changing import change
from reel.web.rigs.models import MAX_NAME, Rig
from reel.web.ui.typed import clean_name, free_name


def set_device(rig: Rig, place: int, wanted: tuple[Device, Origin], status: Status | None) -> None:
    """Change an input's device and its origin, and the path when the signal leaves by another way.

    Refused while the rig rolls, as is every change here.
    """
    device, origin = wanted
    _set_input(rig, place, with_device(replace(rig.plan.inputs[place], origin=origin), device), status)
    if isinstance(origin, Network) or not addresses_of(rig.plan):
        allow_feed(rig)  # they have seen where it connects, or nothing does any more


def set_scenario(rig: Rig, place: int, scenario: Scenario, status: Status | None) -> None:
    """Change how a simulated device behaves."""
    refuse_rolling(rig, status)
    scenarios = list(for_inputs(rig.scenarios, rig.plan.inputs))
    scenarios[place] = scenario
    rig.scenarios = scenarios
    rig.save(update_fields=["simulation"])


def set_path(rig: Rig, place: int, path: Path, status: Status | None) -> None:
    _set_input(rig, place, replace(rig.plan.inputs[place], path=path), status)


def set_arrival(rig: Rig, place: int, arrival: ArrivalSetup, status: Status | None) -> None:
    """Change an input's arriving mode."""
    _set_input(rig, place, replace(rig.plan.inputs[place], arrival=arrival), status)


def set_sound(rig: Rig, place: int, sound: SoundSetup, status: Status | None) -> None:
    """Change how an input's sound is treated and where it goes; a track that is not there yet is made."""
    plan = rig.plan
    tracks = plan.tracks
    for number in range(len(tracks) + 1, max(sound.tracks, default=0) + 1):
        wanted = plan.inputs[place].name if number in sound.tracks else f"Track {number}"
        tracks = (*tracks, _free_track(tracks, wanted))
    changed = plan.with_input(place, replace(plan.inputs[place], sound=sound))
    change(rig, replace(changed, tracks=tracks), status)


def set_tracks(rig: Rig, tracks: Sequence[TrackSetup], *, mix_first: bool, status: Status | None) -> None:
    """Change the tracks' names, and whether a mix of all comes first."""
    change(rig, replace(rig.plan, tracks=tuple(tracks), mix_first=mix_first), status)


def remove_track(rig: Rig, number: int, status: Status | None) -> None:
    """Take out a track, counted from 1, that nothing goes to; the others move up."""
    plan = rig.plan
    left = without_free_tracks(plan, among=(number,))
    if len(left.tracks) == len(plan.tracks):
        raise RefusedError(f"Something goes to track {number}; send it elsewhere first. Nothing was changed.")
    change(rig, left, status)


def balance(rig: Rig, status: Status | None) -> None:
    """Set the level of what a voice is spoken over, so that the voice is easy to follow, as measured just now."""
    live = rig_status(status, rig.pk)
    found = live.balance if live else None
    if live is None or found is None or not found.too_loud_db:
        raise RefusedError("Too little was spoken to measure it, or the balance is fine. Nothing was changed.")
    game = rig.plan.inputs[live.game]
    level = round(min(LEVEL_DB[1], max(LEVEL_DB[0], game.sound.level_db - found.too_loud_db)), 1)
    set_sound(rig, live.game, replace(game.sound, level_db=level), status)


def sync(rig: Rig, places: Sequence[int] | None, status: Status | None) -> None:
    """Delay inputs so that they are in step with the picture, as the last sync test measured; None for all it found."""
    live = rig_status(status, rig.pk)
    found = live.sync if live else None
    delays = {place: one.delay_ms for place, one in found.sounds.items()} if found else {}
    inputs = list(rig.plan.inputs)
    wanted = [place for place in (delays if places is None else places) if place < len(inputs)]
    for place in wanted:
        if (delay_ms := delays.get(place)) is not None:
            delay_ms = min(DELAY_MS[1], max(DELAY_MS[0], delay_ms))
            inputs[place] = replace(inputs[place], sound=replace(inputs[place].sound, delay_ms=delay_ms))
    if tuple(inputs) == rig.plan.inputs:
        raise RefusedError("Too few claps agree to say what is out of step, or all is in step. Nothing was changed.")
    change(rig, replace(rig.plan, inputs=tuple(inputs)), status)


def set_frame(rig: Rig, frame: FrameSetup, status: Status | None) -> None:
    """Change the recorded picture."""
    change(rig, replace(rig.plan, frame=frame), status)


def add_input(rig: Rig, one: InputSetup, status: Status | None, *, scenario: Scenario | None = None) -> None:
    """Add an input; a name that is taken gets a number. Its sound goes on a track of its own while one is free."""
    plan = rig.plan
    one = replace(one, name=free_name(one.name, [other.name for other in plan.inputs]))
    tracks = plan.tracks
    if len(tracks) < MAX_TRACKS:
        tracks = (*tracks, _free_track(tracks, one.name))
    one = replace(one, sound=replace(one.sound, tracks=(len(tracks),)))
    changed = replace(plan, inputs=(*plan.inputs, one), tracks=tracks)
    change(rig, changed, status, {one.name: scenario or Scenario()})


def remove_input(rig: Rig, place: int, status: Status | None) -> None:
    """Take an input out, its picture out of every arrangement, and the tracks that nothing goes to any more.

    The first one stays: it is what the frame follows.
    """
    plan = rig.plan
    if not 0 < place < len(plan.inputs):
        raise RefusedError("The first input can't be taken out: the frame follows its picture. Nothing was changed.")
    gone = plan.inputs[place]
    left = (*plan.inputs[:place], *plan.inputs[place + 1 :])
    changed = replace(plan, inputs=left, frame=without_input(plan.frame, gone.name))
    change(rig, without_free_tracks(changed, among=gone.sound.tracks), status)


def rename_input(rig: Rig, place: int, name: str, status: Status | None) -> None:
    """Call an input otherwise, in the arrangements too."""
    plan = rig.plan
    before = plan.inputs[place].name
    one = replace(plan.inputs[place], name=clean_name("Name", name, MAX_NAME))
    inputs = (*plan.inputs[:place], one, *plan.inputs[place + 1 :])
    changed = replace(plan, inputs=inputs, frame=with_renamed(plan.frame, before, one.name))
    change(rig, changed, status, {one.name: rig.scenario_of(place)})


def _free_track(tracks: Sequence[TrackSetup], wanted: str) -> TrackSetup:
    return TrackSetup(name=free_name(wanted, [track.name for track in tracks]))


def set_recipe(rig: Rig, recipe: Recipe, status: Status | None) -> None:
    """Change the file settings; refused while the rig rolls."""
    change(rig, replace(rig.plan, recipe=recipe), status)


def set_roll(rig: Rig, roll: RollSetup, status: Status | None) -> None:
    """Change how takes roll; refused while one does."""
    change(rig, replace(rig.plan, roll=roll), status)


def set_shelf(rig: Rig, place: ShelfPlace | None, status: Status | None) -> None:
    """Have a rig's takes written to another shelf; None for the home's."""
    refuse_rolling(rig, status)
    rig.shelf = place
    rig.save(update_fields=["shelf"])


def fit_frame(rig: Rig, status: Status | None) -> None:
    """Record the picture as it arrives: its size and its rate; refused while the rig rolls."""
    set_frame(rig, with_fitting_frame(rig.plan).frame, status)


def apply_remedy(rig: Rig, place: int, key: str, status: Status | None) -> None:
    """Do what a remedy's button says; raises RefusedError when it is no longer offered."""
    one = rig.plan.inputs[place]
    found = [remedy for loss in signal_chain(one).signal_path.losses for remedy in remedies(one, loss)]
    found += [remedy for kind in AlarmKind if (remedy := alarm_remedy(kind, one)) is not None]
    for remedy in found:
        if remedy.key == key:
            _set_input(rig, place, remedy.setup, status)
            return
    raise RefusedError("The line has changed meanwhile, and this remedy is no longer needed. Nothing was changed.")


def grouped_losses(one: InputSetup, stage: str | None = None) -> list[tuple[list[LossMessage], list[Remedy]]]:
    """Return an input's losses, those with one limit together, the biggest first; each group with its remedies.

    `stage` keeps to the losses of one stage, None gives all.
    """
    groups: dict[tuple[str, int | None, Limit], list[Loss]] = {}
    for loss in signal_chain(one).signal_path.losses:
        if stage in (None, loss.stage):
            groups.setdefault((loss.stage, loss.hop, loss.limit), []).append(loss)
    ordered = sorted(groups.values(), key=lambda group: -max(loss.weight for loss in group))
    for group in ordered:
        group.sort(key=lambda loss: -loss.weight)
    return [([loss_message(loss, one) for loss in group], _remedies_of(one, group)) for group in ordered]


def _remedies_of(one: InputSetup, ordered: list[Loss]) -> list[Remedy]:
    """Return the remedies of a group's biggest loss first, then those of the others that it does not have."""
    found = {remedy.key: remedy for loss in reversed(ordered) for remedy in reversed(remedies(one, loss))}
    kept = list(reversed(found.values()))
    return sorted(kept, key=lambda remedy: bool(remedy.gives_up and not remedy.gives))[:4]


def tick(rig: Rig, key: str, *, done: bool) -> None:
    """Tick a check, or take the tick back."""
    with transaction.atomic():
        kept = Rig.objects.select_for_update().get(pk=rig.pk)
        kept.ticked = sorted({*kept.ticked, key} if done else {*kept.ticked} - {key})
        kept.save(update_fields=["ticked"])
    rig.ticked = kept.ticked


def _set_input(rig: Rig, place: int, one: InputSetup, status: Status | None) -> None:
    change(rig, rig.plan.with_input(place, one), status)
