"""From a device's setup to its open input: the one place that knows which class plays which device."""

from pathlib import Path

from reel.core.line import DeviceKind, DeviceSetup
from reel.core.media import FileFeed
from reel.core.signal import Input, InputError
from reel.recorder.source import Opener
from reel.standins import Console


def opener_for(device: DeviceSetup, feeds: Path) -> Opener:
    """Give the function that opens a device at an instant of the recorder's clock; it raises InputError.

    `feeds` is the folder that feed files are played from; a link that leads out of it is refused.
    """

    def open_input(start_ns: int) -> Input:
        if device.kind is DeviceKind.CONSOLE:
            assert device.mode is not None
            return Console(device.mode, start_ns=start_ns, drift_ppm=device.drift_ppm)
        assert device.feed is not None
        path = (feeds / device.feed).resolve()
        if path.parent != feeds.resolve():
            raise InputError(device.feed, "lies outside the feeds folder and is not played")
        return FileFeed(path, start_ns=start_ns, loop=device.loop)

    return open_input
