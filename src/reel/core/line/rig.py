"""A rig's setup: the device and how it is set, and the recipe."""

import re
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from urllib.parse import urlsplit

from reel.core.errors import BadValueError
from reel.core.file import Recipe
from reel.core.signal import Mode

MAX_DRIFT_PPM = 500
_FEED_NAME = re.compile(r"[^/\\\x00-\x1f]{1,200}\Z")
# The schemes that a feed may come by, and the protocols that libavformat may use for each.
FEED_PROTOCOLS = {
    "rtsp": "rtsp,rtp,udp,tcp",
    "rtmp": "rtmp,tcp",
    "udp": "udp",
    "tcp": "tcp",
    "http": "http,tcp",
    "https": "https,tls,tcp",
}
MAX_ADDRESS = 400


class DeviceKind(StrEnum):
    """What makes the signal."""

    CONSOLE = "console"
    FEED = "feed"

    @property
    def label(self) -> str:
        """The kind in words."""
        return {"console": "Console", "feed": "Video feed"}[self.value]


CONSOLE_MODES = tuple(
    Mode(width_px=width, height_px=height, rate=Fraction(rate))
    for width, height, rate in (
        (1280, 720, 30),
        (1280, 720, 50),
        (1280, 720, 60),
        (1920, 1080, 24),
        (1920, 1080, 30),
        (1920, 1080, 60),
        (3840, 2160, 30),
    )
)


@dataclass(frozen=True, slots=True, kw_only=True)
class DeviceSetup:
    """How the device is set.

    A console sends `mode`, and its clock runs `drift_ppm` parts per million fast. A feed plays the file named `feed`
    in the feeds folder, over and over when `loop`; or it comes from the network when `feed` is an address, to which
    Reel connects or, for rtmp with `listen`, on which it waits for the sender.
    """

    kind: DeviceKind
    mode: Mode | None = None
    drift_ppm: float = 0.0
    feed: str | None = None
    loop: bool = True
    listen: bool = False

    def __post_init__(self) -> None:
        if self.kind is DeviceKind.CONSOLE and self.mode not in CONSOLE_MODES:
            raise BadValueError(
                "Output mode",
                self.mode.label if self.mode else "none",
                "the console sends " + ", ".join(mode.label for mode in CONSOLE_MODES),
            )
        if not abs(self.drift_ppm) <= MAX_DRIFT_PPM:
            raise BadValueError("Clock drift", self.drift_ppm, f"it must be within ±{MAX_DRIFT_PPM} parts per million")
        if self.kind is DeviceKind.FEED:
            _check_feed(self.feed or "", self.listen)

    @property
    def is_network(self) -> bool:
        """Whether a feed comes from an address."""
        return self.feed is not None and "://" in self.feed


def _check_feed(feed: str, listen: bool) -> None:
    """Raise BadValueError for what is neither a plain file name nor an address that a feed may come from."""
    if "://" not in feed:
        if not _FEED_NAME.match(feed) or feed[0] == ".":
            raise BadValueError(
                "Feed", feed or "nothing", "it is the name of a file in the feeds folder, or an address"
            )
        return
    try:
        parts = urlsplit(feed)
        port = parts.port
    except ValueError:
        raise BadValueError("Feed address", feed, "it reads like rtsp://host:554/path") from None
    if parts.scheme not in FEED_PROTOCOLS:
        raise BadValueError("Feed address", feed, "a feed comes by " + ", ".join(FEED_PROTOCOLS))
    if not parts.hostname or len(feed) > MAX_ADDRESS or not feed.isascii() or re.search(r"[\x00-\x20\x7f\\]", feed):
        raise BadValueError(
            "Feed address", feed, f"it names a host, in up to {MAX_ADDRESS} ASCII characters without blanks"
        )
    if parts.scheme in ("udp", "tcp") and (port is None or parts.query or parts.path not in ("", "/")):
        raise BadValueError("Feed address", feed, f"it reads like {parts.scheme}://host:port and nothing after that")
    if listen and parts.scheme != "rtmp":
        raise BadValueError("Feed address", feed, "Reel waits for senders by rtmp only; it connects to the others")


@dataclass(frozen=True, slots=True, kw_only=True)
class RigSetup:
    """Everything that is chosen for one way of recording."""

    device: DeviceSetup
    recipe: Recipe
