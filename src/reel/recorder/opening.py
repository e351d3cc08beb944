"""From a rig's setup to its open input: the one place that knows what plays at which origin."""

from collections.abc import Callable
from pathlib import Path

from reel.core.line import MediaFile, Network, RigSetup, chain, told
from reel.core.signal import Input, InputError
from reel.recorder.inputs import FileFeed, StreamFeed
from reel.recorder.source import Opener
from reel.standins import Play, assemble


def opener_for(setup: RigSetup, play: Play, feeds: Path, now_ns: Callable[[], int]) -> Opener:
    """Give the function that opens a rig's input at an instant of the recorder's clock; it raises InputError.

    `play` is how stand-ins behave. `now_ns` is the recorder's clock, for inputs that stamp what comes. `feeds` is the
    folder that feed files are played from; a link that leads out of it is refused. What the line says is blocked is not
    opened: the error says by what.
    """
    origin = setup.origin
    first_ns: list[int] = []  # what a play does, it does from the first opening on

    def open_input(start_ns: int) -> Input:
        if isinstance(origin, Network):
            return StreamFeed(origin.address, listen=origin.listen, now_ns=now_ns)
        if isinstance(origin, MediaFile):
            path = (feeds / origin.name).resolve()
            if path.parent != feeds.resolve():
                raise InputError(origin.name, "lies outside the feeds folder and is not played")
            return FileFeed(path, start_ns=start_ns, loop=origin.loop)
        first_ns.append(start_ns)
        return _open_stand_ins(setup, play, start_ns, first_ns[0])

    return open_input


def _open_stand_ins(setup: RigSetup, play: Play, start_ns: int, begun_ns: int) -> Input:
    way = chain(setup).travel
    if way.block is not None or way.arrives is None:
        why = f" {told(way.block, setup).limit.rstrip('.')}" if way.block else ""
        raise InputError(f"The {setup.device.facts.label.lower()}", f"does not arrive.{why}", lasts=True)
    return assemble(setup, play, way.arrives.handed, start_ns=start_ns, begun_ns=begun_ns)
