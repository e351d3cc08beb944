"""A rig's setup: the device and how it is set, where its signal comes in, the path, the arriving mode, the recipe."""

from dataclasses import dataclass, field, replace

from reel.core.errors import BadValueError
from reel.core.file import Recipe
from reel.core.line.arrival import ArrivalSetup, after_arrival, kinds_undone
from reel.core.line.boxes import Box
from reel.core.line.carried import Carried
from reel.core.line.device import Device
from reel.core.line.devices import DeviceKind
from reel.core.line.links import Transfer
from reel.core.line.origin import Origin, Plugged
from reel.core.line.own import OwnRecorder, remote_recipe
from reel.core.line.path import MAX_HOPS, HopSetup, Travel, travel


@dataclass(frozen=True, slots=True, kw_only=True)
class RigSetup:
    """Everything that is chosen for one way of recording."""

    device: Device
    origin: Origin
    path: tuple[HopSetup, ...] = ()
    arrival: ArrivalSetup = field(default_factory=ArrivalSetup)
    recipe: Recipe

    def __post_init__(self) -> None:
        if len(self.path) > MAX_HOPS:
            raise BadValueError("Path", f"{len(self.path)} hops", f"it has at most {MAX_HOPS}")
        if (self.device.kind is DeviceKind.FEED) is isinstance(self.origin, Plugged):
            limit = "a feed is a file or comes from the network, any other device is plugged in"
            raise BadValueError("Origin", self.origin.kind, limit)
        if self.path and self.device.kind is DeviceKind.FEED:
            raise BadValueError("Path", f"{len(self.path)} hops", "a feed comes straight to the computer")

    @property
    def box(self) -> Box | None:
        """The capture box in the path."""
        return next((hop.hop for hop in self.path if isinstance(hop.hop, Box)), None)

    @property
    def transfer(self) -> Transfer:
        """How pictures are sent by USB: as the box does, or else as the device does."""
        return self.box.transfer if self.box else self.device.facts.transfer


@dataclass(frozen=True, slots=True, kw_only=True)
class Chain:
    """A rig's way up to the frame: the travel through its hops, and `carried`, what goes on after Arrival's settings.

    `travel` holds Arrival's losses too.
    """

    travel: Travel
    carried: Carried | None

    @property
    def is_remote(self) -> bool:
        """Whether the device records by itself, and no live picture comes."""
        return self.carried is not None and self.carried.is_remote

    @property
    def weight(self) -> float:
        """How much is lost in all."""
        return sum(loss.weight for loss in self.travel.losses)


def chain(setup: RigSetup) -> Chain:
    """Walk a rig from the device to what goes on to the frame."""
    way = travel(setup.device, setup.path, setup.arrival.offer)
    if way.arrives is None:
        return Chain(travel=way, carried=None)
    carried, losses = after_arrival(way.arrives, setup.arrival)
    gone = kinds_undone(setup.arrival, carried)
    left = tuple(loss for loss in way.losses if loss.kind not in gone) if gone else way.losses
    return Chain(travel=replace(way, losses=left + losses), carried=carried)


def setup_of_the_file(setup: RigSetup) -> RigSetup:
    """Give the setup that the file follows: where a device records by itself, with its recipe in place of the rig's."""
    last = setup.path[-1] if setup.path else None
    carried = chain(setup).carried
    if last is None or carried is None or not isinstance(last.hop, OwnRecorder):
        return setup
    recipe = remote_recipe(last.hop.chosen(last.option), carried.signal.mode, setup.recipe)
    return replace(setup, recipe=recipe)
