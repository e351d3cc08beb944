"""Pairing and permission: what must be done, in order, before the signal of a device can be had, on either side."""

from collections.abc import Iterator
from dataclasses import dataclass

from reel.core.line.advice import Check
from reel.core.line.device import Device
from reel.core.line.devices import DeviceKind
from reel.core.line.input import InputSetup
from reel.core.line.links import Connector
from reel.core.line.own_settings import OwnSound
from reel.core.signal import Need


@dataclass(frozen=True, slots=True, kw_only=True)
class PairingStep:
    """One step: what to do, and what appears on the device and here. `need` is what the signal lacks until it is done,
    None for a step that no error ever names.

    A picture that arrives proves it, unless it `is_unseen`.
    """

    key: str
    text: str
    there: str = ""
    here: str = ""
    need: Need | None = None
    is_unseen: bool = False


@dataclass(frozen=True, slots=True, kw_only=True)
class InputState:
    """How an input stands: whether a picture or sound `arrives` (None while nobody looks), what it `needs`, if it says.

    `has_room` says whether there is room on the device's own storage.
    """

    arrives: bool | None = None
    needs: Need | None = None
    is_black: bool = False
    has_room: bool | None = None


def pairing_steps(setup: InputSetup) -> tuple[PairingStep, ...]:
    """Return the steps for an input's device and its way out, in their order; none for what needs no permission."""
    if setup.device.kind in (DeviceKind.FEED, DeviceKind.CHAT):
        return ()
    return tuple(_steps(setup, f"the {setup.device.facts.label.lower()}"))


def step_of(setup: InputSetup, need: Need) -> PairingStep | None:
    """Return the step that is missing while an input needs something."""
    return next((step for step in pairing_steps(setup) if step.need is need), None)


def pairing_checks(setup: InputSetup, state: InputState) -> tuple[tuple[PairingStep, Check], ...]:
    """Return each step with how it stands, noticed where it can be: what is not known stays for a person to tick."""
    steps = pairing_steps(setup)
    missing = next((place for place, one in enumerate(steps) if one.need and one.need is state.needs), None)

    def noticed(place: int, step: PairingStep) -> bool | None:
        if step.key == "lock-off":
            return setup.device.sleeps_after_s is None
        if step.key == "storage-room":
            return state.has_room
        if missing is not None:
            return False if place == missing else True if place < missing and not step.is_unseen else None
        is_proved = state.arrives and not step.is_unseen and not (step.key == "app" and state.is_black)
        return True if is_proved else None

    return tuple(
        (step, Check(key=step.key, text=step.text, measured=noticed(place, step))) for place, step in enumerate(steps)
    )


def _steps(setup: InputSetup, the: str) -> Iterator[PairingStep]:
    device, way = setup.device, setup.device.way_out
    if way is Connector.STORAGE:
        yield from _storage_steps(setup, the)
    elif way is Connector.PAIRED:
        yield from _paired_steps(the)
    elif way is Connector.WIRELESS:
        yield from _wireless_steps(device, the)
    elif way is Connector.WINDOW:
        yield _network(the)
        yield PairingStep(key="mirror-open", text="Open the mirror window", here="A window shows what one eye sees.")
        yield PairingStep(key="worn", text="Put it on", there="Off the head it goes dark.", is_unseen=True)
    else:
        yield from _plugged_steps(setup, the)


def _plugged_steps(setup: InputSetup, the: str) -> Iterator[PairingStep]:
    """By a cable, straight or through a box."""
    device, box = setup.device, setup.box
    taken = "the box" if box else the
    ends = f"between {the} and the box, and the box and this computer" if box else f"of {the}"
    yield PairingStep(key="cable", text=f"Plug in the cable {ends}")
    if device.facts.is_handheld and box is None:
        yield PairingStep(key="unlock", text=f"Unlock {the}", there="Its home screen, not the lock.")
        yield PairingStep(
            key="allow",
            text="Allow this computer",
            there="A question whether this computer is trusted; once allowed it is not asked again.",
            need=Need.ALLOWED,
        )
    yield PairingStep(
        key="system", text=f"Let Reel use {taken}", here="The system's settings list what may use it.", need=Need.SYSTEM
    )
    yield PairingStep(key="free", text=f"Close other programs that hold {taken}", need=Need.FREE)
    yield from _handheld_steps(device)


def _network(the: str) -> PairingStep:
    text = f"Put {the} and this computer on one network"
    return PairingStep(key="network", text=text, there="The network's name stands in its settings.")


def _wireless_steps(device: Device, the: str) -> Iterator[PairingStep]:
    yield _network(the)
    yield PairingStep(key="receiver", text="Start the receiver", here="It waits, and shows its name.")
    yield PairingStep(
        key="mirror", text="Choose this receiver", there="The list of screens that it can be mirrored to."
    )
    yield PairingStep(
        key="code", text="Type the code", there="A field for it.", here="Four figures, new each time.", need=Need.CODE
    )
    yield from _handheld_steps(device)


def _storage_steps(setup: InputSetup, the: str) -> Iterator[PairingStep]:
    yield PairingStep(
        key="record-screen", text="Let its recorder record the screen", there="It asks when it is first begun."
    )
    own = setup.own
    if own is not None and own.sound in (OwnSound.MICROPHONE, OwnSound.BOTH):
        yield PairingStep(
            key="record-voice",
            text="Let its recorder use the microphone",
            there="It asks once; refused, the track is silent.",
        )
    yield PairingStep(key="storage-room", text=f"Make room on the storage of {the}")
    yield from _handheld_steps(setup.device)


def _paired_steps(the: str) -> Iterator[PairingStep]:
    yield PairingStep(key="developer", text="Turn access for developers on", there="Its settings, under the system.")
    yield _network(the)
    yield PairingStep(
        key="code", text="Type the code", there="A code, for a minute.", here="A field for it.", need=Need.CODE
    )
    yield PairingStep(key="worn", text="Put it on", there="Off the head it goes dark.", is_unseen=True)


def _handheld_steps(device: Device) -> Iterator[PairingStep]:
    if device.facts.is_handheld:
        yield PairingStep(key="lock-off", text="Turn the sleep lock off", there="Its settings, under the screen.")
        yield PairingStep(key="app", text="Open the app", there="Its picture.", here="The same picture, not black.")
