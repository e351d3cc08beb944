"""Drivers: what opens an input, by where its signal comes in. A device of this computer is one more of them."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from itertools import zip_longest
from pathlib import Path
from types import MappingProxyType
from typing import Protocol

from reel.core.line import (
    DeviceKind,
    InputSetup,
    MediaFile,
    Network,
    Offer,
    Origin,
    RigSetup,
    Simulated,
    default_origin,
    loss_message,
    signal_chain,
)
from reel.core.media import feed_files
from reel.core.signal import Input, InputError
from reel.recorder.inputs import FileFeed, StreamFeed
from reel.recorder.inputs.reader import Opener
from reel.standins import Claps, Scenario, Trouble, assemble, for_inputs, listen


@dataclass(frozen=True, slots=True, kw_only=True)
class Surroundings:
    """What drivers need beside an input's setup: the folder of feeds, and the recorder's clock for what stamps itself.

    What is simulated behaves by its `scenario`; `trouble` is what fails of it, None for what that says, and `claps` who
    claps in its room.
    """

    feeds: Path
    now_ns: Callable[[], int]
    scenario: Scenario = field(default_factory=Scenario)
    trouble: Trouble | None = None
    claps: Claps | None = None


class Driver(Protocol):
    """Opens inputs of one kind of origin. One is made for each input, and opens it again where it was lost."""

    def enumerate(self) -> tuple[Origin, ...]:
        """Return what could be opened just now, as far as that can be known."""

    def open(self, setup: InputSetup, mode: Offer | None, start_ns: int) -> Input:
        """Open an input at an instant of the recorder's clock, in the mode that is asked of it; raises InputError.

        `mode` is None where nothing can be asked.
        """


class SimulatedDriver:
    """Stand-ins of devices and of the hops behind them."""

    def __init__(self, surroundings: Surroundings) -> None:
        self._around = surroundings
        self._trouble = surroundings.trouble or Trouble(surroundings.scenario)

    def enumerate(self) -> tuple[Origin, ...]:
        return tuple(default_origin(kind) for kind in DeviceKind if kind is not DeviceKind.FEED)

    def open(self, setup: InputSetup, mode: Offer | None, start_ns: int) -> Input:
        around, trouble = self._around, self._trouble
        trouble.open(start_ns)
        if not setup.has_picture:
            kind, origin = setup.device.kind, setup.origin
            return listen(kind, origin, around.scenario, start_ns=start_ns, trouble=trouble, claps=around.claps)
        return assemble(setup, around.scenario, mode, start_ns=start_ns, trouble=trouble, claps=around.claps)


class FileDriver:
    """Files of the feeds folder; a link that leads out of it is refused."""

    def __init__(self, surroundings: Surroundings) -> None:
        self._feeds = surroundings.feeds

    def enumerate(self) -> tuple[Origin, ...]:
        return tuple(MediaFile(name=name) for name in feed_files(self._feeds))

    def open(self, setup: InputSetup, mode: Offer | None, start_ns: int) -> Input:
        origin = setup.origin
        assert isinstance(origin, MediaFile)
        try:
            path = (self._feeds / origin.name).resolve()
        except (OSError, RuntimeError) as error:  # a link that leads back to itself
            raise InputError(origin.name, "is a link that leads nowhere and is not played") from error
        if path.parent != self._feeds.resolve():
            raise InputError(origin.name, "lies outside the feeds folder and is not played")
        return FileFeed(path, start_ns=start_ns, loop=origin.loop)


class NetworkDriver:
    """Streams from the network; who sends there can't be known before somebody connects."""

    def __init__(self, surroundings: Surroundings) -> None:
        self._now_ns = surroundings.now_ns

    def enumerate(self) -> tuple[Origin, ...]:
        return ()

    def open(self, setup: InputSetup, mode: Offer | None, start_ns: int) -> Input:
        origin = setup.origin
        assert isinstance(origin, Network)
        return StreamFeed(origin.address, listen=origin.listen, now_ns=self._now_ns)


DRIVERS: Mapping[type[Origin], Callable[[Surroundings], Driver]] = MappingProxyType(
    {Simulated: SimulatedDriver, MediaFile: FileDriver, Network: NetworkDriver}
)


def openers_for(
    setup: RigSetup,
    scenarios: Sequence[Scenario],
    feeds: Path,
    now_ns: Callable[[], int],
    claps: Claps | None = None,
    troubles: Sequence[Trouble] = (),
) -> tuple[Opener, ...]:
    """Return the functions that open a rig's inputs, in their order. Scenarios left out are plain ones."""
    simulated = zip_longest(setup.inputs, for_inputs(scenarios, setup.inputs), troubles)
    return tuple(
        opener_for(one, Surroundings(feeds=feeds, now_ns=now_ns, scenario=scenario, trouble=trouble, claps=claps))
        for one, scenario, trouble in simulated
    )


def opener_for(setup: InputSetup, surroundings: Surroundings) -> Opener:
    """Return the function that opens an input; it raises InputError, also for what the line says does not arrive."""
    driver = DRIVERS[type(setup.origin)](surroundings)
    return lambda start_ns: driver.open(setup, _asked_mode(setup), start_ns)


def _asked_mode(setup: InputSetup) -> Offer | None:
    """Return the mode that is asked of a box or a camera; raises InputError that says by what the line is blocked."""
    if not setup.device.facts.ways_out:
        return None
    way = signal_chain(setup).signal_path
    if way.block is not None or way.arrives is None:
        why = f" {loss_message(way.block, setup).limit.rstrip('.')}" if way.block else ""
        raise InputError(f"The {setup.device.facts.label.lower()}", f"does not arrive.{why}", lasts=True)
    return way.arrives.handed
