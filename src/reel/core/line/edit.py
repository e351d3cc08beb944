"""Editing a path: hops added, removed, moved and swapped. Each gives a new path; none changes the one it is given."""

from dataclasses import replace

from reel.core.errors import BadValueError
from reel.core.line.catalogue import HOPS
from reel.core.line.device import Device
from reel.core.line.devices import DEVICES, DeviceKind
from reel.core.line.hops import HopKind
from reel.core.line.input import InputSetup
from reel.core.line.own import OwnRecorder, screen_of
from reel.core.line.own_settings import OwnSettings
from reel.core.line.path import MAX_HOPS, HopSetup
from reel.core.line.proposal import best_path

Path = tuple[HopSetup, ...]


def add_hop(path: Path, place: int, model: str) -> Path:
    """Put a hop before the one at `place`, or at the end; raises BadValueError when the path is full."""
    if len(path) >= MAX_HOPS:
        raise BadValueError("Path", f"{len(path) + 1} hops", f"it has at most {MAX_HOPS}")
    if not 0 <= place <= len(path):
        raise BadValueError("Place", place + 1, f"it is from 1 to {len(path) + 1}")
    return (*path[:place], HopSetup(model=model), *path[place:])


def remove_hop(path: Path, place: int) -> Path:
    _check(path, place)
    return path[:place] + path[place + 1 :]


def move_hop(path: Path, place: int, by: int) -> Path:
    """Move a hop up (−1) or down (1); one at an end stays there."""
    _check(path, place)
    hops = list(path)
    hop = hops.pop(place)
    hops.insert(min(max(0, place + by), len(hops)), hop)
    return tuple(hops)


def swap_hop(path: Path, place: int, model: str) -> Path:
    """Put another model in a hop's place; the same model stays as it is set."""
    _check(path, place)
    return path if path[place].model == model else (*path[:place], HopSetup(model=model), *path[place + 1 :])


def alternatives(model: str) -> tuple[str, ...]:
    """Return the keys of the hops that can stand in a hop's place, itself among them."""
    hop = HOPS[model]
    fits = [key for key, other in HOPS.items() if other.kind is hop.kind and set(other.plugs_in) & set(hop.plugs_in)]
    return tuple(fits)


def with_device(setup: InputSetup, device: Device) -> InputSetup:
    """Set a rig's device; when its signal leaves by another way than before, the best path from there is laid.

    The device's own recorder is set to the nearest that goes with it.
    """
    if device.kind is DeviceKind.FEED or device.way_out is setup.device.way_out:
        return replace(setup, device=device, path=tuple(_refitted(hop, device) for hop in setup.path))
    return replace(setup, device=device, path=best_path(device), arrival=replace(setup.arrival, offer=""))


def _refitted(hop: HopSetup, device: Device) -> HopSetup:
    if hop.own is None or not isinstance(hop.hop, OwnRecorder):
        return hop
    return replace(hop, own=hop.hop.facts_of(device).fitted(hop.own, screen_of(device)))


def set_own(setup: InputSetup, own: OwnSettings) -> InputSetup:
    """Set the own recorder of an input's device; what it does by itself is kept as nothing chosen."""
    recorder = setup.own_recorder
    if recorder is None:
        raise BadValueError(setup.name, own.label, "its device does not record by itself")
    *before, last = setup.path
    usual = recorder.facts_of(setup.device).usual
    return replace(setup, path=(*before, replace(last, own=None if own == usual else own)))


def hops_for(kind: DeviceKind) -> tuple[str, ...]:
    """Return the keys of boxes, adapters and receivers that can lead from a kind of device to the computer."""
    keys = []
    for key, hop in HOPS.items():
        if hop.kind in (HopKind.BOX, HopKind.ADAPTER, HopKind.RECEIVER) and _leads_there(kind, key):
            keys.append(key)
    return tuple(keys)


def _leads_there(kind: DeviceKind, key: str) -> bool:
    reached = set(DEVICES[kind].facts.ways_out)
    for _ in range(2):  # through at most one adapter
        for hop in HOPS.values():
            if hop.kind is HopKind.ADAPTER and hop.plugs_out and reached & set(hop.plugs_in):
                reached.add(hop.plugs_out)
    return bool(reached & set(HOPS[key].plugs_in))


def _check(path: Path, place: int) -> None:
    if not 0 <= place < len(path):
        raise BadValueError("Hop", place + 1, f"the path has {len(path)} hops")
