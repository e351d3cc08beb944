"""Origins: where an input's signal comes in, and which one device that is, so that only one rig has it at a time."""

import re
from dataclasses import dataclass
from enum import StrEnum
from urllib.parse import urlsplit

from reel.core.errors import BadValueError
from reel.core.wire import Variant

MAX_ADDRESS, MAX_DEVICE = 400, 60
_FILE_NAME = re.compile(r"[^/\\\x00-\x1f]{1,200}\Z")
# The schemes that a feed may come by, and the protocols that libavformat may use for each.
FEED_PROTOCOLS = {
    "rtsp": "rtsp,rtp,udp,tcp",
    "rtmp": "rtmp,tcp",
    "udp": "udp",
    "tcp": "tcp",
    "http": "http,tcp",
    "https": "https,tls,tcp",
}


class OriginKind(StrEnum):
    """By what a signal comes in."""

    SIMULATED = "simulated"
    FILE = "file"
    NETWORK = "network"


class Origin(Variant):
    """Where a signal comes in: a simulated device, a file, or the network."""

    __slots__ = ()

    @classmethod
    def variants(cls) -> dict[str, type[Variant]]:
        """Return the classes by their kind."""
        return {OriginKind.SIMULATED: Simulated, OriginKind.FILE: MediaFile, OriginKind.NETWORK: Network}

    @property
    def identity(self) -> str:
        """What can be open in one rig at a time; "" for what any number of rigs may open."""
        return ""


@dataclass(frozen=True, slots=True, kw_only=True)
class Simulated(Origin):
    """A simulated device, by its name: two rigs that name the same one share it.

    One that is `shared`, as what the computer itself plays, may be open in several rigs at a time.
    """

    device: str
    shared: bool = False
    kind: OriginKind = OriginKind.SIMULATED

    def __post_init__(self) -> None:
        self.check_kind()
        if not self.device.strip() or len(self.device) > MAX_DEVICE or not self.device.isprintable():
            raise BadValueError("Device", self.device, f"its name has 1 to {MAX_DEVICE} printable characters")

    @property
    def identity(self) -> str:
        """Its name, unless it is shared."""
        return "" if self.shared else f"device {self.device.casefold()}"


@dataclass(frozen=True, slots=True, kw_only=True)
class MediaFile(Origin):
    """A file of the feeds folder by its plain name, played over and over when `loop`."""

    name: str
    loop: bool = True
    kind: OriginKind = OriginKind.FILE

    def __post_init__(self) -> None:
        self.check_kind()
        if not _FILE_NAME.match(self.name) or self.name[0] == "." or not self.name.isprintable():
            limit = "it is the name of a file in the feeds folder, or an address"
            raise BadValueError("Feed", self.name or "nothing", limit)


@dataclass(frozen=True, slots=True, kw_only=True)
class Network(Origin):
    """An address to which Reel connects or, for rtmp with `listen`, on which it waits for the sender."""

    address: str
    listen: bool = False
    kind: OriginKind = OriginKind.NETWORK

    def __post_init__(self) -> None:
        self.check_kind()
        _check_address(self.address, self.listen)

    @property
    def identity(self) -> str:
        """The address that it waits on."""
        return self.address if self.listen else ""


def _check_address(address: str, listen: bool) -> None:
    """Raise BadValueError for what is no address that a feed may come from."""
    try:
        parts = urlsplit(address)
        port = parts.port
    except ValueError:
        raise BadValueError("Feed address", address, "it reads like rtsp://host:554/path") from None
    if parts.scheme not in FEED_PROTOCOLS:
        raise BadValueError("Feed address", address, "a feed comes by " + ", ".join(FEED_PROTOCOLS))
    is_plain = address.isascii() and not re.search(r"[\x00-\x20\x7f\\]", address)
    if not parts.hostname or len(address) > MAX_ADDRESS or not is_plain:
        limit = f"it names a host, in up to {MAX_ADDRESS} ASCII characters without blanks"
        raise BadValueError("Feed address", address, limit)
    if parts.scheme in ("udp", "tcp") and (port is None or parts.query or parts.path not in ("", "/")):
        limit = f"it reads like {parts.scheme}://host:port and nothing after that"
        raise BadValueError("Feed address", address, limit)
    if listen and parts.scheme != "rtmp":
        raise BadValueError("Feed address", address, "Reel waits for senders by rtmp only; it connects to the others")
