"""A whole input at work: a stand-in device, and the stand-ins of its hops, as one input."""

import heapq
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import count

from reel.core.line import Connector, Eye, Hop, InputSetup, Offer
from reel.core.line.boxes import Box, Port
from reel.core.line.hops import Adapter, Link, Mirror, Receiver, within
from reel.core.signal import NS, Arrived, DeviceEvent, InputError, Need, Picture, Samples, Sent, Signal, SoundFormat
from reel.standins.capture import BoxStandIn, Handover
from reel.standins.device import Shown, StandIn
from reel.standins.devices import stand_in
from reel.standins.room import Claps
from reel.standins.scenario import Fault, Scenario, Shows
from reel.standins.trouble import Trouble
from reel.standins.wires import Air, HopStandIn, MirrorStandIn, PortStandIn, Turning, Wire

# As many pictures as a capture driver keeps for a program that is slow to read; older ones are overwritten.
BUFFERED_PICTURES = 8
# After this long without a picture a driver says that there is no signal.
NO_SIGNAL_NS = NS


# What is said of a device that is not opened, and what it lacks; of one that was pulled nothing is said.
REFUSALS = {
    Fault.BUSY: ("is open in another program", Need.FREE),
    Fault.DENIED: ("may not be opened by Reel", Need.SYSTEM),
    Fault.NOT_ALLOWED: ("waits until this computer is allowed on it", Need.ALLOWED),
    Fault.NOT_PAIRED: ("is not paired with this computer; type the code", Need.CODE),
}


class Assembled:
    """A device and its hops as one input. Implements Input.

    Nothing is drawn that does not arrive. When no picture has come for NO_SIGNAL_NS, reading raises InputError, and so
    it does while the system gives `captures`, the box or the camera, to nobody.
    """

    def __init__(
        self,
        device: StandIn,
        hops: tuple[HopStandIn, ...] = (),
        *,
        delay_ms: int = 0,
        trouble: Trouble | None = None,
        captures: str = "",
    ) -> None:
        self._device, self._hops = device, hops
        self._delay_ns = delay_ms * NS // 1000
        self._trouble, self._captures = trouble or Trouble(Scenario()), captures
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
        return self._device.sound

    @property
    def is_connecting(self) -> bool:
        return False

    @property
    def event(self) -> DeviceEvent | None:
        """What the device reports, where it is linked to a computer: what comes by a capture box says nothing."""
        return None if any(isinstance(hop, BoxStandIn) for hop in self._hops) else self._device.event

    @property
    def sent(self) -> Sent | None:
        """Nothing: it does not come in packets that could be kept."""
        return None

    def due_ns(self) -> int | None:
        """When the next arrival is due, or the device sends something that may become one."""
        if not self._open:
            return None
        moments = [self._waiting[0][0]] if self._waiting else []
        if (due_ns := self._device.due_ns()) is not None:
            moments.append(due_ns)
        return min(moments) if moments else None

    def read(self, now_ns: int) -> Arrived | None:
        """Return the next arrival; None when what the device sent has not arrived, or not yet."""
        if not self._open:
            raise InputError(self._device.name, "is switched off")
        refuse_captured(self._captures, self._trouble, now_ns)
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
        self._open = False

    def _is_due(self, now_ns: int) -> bool:
        return bool(self._waiting) and self._waiting[0][0] <= now_ns

    def _send(self, due_ns: int) -> None:
        """Take what the device sends and carry it through the hops."""
        item = self._device.take()
        self._arrived_ns = due_ns if self._arrived_ns is None else self._arrived_ns
        if self._trouble.at(due_ns) is Fault.PULLED:
            self._miss(due_ns)
            return
        if isinstance(item, Samples):
            heard_ns = due_ns + self._delay_ns
            late = replace(item, at_ns=item.at_ns + self._delay_ns)
            heapq.heappush(self._waiting, (heard_ns, -next(self._blocks), late))
            return
        for shown in self._through(item, self._hops):
            sequence = next(self._pictures)
            if shown is not None:
                self._arrived_ns = due_ns
                heapq.heappush(self._waiting, (shown.at_ns, sequence, shown))
        self._miss(due_ns)

    def _miss(self, due_ns: int) -> None:
        """Raise InputError when nothing has come for too long."""
        if self._arrived_ns is not None and due_ns - self._arrived_ns > NO_SIGNAL_NS:
            raise InputError(self._device.name, "gives no signal")

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


def assemble(
    setup: InputSetup,
    scenario: Scenario,
    ask: Offer | None = None,
    *,
    start_ns: int,
    trouble: Trouble | None = None,
    claps: Claps | None = None,
) -> Assembled:
    """Switch an input's device on at `start_ns` and plug its path together; `ask` is the mode asked of box or camera.

    `trouble` is what fails; None for what the scenario says. `claps` is who claps in the room.
    Raises InputError for a box or camera that another program holds or that the system denies, and for plugs that do
    not fit.
    """
    trouble = trouble or Trouble.opened_at(scenario, start_ns)
    room = _Room(setup=setup, scenario=scenario, ask=ask, trouble=trouble)
    captures = f"The {within(setup.box.name if setup.box else setup.device.facts.label)}"
    refuse_captured(captures, trouble, start_ns)
    source = stand_in(setup.device, scenario, start_ns=start_ns, trouble=trouble, claps=claps)
    signal, at = source.signal, setup.device.way_out
    hops: list[HopStandIn] = []
    delay_ms = 0
    if at is Connector.USB and ask is not None and setup.box is None:
        hops.append(Handover(ask, signal, exact=scenario.shows is Shows.BARS))
    for hop_setup in setup.path:
        hop = hop_setup.hop
        if at not in hop.plugs_in:
            raise InputError(hop.name, f"has no place for {at.label if at else 'nothing'}")
        stand = room.stand_in_of(hop, signal)
        hops.append(stand)
        signal = stand.describe(signal)
        delay_ms += getattr(hop, "latency_ms", 0)
        at = hop.plugs_out or at
    if setup.path and at is not Connector.HOST:
        raise InputError(source.name, "is not connected to the computer")
    return Assembled(source, tuple(hops), delay_ms=delay_ms, trouble=trouble, captures=captures)


def refuse_captured(captures: str, trouble: Trouble, at_ns: int) -> None:
    """Raise InputError while a device, or the box in front of it, is not opened: held, denied, not paired."""
    fault = trouble.at(at_ns)
    if fault is not None and fault in REFUSALS:
        reason, needs = REFUSALS[fault]
        raise InputError(captures, reason, needs=needs)


@dataclass(frozen=True, slots=True, kw_only=True)
class _Room:
    """The room in which a rig is plugged together."""

    setup: InputSetup
    scenario: Scenario
    ask: Offer | None
    trouble: Trouble

    def stand_in_of(self, hop: Hop, signal: Signal) -> HopStandIn:
        """Return the stand-in of a hop for a signal that goes in."""
        if isinstance(hop, Link):
            return Wire(hop, signal)
        if isinstance(hop, Adapter):
            return Turning(hop, signal, self.trouble)
        if isinstance(hop, Box):
            if self.ask is None:
                raise InputError(hop.name, "was not asked for a mode")
            exact = self.scenario.shows is Shows.BARS
            return BoxStandIn(hop, signal, self.ask, protected=self.setup.device.is_protected, exact=exact)
        if isinstance(hop, Port):
            return PortStandIn(hop, signal, self.setup.transfer)
        if isinstance(hop, Receiver):
            return Air(hop, signal)
        assert isinstance(hop, Mirror)
        return MirrorStandIn(hop, signal, self.setup.device.shown_eye or Eye.BOTH, self.trouble)
