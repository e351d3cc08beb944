"""Proposing a whole line: from what is recorded and what is at hand to a rig that works."""

from collections.abc import Collection, Iterator
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import lru_cache

from reel.core.errors import ReelError
from reel.core.file import Recipe
from reel.core.frame import FrameSetup
from reel.core.line.arrival import ArrivalSetup, Deinterlace
from reel.core.line.catalogue import HOPS
from reel.core.line.device import Device, is_interlaced
from reel.core.line.devices import DEVICES, DeviceKind
from reel.core.line.hops import HopKind, label_of
from reel.core.line.input import InputSetup, signal_chain
from reel.core.line.links import Connector
from reel.core.line.loss import LossKind, Weight
from reel.core.line.origin import Simulated
from reel.core.line.path import HopSetup
from reel.core.line.rig import RigSetup
from reel.core.signal import Mode, Signal
from reel.core.sound import TrackSetup

# Hops that a person must own; cables and the computer's ports are taken to be there.
OWNED_KINDS = (HopKind.BOX, HopKind.ADAPTER, HopKind.SPLITTER, HopKind.RECEIVER)
USUAL_FRAME = Mode(width_px=1280, height_px=720, rate=Fraction(30))
# More than this is recorded where somebody asks for it.
_USUAL_MOST = Mode(width_px=1920, height_px=1080, rate=Fraction(60))


class NoPathError(ReelError, LookupError):
    """Raised when nothing that is at hand brings a device's signal to the computer; `needs` names what would."""

    def __init__(self, device: str, needs: tuple[str, ...]) -> None:
        self.device, self.needs = device, needs
        one_of = ", ".join(needs)
        super().__init__(
            f"What you have does not bring the {device.lower()} to the computer: it takes one of {one_of}."
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class _Found:
    weight: float
    latency_ms: int
    setup: InputSetup


def paths_to_host(way: Connector, have: Collection[str] | None = None) -> Iterator[tuple[HopSetup, ...]]:
    """Return every sensible path from a way out to the computer: a cable, perhaps an adapter, a box, a port.

    `have` are the keys of owned hops; None takes the whole catalogue to be at hand.
    """
    yield from _onwards(way, (), have)


def _onwards(at: Connector, path: tuple[HopSetup, ...], have: Collection[str] | None) -> Iterator[tuple[HopSetup, ...]]:
    if at is Connector.HOST:
        yield path
        return
    done = {setup.hop.kind for setup in path}
    for hop in HOPS.values():
        owned = have is None or hop.key in have or hop.kind not in OWNED_KINDS
        if at not in hop.plugs_in or not owned or hop.kind is HopKind.SPLITTER:
            continue
        after_cable = bool(path) and path[-1].hop.kind is HopKind.CABLE
        if hop.kind is HopKind.CABLE and (after_cable or HopKind.BOX in done):
            continue
        if hop.kind is HopKind.ADAPTER and HopKind.ADAPTER in done:
            continue
        wired = hop.kind is HopKind.BOX and not after_cable  # a box hangs on a cable
        if not wired:
            yield from _onwards(hop.plugs_out or at, (*path, HopSetup(model=hop.key)), have)


@lru_cache(maxsize=64)
def best_path(device: Device, have: frozenset[str] | None = None) -> tuple[HopSetup, ...]:
    """Return the path by the device's way out that loses least, then the quickest; raises NoPathError."""
    return _best(device, have, (device.way_out,) if device.way_out else ()).setup.path


def propose(kind: DeviceKind, have: Collection[str] | None = None, mode: Mode | None = None) -> RigSetup:
    """Propose a rig for a kind of device (not a feed) by whichever way out loses least; raises NoPathError.

    `have` are the keys of what is at hand: a path that uses some of it is taken before one that needs none. `mode` is
    what the device sends, its first mode when None. The recorded frame is what arrives.
    """
    found = propose_input(kind, have, mode)
    track = TrackSetup(name=found.name)
    return with_fitting_frame(
        RigSetup(inputs=(found,), frame=FrameSetup(mode=USUAL_FRAME), tracks=(track,), recipe=Recipe())
    )


def propose_input(kind: DeviceKind, have: Collection[str] | None = None, mode: Mode | None = None) -> InputSetup:
    """Propose an input for a kind of device that is not a feed, named after it; see propose."""
    made = DEVICES[kind]
    if not made.facts.ways_out:
        return InputSetup(name=made.facts.label, device=made(), origin=default_origin(kind))
    device = made(mode=mode or made.facts.modes[0])  # type: ignore[call-arg]  # what has a way out has a mode
    return _best(device, have, made.facts.ways_out).setup


def propose_with(kind: DeviceKind, have: Collection[str] | None) -> RigSetup:
    """Propose a rig that uses what is at hand for what it can do: a box's most pixels a second, up to 1080p 60.

    A mode counts where nothing is lost that is not lost of the device's first one too. With nothing at hand (None) the
    first one stays. Raises NoPathError.
    """
    first = propose(kind, have)
    lost = _kinds_lost(first)
    found = first
    for mode in first.picture.device.facts.modes if have and first.picture.box else ():
        if _pixels_per_s(_USUAL_MOST) >= _pixels_per_s(mode) > _pixels_per_s(found.picture.device.mode):
            other = propose(kind, have, mode)
            found = other if _kinds_lost(other) <= lost else found
    return found


def _pixels_per_s(mode: Mode) -> Fraction:
    return mode.width_px * mode.height_px * mode.rate


def _kinds_lost(setup: RigSetup) -> set[LossKind]:
    return {loss.kind for loss in signal_chain(setup.picture).signal_path.losses}


def _best(device: Device, have: Collection[str] | None, ways: tuple[Connector, ...]) -> _Found:
    found = []
    for way in ways:
        sending = device.set(out=None if way is device.facts.ways_out[0] else way)
        for path in paths_to_host(way, have):
            setup = InputSetup(
                name=device.facts.label,
                device=sending,
                origin=default_origin(device.kind),
                path=path,
                arrival=_arrival(sending),
            )
            walked = signal_chain(setup)
            if walked.carried is not None:
                found.append(_Found(weight=walked.weight, latency_ms=walked.carried.latency_ms, setup=setup))
    if not found:
        raise NoPathError(device.facts.label, tuple(_needed(device)))
    with_it = [one for one in found if have and any(setup.model in have for setup in one.setup.path)]
    # what makes less than a small loss of difference is alike: then the quicker way is the better one
    return min(with_it or found, key=lambda one: (one.weight // Weight.SMALL, one.latency_ms, len(one.setup.path)))


def default_origin(kind: DeviceKind) -> Simulated:
    """Return where a kind of device, which is not a feed, comes in by default; what the computer plays is shared."""
    return Simulated(device=DEVICES[kind].facts.label, shared=kind is DeviceKind.CHAT)


def _arrival(device: Device) -> ArrivalSetup:
    """Have interlaced signals deinterlaced with all their motion."""
    return ArrivalSetup(deinterlace=Deinterlace.FIELD) if is_interlaced(device) else ArrivalSetup()


def _needed(device: Device) -> Iterator[str]:
    """Return the names of owned hops that would do."""
    for key, hop in HOPS.items():
        ways = device.facts.ways_out
        if hop.kind in OWNED_KINDS and any(next(paths_to_host(way, (key,)), None) for way in ways):
            yield label_of(hop)


def with_fitting_frame(setup: RigSetup) -> RigSetup:
    """Set the recorded frame to what arrives first, in square pixels; a feed's stays, since it is not known yet."""
    carried = signal_chain(setup.picture).carried
    if carried is None:
        return setup
    return replace(setup, frame=replace(setup.frame, mode=fitting_frame(carried.signal)))


def fitting_frame(signal: Signal) -> Mode:
    """Return the frame that takes a signal whole: its height and rate, its width in square pixels, both even."""
    mode = signal.mode
    width = round(mode.width_px * signal.pixel_aspect / 2) * 2
    return Mode(width_px=width, height_px=mode.height_px // 2 * 2, rate=mode.rate)
