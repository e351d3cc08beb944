"""What to see to before the first roll and after the cut, made from a rig's line."""

from dataclasses import dataclass
from enum import StrEnum

from reel.core.line.arrival import Deinterlace
from reel.core.line.carried import Fields
from reel.core.line.device import HANDHELD, DeviceKind, Eye, Turn
from reel.core.line.hops import HopKind, name_of
from reel.core.line.loss import Room
from reel.core.line.rig import RigSetup, chain


class CheckState(StrEnum):
    """How a point stands: FINE and WRONG are found by Reel, TICKED was said by a person, OPEN waits for one."""

    FINE = "fine"
    WRONG = "wrong"
    TICKED = "ticked"
    OPEN = "open"


@dataclass(frozen=True, slots=True, kw_only=True)
class Check:
    """One point of the list. `measured` says how it stands as far as Reel can tell; None where only a person can."""

    key: str
    text: str
    measured: bool | None = None

    def state(self, ticked: frozenset[str]) -> CheckState:
        """Say how it stands, given the keys that were ticked by hand."""
        if self.measured is not None:
            return CheckState.FINE if self.measured else CheckState.WRONG
        return CheckState.TICKED if self.key in ticked else CheckState.OPEN


@dataclass(frozen=True, slots=True, kw_only=True)
class Seen:
    """What is known at a moment: whether the shelf has room, whether sound is heard (None while the rig is closed)."""

    has_room: bool | None = None
    is_heard: bool | None = None


def before(setup: RigSetup, seen: Seen) -> tuple[Check, ...]:
    """Give what to see to before a roll, in the order of the line."""
    return (*_device_checks(setup), *_path_checks(setup), *_computer_checks(setup, seen))


def _device_checks(setup: RigSetup) -> list[Check]:
    device = setup.device
    checks = []
    if device.kind in HANDHELD:
        checks.append(Check(key="sleep-off", text="Sleep lock is off", measured=not device.sleep_lock))
        checks.append(Check(key="turn", text="Held as wanted: " + _held(setup)))
        checks.append(Check(key="messages", text="Do not disturb is on"))
    if device.kind is DeviceKind.CONSOLE:
        checks.append(Check(key="protection", text="Copy protection is off", measured=not device.protected))
    if device.kind is DeviceKind.HEADSET:
        eye = {Eye.LEFT: "left", Eye.RIGHT: "right", Eye.BOTH: "either"}[device.eye]
        checks.append(Check(key="eye", text=f"Your dominant eye is the {eye} one, which is recorded"))
    if device.kind is DeviceKind.DECK:
        checks.append(Check(key="tape", text="The tape is wound to its start, and its heads are clean"))
    if device.kind is DeviceKind.FEED and device.is_network:
        checks.append(Check(key="sender", text="The sender is set to its best picture"))
    return checks


def _held(setup: RigSetup) -> str:
    if setup.arrival.turn is None:
        return "the picture follows the device"
    return {Turn.UPRIGHT: "upright", Turn.LEFT: "turned left", Turn.RIGHT: "turned right"}[setup.arrival.turn]


def _path_checks(setup: RigSetup) -> list[Check]:
    checks, walked = [], chain(setup)
    slow = {loss.hop for loss in walked.travel.losses if isinstance(loss.limit, Room)}
    for place, hop_setup in enumerate(setup.path):
        hop = hop_setup.hop
        if hop.needs_power:
            text = f"{name_of(hop)} has power"
            checks.append(Check(key=f"power-{hop.key}", text=text, measured=hop_setup.condition != "no power"))
        if hop.kind is HopKind.PORT:
            checks.append(Check(key="port", text=f"{hop.label} is fast enough", measured=place not in slow))
        if hop.kind is HopKind.MIRROR:
            text = "The mirror window is in full view and stays where it is"
            checks.append(Check(key="mirror", text=text, measured=False if hop_setup.condition else None))
    arrives = walked.travel.arrives
    if arrives is not None and arrives.fields is Fields.APART:
        text = "Each field becomes a picture"
        checks.append(Check(key="fields", text=text, measured=setup.arrival.deinterlace is Deinterlace.FIELD))
    return checks


def _computer_checks(setup: RigSetup, seen: Seen) -> list[Check]:
    checks = []
    if chain(setup).travel.block is not None:
        checks.append(Check(key="arrives", text="A picture arrives", measured=False))
    checks.append(Check(key="room", text="There is room on the shelf", measured=seen.has_room))
    checks.append(Check(key="sound", text="Sound is heard", measured=seen.is_heard))
    return checks


def after(setup: RigSetup) -> tuple[Check, ...]:
    """Give what must be put back once the last take is cut."""
    device = setup.device
    checks = []
    if device.kind in HANDHELD and not device.sleep_lock:
        checks.append(Check(key="sleep-on", text="Sleep lock is on again"))
    if device.kind is DeviceKind.CONSOLE and not device.protected:
        checks.append(Check(key="protection-on", text="Copy protection is on again, if films are watched on it"))
    if device.kind is DeviceKind.DECK:
        checks.append(Check(key="rewound", text="The tape is rewound and out of the deck"))
    if any(hop_setup.hop.needs_power for hop_setup in setup.path):
        checks.append(Check(key="power-off", text="What was powered for the recording is switched off"))
    return tuple(checks)
