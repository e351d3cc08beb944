"""What to see to before the first roll and after the cut, made from a rig's line."""

from dataclasses import dataclass

from reel.core.line.advice import Check
from reel.core.line.arrival import Deinterlace
from reel.core.line.hops import HopKind
from reel.core.line.input import InputSetup, signal_chain
from reel.core.line.loss import Room
from reel.core.line.origin import Network
from reel.core.line.own import OwnRecorder
from reel.core.line.signal_state import Fields

# Fewer than this part of the pictures that a signal says are too few; a take that lost more than that lost too many.
ARRIVING_PART, LOST_PART = 0.97, 0.002


@dataclass(frozen=True, slots=True, kw_only=True)
class Seen:
    """What is known at a moment: whether the shelf has room, whether sound is heard (None while the rig is closed).

    `arriving` are the pictures a second that come, and that the signal says; `headroom` is how many times faster than
    needed this machine was measured to encode; `lost` are the frames that the last take of this kind lost, and all that
    it should have. None where that is not known.
    """

    has_room: bool | None = None
    is_heard: bool | None = None
    arriving: tuple[float, float] | None = None
    headroom: float | None = None
    lost: tuple[int, int] | None = None


def checks_before(setup: InputSetup) -> tuple[Check, ...]:
    """Return what to see to at an input before a roll, in the order of the line."""
    own = setup.device.checks(setup.arrival.turn)
    sender = (Check(key="sender", text="The sender is set to its best picture"),)
    is_sent = isinstance(setup.origin, Network)
    return (*own, *(sender if is_sent else ()), *_path_checks(setup))


def _path_checks(setup: InputSetup) -> list[Check]:
    checks, walked = [], signal_chain(setup)
    slow = {loss.hop for loss in walked.signal_path.losses if isinstance(loss.limit, Room)}
    for place, hop_setup in enumerate(setup.path):
        hop = hop_setup.hop
        if hop.needs_power:
            checks.append(Check(key=f"power-{hop.key}", text=f"{hop.name} has power"))
        if hop.kind is HopKind.PORT:
            checks.append(Check(key="port", text=f"{hop.name} is fast enough", measured=place not in slow))
        if hop.kind is HopKind.MIRROR:
            text = "The mirror window is in full view and stays where it is"
            checks.append(Check(key="mirror", text=text))
        if isinstance(hop, OwnRecorder) and hop.is_paired:
            checks.append(Check(key="paired", text=f"{hop.name} is paired"))
    arrives = walked.signal_path.arrives
    if arrives is not None and arrives.fields is Fields.APART:
        text = "Each field becomes a picture"
        checks.append(Check(key="fields", text=text, measured=setup.arrival.deinterlace is Deinterlace.FIELD))
    return checks


def computer_checks(setup: InputSetup, seen: Seen) -> tuple[Check, ...]:
    """Return what to see to at the computer; `setup` is the first input."""
    if signal_chain(setup).is_remote:
        return (Check(key="room", text="There is room where it is recorded", measured=seen.has_room),)
    checks = []
    if signal_chain(setup).signal_path.block is not None:
        checks.append(Check(key="arrives", text="A picture arrives", measured=False))
    if seen.arriving is not None:
        comes, said = seen.arriving
        text = f"Pictures arrive: {comes:.0f} of {said:.0f} a second"
        checks.append(Check(key="pictures", text=text, measured=comes >= ARRIVING_PART * said))
    checks += _machine_checks(seen)
    checks.append(Check(key="room", text="There is room on the shelf", measured=seen.has_room))
    checks.append(Check(key="sound", text="Sound is heard", measured=seen.is_heard))
    return tuple(checks)


def _machine_checks(seen: Seen) -> list[Check]:
    """Return whether the machine keeps up: what the last take lost counts more than what encoding alone needs."""
    if seen.lost is not None and seen.lost[0] > LOST_PART * seen.lost[1]:
        text = f"The machine keeps up: the last take like this lost {seen.lost[0]} of {seen.lost[1]} frames"
        return [Check(key="machine", text=text, measured=False)]
    if seen.headroom is not None:
        text = f"The machine keeps up: it encodes {seen.headroom:.1f} times as fast as needed"
        return [Check(key="machine", text=text, measured=seen.headroom >= 1)]
    return []


def checks_after(setup: InputSetup) -> tuple[Check, ...]:
    """Return what must be put back once the last take is cut."""
    is_powered = any(hop_setup.hop.needs_power for hop_setup in setup.path)
    power = (Check(key="power-off", text="What was powered for the recording is switched off"),)
    return (*setup.device.checks_after(), *(power if is_powered else ()))
