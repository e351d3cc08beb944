"""Remedies: single changes to a rig that are found, by walking the changed line, to undo a loss."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from fractions import Fraction
from functools import lru_cache

from reel.core.errors import BadValueError
from reel.core.line.arrival import ArrivalSetup, Deinterlace
from reel.core.line.catalogue import HOPS
from reel.core.line.devices import DeviceKind
from reel.core.line.hops import Hop, HopKind, label_of, within
from reel.core.line.input import InputSetup, SignalChain, signal_chain
from reel.core.line.links import Connector
from reel.core.line.loss import Loss, Weight
from reel.core.line.path import HopSetup
from reel.core.line.proposal import NoPathError, best_path
from reel.core.line.signal_state import Fields, SignalState, is_squeezed
from reel.core.signal import rate_label

MOST = 3
# A remedy may cost a little more than the loss that it undoes, as when smaller pictures come at their full rate.
_WORTH = 25
_SAY_RIGHT, _LAY_ANEW = -100, 30


@dataclass(frozen=True, slots=True, kw_only=True)
class Remedy:
    """A change that undoes a loss: its key, what its button says, and the rig's setup once it is done.

    `gives` says what comes back by it, "" where that is the loss itself; `gives_up` what is asked for no longer.
    """

    key: str
    label: str
    setup: InputSetup
    gives: str = ""
    gives_up: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class _Change:
    """A remedy that is being tried; of those with the same `group` only the best is offered.

    `effort` is what doing it weighs: what is a setting of Reel alone comes first, a new path last.
    """

    group: str
    remedy: Remedy
    effort: float = 2


@lru_cache(maxsize=256)
def remedies(setup: InputSetup, loss: Loss) -> tuple[Remedy, ...]:
    """Give up to MOST remedies for a loss of this rig, the best first.

    Each is walked: the loss is gone, nothing blocks that did not, and what arrives is worth it. One that only gives
    the wish up, so that nothing more arrives than before, is offered last, and only one of these. Protection is never
    taken off: what is offered is the device's own setting for gameplay, or an output that it does not protect.
    """
    now = signal_chain(setup)
    best: dict[str, tuple[bool, float, Remedy]] = {}
    for change, after in _tried(setup):
        given_up = _given_up(now, after)
        price = after.weight + given_up
        if not _undoes(loss, after) or price > now.weight + _WORTH:
            continue
        gives = _gains(now, after)
        surrenders = given_up > 0 and not gives
        ranked = (surrenders, price + change.effort)
        if change.group not in best or ranked < best[change.group][:2]:
            loss_message = replace(change.remedy, gives=", ".join(gives), gives_up=", ".join(_sends_less(now, after)))
            best[change.group] = (*ranked, loss_message)
    here = f"hop {loss.hop}"  # of equals, what is changed at the loss itself comes first
    order = sorted(best.items(), key=lambda found: (*found[1][:2], found[0] != here))
    kept = [remedy for _, (surrenders, _, remedy) in order if not surrenders][:MOST]
    last = [remedy for _, (surrenders, _, remedy) in order if surrenders][:1]
    return tuple(kept + last)[: MOST + 1]


def _gains(now: SignalChain, after: SignalChain) -> list[str]:
    """Say in figures what more arrives than before."""
    old, new = now.signal_path.arrives, after.signal_path.arrives
    if old is None or new is None:
        return ["a picture arrives"] if new is not None else []
    rates = [one.distinct_per_s * (1 - one.lost_part) for one in (old, new)]
    gains = [f"{rate_label(rates[1])} new pictures a second, not {rate_label(rates[0])}"] if rates[1] > rates[0] else []
    return gains + _more(old, new)


def _more(old: SignalState, new: SignalState) -> list[str]:
    sizes = [one.signal.mode.width_px * one.signal.mode.height_px for one in (old, new)]
    more = [f"{new.signal.mode.size_label}, not {old.signal.mode.size_label}"] if sizes[1] > sizes[0] else []
    if new.depth_bits > old.depth_bits:
        more.append(f"{new.depth_bits} bits, not {old.depth_bits}")
    if sizes[0] == sizes[1] and new.chroma_px > old.chroma_px:
        more.append("more colour detail")
    return more


def _sends_less(now: SignalChain, after: SignalChain) -> list[str]:
    """Say in figures what less the device sends than before."""
    old, new = now.signal_path.sent, after.signal_path.sent
    if old is None or new is None:
        return []
    modes = old.signal.mode, new.signal.mode
    less = []
    if modes[1].rate < modes[0].rate:
        less.append(f"{rate_label(modes[1].rate)} a second, not {rate_label(modes[0].rate)}")
    if modes[1].width_px * modes[1].height_px < modes[0].width_px * modes[0].height_px:
        less.append(f"{modes[1].size_label}, not {modes[0].size_label}")
    if new.depth_bits < old.depth_bits:
        less.append(f"{new.depth_bits} bits, not {old.depth_bits}")
    elif modes[0] == modes[1] and new.chroma_px < old.chroma_px:
        less.append("less colour detail")
    return less


@lru_cache(maxsize=32)
def _tried(setup: InputSetup) -> tuple[tuple[_Change, SignalChain], ...]:
    """Walk every change once, for all the losses of a rig."""
    return tuple((change, signal_chain(change.remedy.setup)) for change in _changes(setup))


def _undoes(loss: Loss, after: SignalChain) -> bool:
    still = any((other.stage, other.kind) == (loss.stage, loss.kind) for other in after.signal_path.losses)
    return not still and after.signal_path.block is None


def _given_up(now: SignalChain, after: SignalChain) -> float:
    """Weigh what the device sends less than before."""
    old, new = now.signal_path.sent, after.signal_path.sent
    if old is None or new is None:
        return 0
    areas = [carried.signal.mode.width_px * carried.signal.mode.height_px for carried in (old, new)]
    rates = [float(carried.signal.mode.rate) for carried in (old, new)]
    weight = max(0.0, 1 - areas[1] / areas[0]) * 100 + max(0.0, 1 - rates[1] / rates[0]) * 100
    weight += Weight.DEPTH if new.depth_bits < old.depth_bits else 0
    return weight + (Weight.CHROMA if new.chroma_px < old.chroma_px and areas[0] == areas[1] else 0)


def _changes(setup: InputSetup) -> Iterator[_Change]:
    for place, hop_setup in enumerate(setup.path):
        yield from _hop_changes(setup, place, hop_setup)
    yield from _device_changes(setup)
    yield from _arrival_changes(setup)
    yield from _new_paths(setup)


def _hop_changes(setup: InputSetup, place: int, hop_setup: HopSetup) -> Iterator[_Change]:
    hop = hop_setup.hop
    for other in HOPS.values():
        if other.kind is not hop.kind or other is hop or not set(other.plugs_in) & set(hop.plugs_in):
            continue
        swapped = _at(setup, place, f"hop {place}", f"Use {_article(other)}", HopSetup(model=other.key))
        yield swapped
        if other.plugs_out is not hop.plugs_out and place + 1 < len(setup.path):
            yield from _with_its_port(swapped, place, other)


def _with_its_port(change: _Change, place: int, box: Hop) -> Iterator[_Change]:
    path = change.remedy.setup.path
    for port in HOPS.values():
        if port.kind is HopKind.PORT and box.plugs_out in port.plugs_in:
            hops = (*path[: place + 1], HopSetup(model=port.key), *path[place + 2 :])
            remedy = Remedy(
                key=f"{change.remedy.key} {port.key}",
                label=f"Use {_article(box)} in a {within(label_of(port))}",
                setup=replace(change.remedy.setup, path=hops),
            )
            yield replace(change, remedy=remedy, effort=5)


def _at(setup: InputSetup, place: int, group: str, label: str, hop: HopSetup) -> _Change:
    path = (*setup.path[:place], hop, *setup.path[place + 1 :])
    remedy = Remedy(key=f"{group} {hop.model}", label=label, setup=replace(setup, path=path))
    return _Change(group=group, remedy=remedy)


def _article(hop: Hop) -> str:
    """Return a hop as the object of "Use": ports are the computer's, the rest is any such thing."""
    label = within(label_of(hop))
    if hop.kind is HopKind.PORT:
        return f"the {label}"
    vowel = label[0] in "AEIOUaeiou" or label.startswith(("HDMI", "S-V"))
    return f"{'an' if vowel else 'a'} {label}"


def _device_changes(setup: InputSetup) -> Iterator[_Change]:
    for setting in setup.device.settings():
        remedy = Remedy(key=setting.key, label=setting.label, setup=replace(setup, device=setting.device))
        yield _Change(group=setting.group, remedy=remedy)


def _arrival_changes(setup: InputSetup) -> Iterator[_Change]:
    def change(group: str, label: str, arrival: ArrivalSetup) -> _Change:
        remedy = Remedy(key=f"arrival {group}", label=label, setup=replace(setup, arrival=arrival))
        return _Change(group=group, remedy=remedy, effort=_SAY_RIGHT)

    arrives = signal_chain(setup).signal_path.arrives
    if setup.arrival.offer:
        yield change("offer", "Take the best mode that fits", replace(setup.arrival, offer=""))
    if setup.arrival.matrix is not None:
        yield change("own matrix", "Trust the signal's own matrix", replace(setup.arrival, matrix=None))
    if setup.arrival.range is not None:
        yield change("own range", "Trust the signal's own range", replace(setup.arrival, range=None))
    if arrives is None:
        return
    if arrives.signal.matrix is not arrives.matrix:
        matrix = arrives.matrix
        yield change("matrix", f"Read the colours as {matrix.value}", replace(setup.arrival, matrix=matrix))
    if is_squeezed(arrives):
        yield change("shape", f"Show it as {_shape_label(arrives.shape)}", replace(setup.arrival, shape=arrives.shape))
    if arrives.fields is Fields.APART and setup.arrival.deinterlace is not Deinterlace.FIELD:
        by_field = replace(setup.arrival, deinterlace=Deinterlace.FIELD)
        yield change("fields", "Make one picture of each field", by_field)


def _shape_label(shape: Fraction) -> str:
    return f"{shape.numerator}:{shape.denominator}"


def _new_paths(setup: InputSetup) -> Iterator[_Change]:
    """Return the best path by each way out, where the present one leads nowhere or does great harm."""
    device = setup.device
    harm = max((loss.weight for loss in signal_chain(setup).signal_path.losses if loss.stage == "path"), default=0)
    if device.kind is DeviceKind.FEED or harm < Weight.SHAPE:
        return
    is_blocked = harm >= Weight.BLOCK
    for way in device.facts.ways_out:
        if way is device.way_out and not is_blocked:
            continue
        try:
            sending = device.set(out=way)
            path = best_path(sending)
        except (NoPathError, BadValueError):
            continue
        label = f"Lay the path anew by {way.label}" if way is device.way_out else _by_way(way)
        remedy = Remedy(key=f"way {way}", label=label, setup=replace(setup, device=sending, path=path))
        yield _Change(group=f"way {way}", remedy=remedy, effort=_LAY_ANEW)


def _by_way(way: Connector) -> str:
    if way in (Connector.STORAGE, Connector.PAIRED):
        return f"Use {'the ' if way is Connector.PAIRED else ''}{way.label}"
    return f"Record its {way.label if way in (Connector.WIRELESS, Connector.WINDOW) else f'{way.label} output'}"
