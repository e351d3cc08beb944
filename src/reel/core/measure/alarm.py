"""Alarms: what is wrong with a live signal just now, and what it likely comes from with this device."""

from collections.abc import Iterator
from dataclasses import dataclass, field, replace

from reel.core.line import AlarmKind, HopKind, InputSetup, LossKind, Remedy, Turn, loss_message, remedies, signal_chain
from reel.core.line.pairing import step_of
from reel.core.measure.watch import Watched
from reel.core.signal import Need, Signal
from reel.core.sound import Level

BLACK_S = 2.0
FROZEN_S = 2.0
SNOW_S = 2.0
# So much of a mirrored picture stands still only where something else is seen; a flat sky comes to a tenth.
STILL_PART = 0.25
SILENT_DB = -70.0
CLIPPED_DB = -0.1
# How long a change of the mode is told.
CHANGE_S = 8.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Alarm:
    """One alarm: what it is in words, and its likely causes with this device, likeliest first.

    `remedy` is the key of what Reel can do about it and `mends` says it, both "" where there is nothing (alarm_remedy).
    """

    kind: AlarmKind
    words: str
    causes: tuple[str, ...] = ()
    remedy: str = ""
    mends: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Condition:
    """How an open rig stands: what `signal` was when it was opened and is now, and for how long what has lasted.

    `problem` says why there is no signal, `is_held` that another rig has the device, `needs` what it says it lacks.
    """

    first: Signal | None = None
    signal: Signal | None = None
    changed_s: float | None = None
    watched: Watched = field(default_factory=Watched)
    levels: tuple[Level, ...] = ()
    silent_s: float = 0.0
    problem: str | None = None
    is_held: bool = False
    needs: Need | None = None


def alarms(setup: InputSetup, condition: Condition) -> tuple[Alarm, ...]:
    """Return the alarms of a rig, the gravest first."""
    if condition.problem is not None and condition.is_held:
        return (_alarm(AlarmKind.HELD, condition.problem, setup),)
    if condition.problem is not None:
        return (_no_signal(condition.problem, condition.needs, setup),)
    found = _picture_alarms(setup, condition.watched)
    if condition.silent_s > setup.device.facts.silent_s:
        found.append(_alarm(AlarmKind.SILENT, f"No sound for {condition.silent_s:.0f} s.", setup))
    if any(level.held_db > CLIPPED_DB for level in condition.levels):
        found.append(_alarm(AlarmKind.CLIPPED, "The sound reaches full scale and is cut off.", setup))
    if (changed := _change(setup, condition)) is not None:
        found.append(changed)
    return tuple(found)


def _no_signal(problem: str, needs: Need | None, setup: InputSetup) -> Alarm:
    """Name the step of the pairing that is missing, where the input says so; else what it likely comes from."""
    alarm = _alarm(AlarmKind.NO_SIGNAL, problem, setup)
    missing = step_of(setup, needs) if needs is not None else None
    if missing is None:
        return alarm
    there = f" On the {setup.device.facts.label.lower()}: {missing.there}" if missing.there else ""
    return replace(alarm, causes=(f"What is missing: {missing.text}.{there}",), remedy="", mends="")


def _picture_alarms(setup: InputSetup, watched: Watched) -> list[Alarm]:
    found = []
    if watched.black_s > BLACK_S:
        found.append(_alarm(AlarmKind.BLACK, f"The picture has been black for {watched.black_s:.0f} s.", setup))
    elif watched.snow_s > SNOW_S:
        found.append(_alarm(AlarmKind.SNOW, f"Nothing but snow for {watched.snow_s:.0f} s.", setup))
    elif watched.still_s > FROZEN_S:
        found.append(_alarm(AlarmKind.FROZEN, f"The picture has not changed for {watched.still_s:.0f} s.", setup))
    elif watched.still_part > STILL_PART and any(hop.hop.kind is HopKind.MIRROR for hop in setup.path):
        words = f"{watched.still_part:.0%} of the picture has stood still while the rest moved."
        found.append(_alarm(AlarmKind.PARTLY_STILL, words, setup))
    if watched.is_endless:
        found.append(_alarm(AlarmKind.ENDLESS, "The picture shows itself without end.", setup))
    return found


def _change(setup: InputSetup, condition: Condition) -> Alarm | None:
    first, signal, changed_s = condition.first, condition.signal, condition.changed_s
    if first is None or signal is None or first == signal or changed_s is None or changed_s > CHANGE_S:
        return None
    old, new = first.mode, signal.mode
    if (old.width_px, old.height_px, old.rate) == (new.height_px, new.width_px, new.rate):
        return _alarm(AlarmKind.TURNED, f"It was turned: {new.size_label} comes instead of {old.size_label}.", setup)
    return _alarm(AlarmKind.MODE_CHANGED, f"The mode changed: {new.label} comes instead of {old.label}.", setup)


def _alarm(kind: AlarmKind, words: str, setup: InputSetup) -> Alarm:
    remedy = alarm_remedy(kind, setup)
    key, label = (remedy.key, remedy.label) if remedy else ("", "")
    return Alarm(kind=kind, words=words, causes=causes(kind, setup), remedy=key, mends=label)


# The losses that an alarm may come from.
_COMES_FROM = {AlarmKind.FROZEN: (LossKind.WILL_SLEEP,)}


def alarm_remedy(kind: AlarmKind, setup: InputSetup) -> Remedy | None:
    """What Reel can do about an alarm of a rig: as the line says, or to keep a picture upright that was turned."""
    if kind is AlarmKind.TURNED and setup.arrival.turn is None:
        upright = replace(setup, arrival=replace(setup.arrival, turn=Turn.UPRIGHT))
        return Remedy(key="arrival upright", label="Keep the frame upright", setup=upright)
    way = signal_chain(setup).signal_path
    if kind is AlarmKind.NO_SIGNAL:
        losses = [way.block] if way.block is not None else []
    else:
        losses = [loss for loss in way.losses if loss.kind in _COMES_FROM.get(kind, ())]
    return next((remedy for loss in losses for remedy in remedies(setup, loss)), None)


def causes(kind: AlarmKind, setup: InputSetup) -> tuple[str, ...]:
    """Return the likely causes of an alarm: what the line says, or else what the device and the hops are known for."""
    way = signal_chain(setup).signal_path
    if kind is AlarmKind.NO_SIGNAL and way.block is not None:
        return ("Path shows where it is blocked, and what mends it.",)
    said = tuple(loss_message(loss, setup).limit for loss in way.losses if loss.kind in _COMES_FROM.get(kind, ()))
    known = setup.device.facts.causes.get(kind, _CAUSES.get(kind, ()))
    return said or (*known, *_hop_causes(kind, setup))


def _hop_causes(kind: AlarmKind, setup: InputSetup) -> Iterator[str]:
    if kind is AlarmKind.NO_SIGNAL:
        yield from (f"{hop.hop.name} has no power." for hop in setup.path if hop.hop.needs_power)
        if any(hop.hop.kind is HopKind.BOX for hop in setup.path):
            yield "A cable has come loose between the device and the box."


# What practice says of any device; what a kind is known for stands with it.
_CAUSES: dict[AlarmKind, tuple[str, ...]] = {
    AlarmKind.HELD: ("A page of that rig is open, or it rolls. Close its page or cut it.",),
    AlarmKind.BLACK: ("The sender sends black.",),
    AlarmKind.SNOW: ("Nothing is connected to the input.", "The input is tuned to no station."),
    AlarmKind.FROZEN: ("The sender has stalled.", "Nothing moves in front of it."),
    AlarmKind.PARTLY_STILL: (
        "Another window lies over the mirror.",
        "The mirror was moved from where it is read, or made smaller.",
    ),
    AlarmKind.NO_SIGNAL: ("The device is off or asleep.",),
    AlarmKind.ENDLESS: ("The screen that is read shows Reel. Read the mirror window alone.",),
    AlarmKind.SILENT: ("The device is muted.", "Its sound goes to headphones or to another output."),
    AlarmKind.CLIPPED: ("The device's volume or the input's gain is too high.",),
    AlarmKind.TURNED: ("It is held differently.",),
    AlarmKind.MODE_CHANGED: ("The device switched its output.", "Another input was chosen on the way."),
}
