"""The path: a rig's hops in order, and the walk of a signal through them."""

from dataclasses import dataclass

from reel.core.errors import BadValueError
from reel.core.line.catalogue import HOPS
from reel.core.line.device import Device
from reel.core.line.hops import Hop, HopContext, blocked
from reel.core.line.links import Connector
from reel.core.line.loss import Loss, LossKind, Plug, Time, Weight
from reel.core.line.own import OwnRecorder
from reel.core.line.own_settings import OwnSettings
from reel.core.line.signal_state import SignalState, source_signal

MAX_HOPS = 12
# From about 60 ms on a delay is felt in the hands: play on a screen that hangs before the box.
FELT_MS = 60


@dataclass(frozen=True, slots=True, kw_only=True)
class HopSetup:
    """One hop of a path: the key of its model in the catalogue; how it is set, where it is a device's own recorder.

    None is what that does by itself.
    """

    model: str
    own: OwnSettings | None = None

    def __post_init__(self) -> None:
        if self.model not in HOPS:
            raise BadValueError("Hop", self.model, "the catalogue has no such hop")
        if self.own is not None and not isinstance(self.hop, OwnRecorder):
            raise BadValueError(self.hop.name, self.own.label, "it has nothing to set: it does not record")

    @property
    def hop(self) -> Hop:
        return HOPS[self.model]


@dataclass(frozen=True, slots=True, kw_only=True)
class Step:
    """One hop walked: what came out of it, None when nothing did, and what was lost in it."""

    setup: HopSetup
    passes: SignalState | None
    losses: tuple[Loss, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class SignalPath:
    """A signal's way from a device: what was sent, each step, what arrives at the computer and all that was lost."""

    sent: SignalState | None
    steps: tuple[Step, ...]
    arrives: SignalState | None
    losses: tuple[Loss, ...]

    @property
    def block(self) -> Loss | None:
        """The loss that lets no picture through; None when one arrives."""
        return next((loss for loss in self.losses if loss.blocks), None)


def signal_path(device: Device, path: tuple[HopSetup, ...], wanted: str = "") -> SignalPath:
    """Walk a device's signal through a path; `wanted` is the key of the offer asked for, "" for the best.

    A feed has no path: nothing is known of it before it is opened, and nothing is lost on the way.
    """
    leaves = source_signal(device)
    if leaves is None:
        return SignalPath(sent=None, steps=(), arrives=None, losses=())
    current: SignalState | None = leaves
    steps: list[Step] = []
    before = _device_losses(device)
    for place, setup in enumerate(path):
        if current is None:
            steps.append(Step(setup=setup, passes=None))
            continue
        at = HopContext(place=place, device=device, own=setup.own, wanted=wanted)
        if current.connector not in setup.hop.plugs_in:
            plug = Plug(comes=current.connector, takes=setup.hop.plugs_in)
            passed = blocked(at, LossKind.UNCONNECTED, plug)
        else:
            passed = setup.hop.carry(current, at)
        current = passed.carried
        steps.append(Step(setup=setup, passes=current, losses=passed.losses))
    losses = (*before, *(loss for step in steps for loss in step.losses))
    if current is not None and current.connector is not Connector.HOST:
        losses += (_open_end(current, len(path)),)
        current = None
    return SignalPath(sent=leaves, steps=tuple(steps), arrives=current, losses=losses)


def _open_end(carried: SignalState, place: int) -> Loss:
    return Loss(
        kind=LossKind.UNCONNECTED, stage="path", hop=place - 1 if place else None,
        limit=Plug(comes=carried.connector), weight=Weight.BLOCK,
    )  # fmt: skip


def _device_losses(device: Device) -> tuple[Loss, ...]:
    """Name what the device itself withholds."""
    if device.sleeps_after_s is None:
        return ()
    limit = Time(seconds=device.sleeps_after_s)
    return (Loss(kind=LossKind.WILL_SLEEP, stage="device", limit=limit, weight=Weight.SMALL),)
