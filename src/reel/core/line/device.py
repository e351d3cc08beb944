"""Devices: what each kind can send and by which ways out, and how one is set."""

import re
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from urllib.parse import urlsplit

from reel.core.errors import BadValueError
from reel.core.line.links import Connector, Transfer, has_halved_chroma
from reel.core.signal import Matrix, Mode, PixelFormat, Range, Signal, pixel_format

MAX_DRIFT_PPM = 500
SLEEP_S = (5, 600)
TAPE_S = (2, 14_400)
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
    PHONE = "phone"
    TABLET = "tablet"
    HEADSET = "headset"
    DECK = "deck"
    CAMERA = "camera"
    FEED = "feed"

    @property
    def label(self) -> str:
        """The kind in words."""
        return DEVICES[self].label


class Turn(StrEnum):
    """How a handheld device is held, seen from the person."""

    UPRIGHT = "upright"
    LEFT = "left"
    RIGHT = "right"


class Surface(StrEnum):
    """How an app's picture may be captured: OPEN comes out; FORBIDDEN and ACCELERATED record black though they show."""

    OPEN = "open"
    FORBIDDEN = "forbidden"
    ACCELERATED = "accelerated"


class Access(StrEnum):
    """Whether a camera may be opened: another program may hold it, the operating system may deny it."""

    FREE = "free"
    BUSY = "busy"
    DENIED = "denied"


class Eye(StrEnum):
    """Which eye's picture a headset shows outside."""

    BOTH = "both"
    LEFT = "left"
    RIGHT = "right"


class Shows(StrEnum):
    """What is on a stand-in's picture: its own scene, or colour bars with patches that betray every loss."""

    SCENE = "scene"
    BARS = "bars"


@dataclass(frozen=True, slots=True, kw_only=True)
class DeviceFacts:
    """What a kind of device can do. The first mode, pixel format and way out are what it does by itself."""

    label: str
    plays: str
    modes: tuple[Mode, ...] = ()
    pixels: tuple[str, ...] = ("yuv420p",)
    ways_out: tuple[Connector, ...] = ()


def _modes(*keys: str) -> tuple[Mode, ...]:
    return tuple(Mode.parse(key) for key in keys)


# Fernhollow's devices. The deck's modes are ITU-R BT.601's 720 samples a line; its rates PAL's and NTSC's.
DEVICES = {
    DeviceKind.CONSOLE: DeviceFacts(
        label="Console",
        plays="the slow gardening game Moss & Stone",
        modes=_modes(
            *("1280x720p30", "1280x720p50", "1280x720p60", "1920x1080p24", "1920x1080p30", "1920x1080p50"),
            *("1920x1080p60", "1920x1080p120", "3840x2160p30", "3840x2160p60"),
        ),
        pixels=("yuv444p", "yuv422p", "yuv420p", "yuv444p10le", "yuv422p10le", "yuv420p10le"),
        ways_out=(Connector.HDMI, Connector.COMPONENT),
    ),
    DeviceKind.PHONE: DeviceFacts(
        label="Phone",
        plays="the leaf-identifying app Leafkey",
        modes=_modes("720x1560p30", "720x1560p60"),
        ways_out=(Connector.USB, Connector.WIRELESS, Connector.STORAGE),
    ),
    DeviceKind.TABLET: DeviceFacts(
        label="Tablet",
        plays="the atlas Pollen Atlas",
        modes=_modes("1024x1366p30", "1024x1366p60"),
        ways_out=(Connector.USB, Connector.WIRELESS, Connector.STORAGE),
    ),
    DeviceKind.HEADSET: DeviceFacts(
        label="Headset",
        plays="the walk Canopy",
        modes=_modes("1920x1000p36", "1920x1000p72"),
        ways_out=(Connector.WINDOW, Connector.STORAGE, Connector.PAIRED),
    ),
    DeviceKind.DECK: DeviceFacts(
        label="Tape deck",
        plays="the tape Opening Day",
        modes=_modes("720x576i25", "720x480i30000/1001"),
        pixels=("yuv422p",),
        ways_out=(Connector.SCART, Connector.SVIDEO, Connector.COMPOSITE, Connector.RF),
    ),
    DeviceKind.CAMERA: DeviceFacts(
        label="Camera",
        plays="the potting bench",
        modes=_modes("1280x720p30", "640x480p30", "1920x1080p30"),
        pixels=("yuyv422",),
        ways_out=(Connector.USB,),
    ),
    DeviceKind.FEED: DeviceFacts(label="Video feed", plays="a media file or a stream from the network"),
}
HANDHELD = (DeviceKind.PHONE, DeviceKind.TABLET)


@dataclass(frozen=True, slots=True, kw_only=True)
class DeviceSetup:
    """How the device is set. Settings that a kind does not have stay at their defaults.

    All but feeds send `mode` in `pixels`, `matrix` and `range` by the way `out`, on a clock that runs `drift_ppm` parts
    per million fast; None for pixels and way is the kind's first. A console's HDMI may be `protected` against copying.

    A handheld is held by `turn`, or turns by a script when `turns`; it sleeps after `sleep_s` when `sleep_lock`. A
    headset gives `eye` to its mirror, with a `pointer` in the picture or not. A camera has `access`. A deck's tape ends
    after `tape_s`.

    A feed plays the file named `feed` in the feeds folder, over and over when `loop`; or it comes from the network
    when `feed` is an address, to which Reel connects or, for rtmp with `listen`, on which it waits for the sender.
    """

    kind: DeviceKind
    mode: Mode | None = None
    pixels: str | None = None
    matrix: Matrix = Matrix.BT709
    range: Range = Range.LIMITED
    out: Connector | None = None
    shows: Shows = Shows.SCENE
    drift_ppm: float = 0.0
    protected: bool = False
    turn: Turn = Turn.UPRIGHT
    turns: bool = False
    touches: bool = True
    surface: Surface = Surface.OPEN
    sleep_lock: bool = False
    sleep_s: int = 30
    access: Access = Access.FREE
    eye: Eye = Eye.LEFT
    pointer: bool = False
    tape_s: int = 1800
    feed: str | None = None
    loop: bool = True
    listen: bool = False

    def __post_init__(self) -> None:
        facts = DEVICES[self.kind]
        if not abs(self.drift_ppm) <= MAX_DRIFT_PPM:
            raise BadValueError("Clock drift", self.drift_ppm, f"it must be within ±{MAX_DRIFT_PPM} parts per million")
        if self.kind is DeviceKind.FEED:
            _check_feed(self.feed or "", self.listen)
            return
        if self.mode not in facts.modes:
            shown = self.mode.label if self.mode else "none"
            sent = ", ".join(mode.label for mode in facts.modes)
            raise BadValueError("Output mode", shown, f"the {facts.label.lower()} sends {sent}")
        if self.pixels is not None and self.pixels not in facts.pixels:
            raise BadValueError("Pixel format", self.pixels, f"it is one of {', '.join(facts.pixels)}")
        _check_halved_chroma(self.way_out, self.mode, pixel_format(self.pixels or facts.pixels[0]))
        if self.out is not None and self.out not in facts.ways_out:
            ways = ", ".join(way.label for way in facts.ways_out)
            raise BadValueError("Output", self.out.label, f"the {facts.label.lower()} has {ways}")
        _check_seconds("Sleep", self.sleep_s, SLEEP_S)
        _check_seconds("Tape length", self.tape_s, TAPE_S)

    @property
    def is_network(self) -> bool:
        """Whether a feed comes from an address."""
        return self.feed is not None and "://" in self.feed

    @property
    def way_out(self) -> Connector | None:
        """By what the signal leaves; None for a feed."""
        ways = DEVICES[self.kind].ways_out
        return self.out or (ways[0] if ways else None)

    @property
    def transfer(self) -> Transfer:
        """How it sends pictures by USB itself: a camera in room that is kept for it, a handheld in what is free."""
        return Transfer.ISOCHRONOUS if self.kind is DeviceKind.CAMERA else Transfer.BULK

    @property
    def identity(self) -> str:
        """Names the one device in the room that this is; "" for a file, which any number of rigs may play."""
        if self.kind is DeviceKind.FEED:
            return (self.feed or "") if self.is_network and self.listen else ""
        return self.kind.value


def sent_signal(device: DeviceSetup) -> Signal | None:
    """Say what the device sends by its settings; None for a feed, which is known only when it is opened."""
    mode = device.mode
    if mode is None:
        return None
    if device.kind in HANDHELD and device.turn is not Turn.UPRIGHT:
        mode = turned(mode)
    pixels = device.pixels or DEVICES[device.kind].pixels[0]
    if device.kind is not DeviceKind.DECK:
        return Signal(mode=mode, pixels=pixels, matrix=device.matrix, range=device.range)
    # 4:3 in 720 samples: ITU-R BT.601 and BT.1700; PAL has 576 lines, NTSC 480 with the lower field first
    aspect = Fraction(4 * mode.height_px, 3 * mode.width_px)
    top_first = mode.height_px == 576
    return Signal(mode=mode, pixels=pixels, matrix=Matrix.BT601, pixel_aspect=aspect, top_first=top_first)


def turned(mode: Mode) -> Mode:
    """Give a mode with its sides swapped."""
    return Mode(width_px=mode.height_px, height_px=mode.width_px, rate=mode.rate, scan=mode.scan)


def _check_halved_chroma(way: Connector | None, mode: Mode | None, pixels: PixelFormat) -> None:
    if way is Connector.HDMI and mode is not None and pixels.chroma == "4:2:0" and not has_halved_chroma(mode):
        limit = "HDMI has 4:2:0 at 2160p 50 and 60 only; send 4:4:4 or 4:2:2"
        raise BadValueError("Pixel format", pixels.label, limit)


def _check_seconds(thing: str, value: int, limits: tuple[int, int]) -> None:
    if not limits[0] <= value <= limits[1]:
        raise BadValueError(thing, value, f"it must be from {limits[0]} to {limits[1]} seconds")


def _check_feed(feed: str, listen: bool) -> None:
    """Raise BadValueError for what is neither a plain file name nor an address that a feed may come from."""
    if "://" not in feed:
        if not _FEED_NAME.match(feed) or feed[0] == "." or not feed.isprintable():
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
