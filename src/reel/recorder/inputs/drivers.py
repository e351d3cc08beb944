"""From a rig's setup to its open inputs: the one place that knows what answers at which origin."""

from collections.abc import Callable, Sequence
from pathlib import Path

from reel.core.line import InputSetup, MediaFile, Network, RigSetup, loss_message, signal_chain
from reel.core.signal import Input, InputError
from reel.recorder.inputs import FileFeed, StreamFeed
from reel.recorder.inputs.reader import Opener
from reel.standins import Claps, Scenario, assemble, listen


def openers_for(
    setup: RigSetup, scenarios: Sequence[Scenario], feeds: Path, now_ns: Callable[[], int], claps: Claps | None = None
) -> tuple[Opener, ...]:
    """The functions that open a rig's inputs, in their order; see opener_for. Scenarios left out are plain ones."""
    padded = (*scenarios, *(Scenario() for _ in setup.inputs))
    return tuple(
        opener_for(one, scenario, feeds, now_ns, claps) for one, scenario in zip(setup.inputs, padded, strict=False)
    )


def opener_for(
    setup: InputSetup, scenario: Scenario, feeds: Path, now_ns: Callable[[], int], claps: Claps | None = None
) -> Opener:
    """Return the function that opens an input at an instant of the recorder's clock; it raises InputError.

    `scenario` is how stand-ins behave, `claps` who claps in their room. `now_ns` is the recorder's clock, for inputs
    that stamp what comes. `feeds` is the folder that feed files are played from; a link that leads out of it is
    refused. What the line says is blocked is not opened: the error says by what.
    """
    origin = setup.origin
    first_ns: list[int] = []  # what a scenario does, it does from the first opening on

    def open_input(start_ns: int) -> Input:
        if isinstance(origin, Network):
            return StreamFeed(origin.address, listen=origin.listen, now_ns=now_ns)
        if isinstance(origin, MediaFile):
            try:
                path = (feeds / origin.name).resolve()
            except (OSError, RuntimeError) as error:  # a link that leads back to itself
                raise InputError(origin.name, "is a link that leads nowhere and is not played") from error
            if path.parent != feeds.resolve():
                raise InputError(origin.name, "lies outside the feeds folder and is not played")
            return FileFeed(path, start_ns=start_ns, loop=origin.loop)
        first_ns.append(start_ns)
        return _open_stand_ins(setup, scenario, start_ns, first_ns[0], claps)

    return open_input


def _open_stand_ins(setup: InputSetup, scenario: Scenario, start_ns: int, begun_ns: int, claps: Claps | None) -> Input:
    if not setup.has_picture:
        return listen(setup.device.kind, setup.origin, scenario, start_ns=start_ns, begun_ns=begun_ns, claps=claps)
    way = signal_chain(setup).signal_path
    if way.block is not None or way.arrives is None:
        why = f" {loss_message(way.block, setup).limit.rstrip('.')}" if way.block else ""
        raise InputError(f"The {setup.device.facts.label.lower()}", f"does not arrive.{why}", lasts=True)
    return assemble(setup, scenario, way.arrives.handed, start_ns=start_ns, begun_ns=begun_ns, claps=claps)
