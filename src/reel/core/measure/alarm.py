"""Alarms: what is wrong with a live signal just now, and what it likely comes from with this device."""

from dataclasses import dataclass, field, replace
from enum import StrEnum

from reel.core.line import HANDHELD, DeviceKind, HopKind, LossKind, Remedy, RigSetup, Turn, chain, remedies, told
from reel.core.measure.watch import Watched
from reel.core.signal import Signal
from reel.core.sound import Level

BLACK_S = 2.0
FROZEN_S = 2.0
SNOW_S = 2.0
SILENT_S = 3.0
SILENT_DB = -70.0
CLIPPED_DB = -0.1
# How long a change of the mode is told.
CHANGE_S = 8.0


class AlarmKind(StrEnum):
    """What is wrong."""

    HELD = "held"
    NO_SIGNAL = "no signal"
    BLACK = "black"
    FROZEN = "frozen"
    ENDLESS = "endless"
    SILENT = "silent"
    CLIPPED = "sound clipped"
    MODE_CHANGED = "mode changed"
    TURNED = "turned"
    SNOW = "snow"


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

    `problem` says why there is no signal, `is_held` that another rig has the device.
    """

    first: Signal | None = None
    signal: Signal | None = None
    changed_s: float | None = None
    watched: Watched = field(default_factory=Watched)
    levels: tuple[Level, ...] = ()
    silent_s: float = 0.0
    problem: str | None = None
    is_held: bool = False


def alarms(setup: RigSetup, condition: Condition) -> tuple[Alarm, ...]:
    """Give the alarms of a rig, the gravest first."""
    if condition.problem is not None and condition.is_held:
        return (_alarm(AlarmKind.HELD, condition.problem, setup),)
    if condition.problem is not None:
        return (_alarm(AlarmKind.NO_SIGNAL, condition.problem, setup),)
    watched = condition.watched
    found = []
    if watched.black_s > BLACK_S:
        found.append(_alarm(AlarmKind.BLACK, f"The picture has been black for {watched.black_s:.0f} s.", setup))
    elif watched.snow_s > SNOW_S:
        found.append(_alarm(AlarmKind.SNOW, f"Nothing but snow for {watched.snow_s:.0f} s.", setup))
    elif watched.still_s > FROZEN_S:
        found.append(_alarm(AlarmKind.FROZEN, f"The picture has not changed for {watched.still_s:.0f} s.", setup))
    if watched.is_endless:
        found.append(_alarm(AlarmKind.ENDLESS, "The picture shows itself without end.", setup))
    if condition.silent_s > SILENT_S:
        found.append(_alarm(AlarmKind.SILENT, f"No sound for {condition.silent_s:.0f} s.", setup))
    if any(level.held_db > CLIPPED_DB for level in condition.levels):
        found.append(_alarm(AlarmKind.CLIPPED, "The sound reaches full scale and is cut off.", setup))
    if (changed := _change(setup, condition)) is not None:
        found.append(changed)
    return tuple(found)


def _change(setup: RigSetup, condition: Condition) -> Alarm | None:
    first, signal, changed_s = condition.first, condition.signal, condition.changed_s
    if first is None or signal is None or first == signal or changed_s is None or changed_s > CHANGE_S:
        return None
    old, new = first.mode, signal.mode
    if (old.width_px, old.height_px, old.rate) == (new.height_px, new.width_px, new.rate):
        return _alarm(AlarmKind.TURNED, f"It was turned: {new.size_label} comes instead of {old.size_label}.", setup)
    return _alarm(AlarmKind.MODE_CHANGED, f"The mode changed: {new.label} comes instead of {old.label}.", setup)


def _alarm(kind: AlarmKind, words: str, setup: RigSetup) -> Alarm:
    remedy = alarm_remedy(kind, setup)
    key, label = (remedy.key, remedy.label) if remedy else ("", "")
    return Alarm(kind=kind, words=words, causes=causes(kind, setup), remedy=key, mends=label)


# The losses that an alarm may come from.
_COMES_FROM = {
    AlarmKind.BLACK: (LossKind.BLACK_SURFACE,),
    AlarmKind.FROZEN: (LossKind.MINIMISED, LossKind.WILL_SLEEP),
    AlarmKind.ENDLESS: (LossKind.SHOWS_REEL,),
}


def alarm_remedy(kind: AlarmKind, setup: RigSetup) -> Remedy | None:
    """Give what Reel can do about an alarm of a rig: as the line says, or to keep a picture upright that was turned."""
    if kind is AlarmKind.TURNED and setup.arrival.turn is None:
        upright = replace(setup, arrival=replace(setup.arrival, turn=Turn.UPRIGHT))
        return Remedy(key="arrival upright", label="Keep the frame upright", setup=upright)
    way = chain(setup).travel
    if kind is AlarmKind.NO_SIGNAL:
        losses = [way.block] if way.block is not None else []
    else:
        losses = [loss for loss in way.losses if loss.kind in _COMES_FROM.get(kind, ())]
    return next((remedy for loss in losses for remedy in remedies(setup, loss)), None)


def causes(kind: AlarmKind, setup: RigSetup) -> tuple[str, ...]:
    """Give the likely causes of an alarm: what the line says, or else what the kind of device is known for."""
    device = setup.device.kind
    known = _CAUSES.get((kind, device), _CAUSES.get((kind, None), ()))
    walked = chain(setup).travel
    if kind is AlarmKind.NO_SIGNAL and walked.block is not None:
        return ("Path shows where it is blocked, and what mends it.",)
    if kind is AlarmKind.NO_SIGNAL and any(hop.hop.kind is HopKind.BOX for hop in setup.path):
        known = (*known, "A cable has come loose between the device and the box.")
    return tuple(told(loss, setup).limit for loss in walked.losses if loss.kind in _COMES_FROM.get(kind, ())) or known


# What practice says of each kind of device; None is for any other.
_CAUSES: dict[tuple[AlarmKind, DeviceKind | None], tuple[str, ...]] = {
    (AlarmKind.HELD, None): ("A page of that rig is open, or it rolls. Close its page or cut it.",),
    (AlarmKind.BLACK, DeviceKind.CONSOLE): ("A film or a protected scene plays.", "The game is loading."),
    **{
        (AlarmKind.BLACK, kind): ("The app forbids capture.", "The screen is off.", "A lens or sensor is covered.")
        for kind in HANDHELD
    },
    (AlarmKind.BLACK, DeviceKind.HEADSET): ("The headset is off the head and has gone dark.",),
    (AlarmKind.BLACK, DeviceKind.DECK): ("The tape is blank here.", "The wrong input of the box is chosen."),
    (AlarmKind.BLACK, DeviceKind.CAMERA): ("The lens cap is on.", "The privacy shutter is closed."),
    (AlarmKind.BLACK, None): ("The sender sends black.",),
    **{(AlarmKind.FROZEN, kind): ("The screen has locked itself.", "Nothing moves on it.") for kind in HANDHELD},
    (AlarmKind.FROZEN, DeviceKind.CONSOLE): ("The game is paused.", "A menu without movement is open."),
    (AlarmKind.FROZEN, DeviceKind.HEADSET): ("The mirror window is minimised.", "The headset sleeps."),
    (AlarmKind.FROZEN, DeviceKind.DECK): ("The tape is on pause.",),
    (AlarmKind.SNOW, DeviceKind.DECK): ("The tape is blank here.", "The tuner is on another channel."),
    (AlarmKind.SNOW, None): ("Nothing is connected to the input.", "The input is tuned to no station."),
    (AlarmKind.FROZEN, None): ("The sender has stalled.", "Nothing moves in front of it."),
    (AlarmKind.NO_SIGNAL, DeviceKind.DECK): ("The tape has ended or stands still.",),
    (AlarmKind.NO_SIGNAL, DeviceKind.HEADSET): ("The mirror window is closed.",),
    (AlarmKind.NO_SIGNAL, DeviceKind.FEED): ("The sender is off or its address has changed.",),
    (AlarmKind.NO_SIGNAL, None): ("The device is off or asleep.",),
    (AlarmKind.ENDLESS, None): ("The screen that is read shows Reel. Read the mirror window alone.",),
    (AlarmKind.SILENT, DeviceKind.DECK): ("The tape is blank here.", "The sound cable is not plugged in."),
    (AlarmKind.SILENT, None): ("The device is muted.", "Its sound goes to headphones or to another output."),
    (AlarmKind.CLIPPED, None): ("The device's volume or the input's gain is too high.",),
    (AlarmKind.TURNED, None): ("It is held differently.",),
    (AlarmKind.MODE_CHANGED, None): ("The device switched its output.", "Another input was chosen on the way."),
}
