"""One input of a rig: its device as it is set, where its signal comes in, its path, its arriving mode, its sound."""

from dataclasses import dataclass, field, replace
from functools import lru_cache

from reel.core.errors import BadValueError
from reel.core.line.arrival import ArrivalSetup, after_arrival, kinds_undone
from reel.core.line.boxes import Box
from reel.core.line.device import Device
from reel.core.line.devices import DeviceKind
from reel.core.line.links import Transfer
from reel.core.line.origin import Origin, Simulated
from reel.core.line.own import OwnRecorder, screen_of
from reel.core.line.own_settings import OwnSettings
from reel.core.line.path import MAX_HOPS, HopSetup, SignalPath, signal_path
from reel.core.line.signal_state import SignalState
from reel.core.sound import SoundSetup

MAX_NAME = 40


@dataclass(frozen=True, slots=True, kw_only=True)
class InputSetup:
    """Everything that is chosen for one input. `name` is what it is called in its rig."""

    name: str
    device: Device
    origin: Origin
    path: tuple[HopSetup, ...] = ()
    arrival: ArrivalSetup = field(default_factory=ArrivalSetup)
    sound: SoundSetup = field(default_factory=SoundSetup)

    def __post_init__(self) -> None:
        if not self.name.strip() or len(self.name) > MAX_NAME or not self.name.isprintable():
            raise BadValueError("Input", self.name, f"its name has 1 to {MAX_NAME} printable characters")
        if len(self.path) > MAX_HOPS:
            raise BadValueError("Path", f"{len(self.path)} hops", f"it has at most {MAX_HOPS}")
        if (self.device.kind is DeviceKind.FEED) is isinstance(self.origin, Simulated):
            limit = "a feed is a file or comes from the network, any other device is simulated"
            raise BadValueError("Origin", self.origin.kind, limit)
        if self.path and not self.device.facts.ways_out:
            limit = f"a {self.device.facts.label.lower()} comes straight to the computer"
            raise BadValueError("Path", f"{len(self.path)} hops", limit)
        recorder, chosen = self.own_recorder, self.path[-1].own if self.path else None
        if recorder is not None and chosen is not None:
            recorder.facts_of(self.device).check(chosen, screen_of(self.device))

    @property
    def own_recorder(self) -> OwnRecorder | None:
        """The device's own recorder, where its path ends with that and the device has one."""
        hop = self.path[-1].hop if self.path else None
        has_one = isinstance(hop, OwnRecorder) and (hop.facts or self.device.facts.own) is not None
        return hop if isinstance(hop, OwnRecorder) and has_one else None

    @property
    def own(self) -> OwnSettings | None:
        """How the device's own recorder is set; None where it does not record by itself."""
        recorder = self.own_recorder
        return recorder.settings_of(self.device, self.path[-1].own) if recorder else None

    @property
    def has_picture(self) -> bool:
        """Whether it has a picture; one without is sound only."""
        return self.device.facts.has_picture

    @property
    def way(self) -> tuple[object, ...]:
        """What must be opened anew when it changes: all but its name and how its sound is treated."""
        return self.device, self.origin, self.path, self.arrival

    @property
    def box(self) -> Box | None:
        """The capture box in the path."""
        return next((hop.hop for hop in self.path if isinstance(hop.hop, Box)), None)

    @property
    def transfer(self) -> Transfer:
        """How pictures are sent by USB: as the box does, or else as the device does."""
        return self.box.transfer if self.box else self.device.facts.transfer


@dataclass(frozen=True, slots=True, kw_only=True)
class SignalChain:
    """An input's way up to the frame: its path through the hops, and `carried`, what goes on after Arrival.

    `signal_path` holds Arrival's losses too.
    """

    signal_path: SignalPath
    carried: SignalState | None

    @property
    def is_remote(self) -> bool:
        """Whether the device records by itself, and no live picture comes."""
        return self.carried is not None and self.carried.is_remote

    @property
    def weight(self) -> float:
        """How much is lost in all."""
        return sum(loss.weight for loss in self.signal_path.losses)


@lru_cache(maxsize=256)
def signal_chain(setup: InputSetup) -> SignalChain:
    """Walk an input from the device to what goes on to the frame."""
    way = signal_path(setup.device, setup.path, setup.arrival.offer)
    if way.arrives is None:
        return SignalChain(signal_path=way, carried=None)
    carried, losses = after_arrival(way.arrives, setup.arrival)
    gone = kinds_undone(setup.arrival, carried)
    left = tuple(loss for loss in way.losses if loss.kind not in gone) if gone else way.losses
    return SignalChain(signal_path=replace(way, losses=left + losses), carried=carried)
