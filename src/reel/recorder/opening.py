"""From a device's setup to its open input: the one place that knows which class plays which device."""

from collections.abc import Callable
from pathlib import Path

from reel.core.line import DeviceKind, DeviceSetup
from reel.core.media import FileFeed, StreamFeed
from reel.core.signal import Input, InputError
from reel.recorder.source import Opener
from reel.standins import Console


def opener_for(device: DeviceSetup, feeds: Path, now_ns: Callable[[], int]) -> Opener:
    """Give the function that opens a device at an instant of the recorder's clock; it raises InputError.

    `now_ns` is the recorder's clock, for inputs that stamp what comes. `feeds` is the folder that feed files are played
    from; a link that leads out of it is refused.
    """

    def open_input(start_ns: int) -> Input:
        if device.kind is DeviceKind.CONSOLE:
            assert device.mode is not None
            return Console(device.mode, start_ns=start_ns, drift_ppm=device.drift_ppm)
        assert device.feed is not None
        if device.is_network:
            return StreamFeed(device.feed, listen=device.listen, now_ns=now_ns)
        path = (feeds / device.feed).resolve()
        if path.parent != feeds.resolve():
            raise InputError(device.feed, "lies outside the feeds folder and is not played")
        return FileFeed(path, start_ns=start_ns, loop=device.loop)

    return open_input
