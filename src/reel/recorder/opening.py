"""From a rig's setup to its open input: the one place that knows which class plays which device."""

from collections.abc import Callable
from pathlib import Path

from reel.core.line import DeviceKind, RigSetup, chain, told
from reel.core.signal import Input, InputError
from reel.recorder.inputs import FileFeed, StreamFeed
from reel.recorder.source import Opener
from reel.standins import assemble


def opener_for(setup: RigSetup, feeds: Path, now_ns: Callable[[], int]) -> Opener:
    """Give the function that opens a rig's input at an instant of the recorder's clock; it raises InputError.

    `now_ns` is the recorder's clock, for inputs that stamp what comes. `feeds` is the folder that feed files are played
    from; a link that leads out of it is refused. What the line says is blocked is not opened: the error says by what.
    """
    device = setup.device

    def open_input(start_ns: int) -> Input:
        if device.kind is not DeviceKind.FEED:
            return _open_chain(setup, start_ns)
        assert device.feed is not None
        if device.is_network:
            return StreamFeed(device.feed, listen=device.listen, now_ns=now_ns)
        path = (feeds / device.feed).resolve()
        if path.parent != feeds.resolve():
            raise InputError(device.feed, "lies outside the feeds folder and is not played")
        return FileFeed(path, start_ns=start_ns, loop=device.loop)

    return open_input


def _open_chain(setup: RigSetup, start_ns: int) -> Input:
    way = chain(setup).travel
    if way.block is not None or way.arrives is None:
        why = f" {told(way.block, setup).limit.rstrip('.')}" if way.block else ""
        raise InputError(f"The {setup.device.kind.label.lower()}", f"does not arrive.{why}", lasts=True)
    return assemble(setup.device, setup.path, way.arrives.handed, start_ns=start_ns)
