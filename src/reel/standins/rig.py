"""A whole rig at work: a stand-in device, and the stand-ins of its hops, as one input."""

import heapq
from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import count

from reel.core.line.boxes import Box, Port
from reel.core.line.device import Access, DeviceSetup, Shows
from reel.core.line.hops import Adapter, HopKind, Link, Mirror, Receiver, name_of
from reel.core.line.links import Connector, Transfer
from reel.core.line.offer import Offer
from reel.core.line.path import HopSetup
from reel.core.signal import NS, Arrived, InputError, Picture, Samples, Signal, SoundFormat
from reel.standins.capture import BoxStandIn, Handover
from reel.standins.device import Shown, StandIn
from reel.standins.devices import stand_in
from reel.standins.wires import Air, HopStandIn, MirrorStandIn, PortStandIn, Turning, Wire

# As many pictures as a capture driver keeps for a program that is slow to read; older ones are overwritten.
BUFFERED_PICTURES = 8
# After this long without a picture a driver says that there is no signal.
NO_SIGNAL_NS = NS


class Chain:
    """A device and its hops as one input. Implements Input.

    Nothing is drawn that does not arrive. When no picture has come for NO_SIGNAL_NS, reading raises InputError.
    """

    def __init__(self, device: StandIn, hops: tuple[HopStandIn, ...] = (), *, delay_ms: int = 0) -> None:
        self._device, self._hops = device, hops
        self._delay_ns = delay_ms * NS // 1000
        self._waiting: list[tuple[int, int, Shown | Samples]] = []
        self._pictures, self._blocks = count(), count(1)
        self._open = True
        self._arrived_ns: int | None = None

    @property
    def signal(self) -> Signal:
        """What arrives, as the last hop describes it."""
        signal = self._device.signal
        for hop in self._hops:
            signal = hop.describe(signal)
        return signal

    @property
    def sound(self) -> SoundFormat:
        """That of the device."""
        return self._device.sound

    def due_ns(self) -> int | None:
        """When the next arrival is due, or the device sends something that may become one."""
        if not self._open:
            return None
        moments = [self._waiting[0][0]] if self._waiting else []
        if (due_ns := self._device.due_ns()) is not None:
            moments.append(due_ns)
        return min(moments) if moments else None

    def read(self, now_ns: int) -> Arrived | None:
        """Give the next arrival; None when what the device sent has not arrived, or not yet."""
        if not self._open:
            raise InputError(self._device.name, "is switched off")
        due_ns = self._device.due_ns()
        while due_ns is not None and due_ns <= now_ns:
            self._send(due_ns)
            due_ns = self._device.due_ns()
        self._overwrite(now_ns)
        if not self._is_due(now_ns):
            return None
        at_ns, sequence, item = heapq.heappop(self._waiting)
        if isinstance(item, Samples):
            return item
        return Picture(at_ns=at_ns, sequence=sequence, frame=item.frame)

    def close(self) -> None:
        """Switch it off."""
        self._open = False

    def _is_due(self, now_ns: int) -> bool:
        return bool(self._waiting) and self._waiting[0][0] <= now_ns

    def _send(self, due_ns: int) -> None:
        """Take what the device sends and carry it through the hops."""
        item = self._device.take()
        if isinstance(item, Samples):
            heard_ns = due_ns + self._delay_ns
            late = replace(item, at_ns=item.at_ns + self._delay_ns)
            heapq.heappush(self._waiting, (heard_ns, -next(self._blocks), late))
            return
        self._arrived_ns = due_ns if self._arrived_ns is None else self._arrived_ns
        for shown in self._through(item, self._hops):
            sequence = next(self._pictures)
            if shown is not None:
                self._arrived_ns = due_ns
                heapq.heappush(self._waiting, (shown.at_ns, sequence, shown))
        if due_ns - self._arrived_ns > NO_SIGNAL_NS:
            raise InputError(self._device.name, "is on, but nothing of it arrives: no signal")

    def _through(self, shown: Shown, hops: Sequence[HopStandIn]) -> Iterator[Shown | None]:
        if not hops:
            yield shown
            return
        for passed in hops[0].pass_on(shown):
            if passed is None:
                yield None
            else:
                yield from self._through(passed, hops[1:])

    def _overwrite(self, now_ns: int) -> None:
        """Let the oldest pictures go that the driver has no room for."""
        due = [entry for entry in self._waiting if entry[0] <= now_ns and isinstance(entry[2], Shown)]
        if len(due) > BUFFERED_PICTURES:
            late = set(sorted(entry[:2] for entry in due)[:-BUFFERED_PICTURES])
            self._waiting = [entry for entry in self._waiting if entry[:2] not in late]
            heapq.heapify(self._waiting)


def assemble(device: DeviceSetup, path: tuple[HopSetup, ...] = (), ask: Offer | None = None, *, start_ns: int) -> Chain:
    """Switch a device on at `start_ns` and plug its path together; `ask` is the mode asked of the box or camera.

    Raises InputError for a hop that another program holds or that the system denies, and for plugs that do not fit.
    """
    if device.access is not Access.FREE:
        raise InputError("The camera", _REFUSALS[device.access.value])
    source = stand_in(device, start_ns=start_ns)
    signal, at = source.signal, device.way_out
    hops: list[HopStandIn] = []
    delay_ms = 0
    if at is Connector.USB and ask is not None and not any(setup.hop.kind is HopKind.BOX for setup in path):
        hops.append(Handover(ask, signal, exact=device.shows is Shows.BARS))
    transfer = _transfer(device, path)
    for setup in path:
        if at not in setup.hop.plugs_in:
            raise InputError(setup.hop.label, f"has no place for {at.label if at else 'nothing'}")
        if setup.condition in _REFUSALS:
            raise InputError(setup.hop.label, _REFUSALS[setup.condition])
        stand = _hop(setup, device, signal, ask, transfer)
        hops.append(stand)
        signal = stand.describe(signal)
        delay_ms += getattr(setup.hop, "latency_ms", 0)
        at = setup.hop.plugs_out or at
    if path and at is not Connector.HOST:
        raise InputError(source.name, "is not connected to the computer")
    return Chain(source, tuple(hops), delay_ms=delay_ms)


# What an operating system says of a box or a camera that it does not open.
_REFUSALS = {"busy": "is open in another program", "denied": "may not be opened by Reel"}


def _transfer(device: DeviceSetup, path: tuple[HopSetup, ...]) -> Transfer:
    """Say how pictures are sent by USB: as the box does, or else as the device does."""
    return next((setup.hop.transfer for setup in path if isinstance(setup.hop, Box)), device.transfer)


def _hop(setup: HopSetup, device: DeviceSetup, signal: Signal, ask: Offer | None, transfer: Transfer) -> HopStandIn:
    hop = setup.hop
    if isinstance(hop, Link):
        return Wire(hop, signal)
    if isinstance(hop, Adapter):
        return Turning(hop, signal, powered=setup.condition != "no power")
    if isinstance(hop, Box):
        if ask is None:
            raise InputError(name_of(hop), "was not asked for a mode")
        protected = device.protected and device.way_out is Connector.HDMI
        return BoxStandIn(hop, signal, ask, protected=protected, exact=device.shows is Shows.BARS)
    if isinstance(hop, Port):
        return PortStandIn(hop, signal, transfer)
    if isinstance(hop, Receiver):
        return Air(hop, signal)
    assert isinstance(hop, Mirror)
    return MirrorStandIn(hop, signal, device, setup.condition)
