"""The kinds of devices, each with the settings that such a device really has. A new kind is a class here."""

from collections.abc import Iterator
from dataclasses import dataclass
from enum import StrEnum

from reel.core.errors import BadValueError
from reel.core.file import VideoCodec
from reel.core.line.advice import AlarmKind, Check
from reel.core.line.device import (
    Device,
    DeviceFacts,
    Eye,
    Setting,
    Turn,
    broadcast_signal,
    modes,
    turned,
)
from reel.core.line.links import Connector, Transfer, has_halved_chroma
from reel.core.line.own_settings import OwnFacts, OwnShape, OwnSound
from reel.core.signal import Matrix, Mode, Range, Signal, pixel_format

SLEEP_S = (5, 600)
# VHS, IEC 60774-1: colour is recorded under the luma with about 0.5 MHz; 52 µs of a line hold 2 × 0.5 × 52 samples.
TAPE_COLOUR_PX = 52


class DeviceKind(StrEnum):
    """What makes the signal."""

    CONSOLE = "console"
    PHONE = "phone"
    TABLET = "tablet"
    HEADSET = "headset"
    DECK = "deck"
    CAMERA = "camera"
    FEED = "feed"
    MICROPHONE = "microphone"
    CHAT = "chat"

    @property
    def label(self) -> str:
        return DEVICES[self].facts.label


@dataclass(frozen=True, slots=True, kw_only=True)
class Console(Device):
    """A games console. Its HDMI may be `protected` against copying; None for pixels and way is what it does itself."""

    facts = DeviceFacts(
        label="Console",
        modes=modes(
            *("1280x720p30", "1280x720p50", "1280x720p60", "1920x1080p24", "1920x1080p30", "1920x1080p50"),
            *("1920x1080p60", "1920x1080p120", "3840x2160p30", "3840x2160p60"),
        ),
        pixels=("yuv444p", "yuv422p", "yuv420p", "yuv444p10le", "yuv422p10le", "yuv420p10le"),
        ways_out=(Connector.HDMI, Connector.COMPONENT),
        causes={
            AlarmKind.BLACK: ("A film or a protected scene plays.", "The game is loading."),
            AlarmKind.FROZEN: ("The game is paused.", "A menu without movement is open."),
        },
    )
    mode: Mode
    out: Connector | None = None
    pixels: str | None = None
    matrix: Matrix = Matrix.BT709
    range: Range = Range.LIMITED
    protected: bool = False
    kind: DeviceKind = DeviceKind.CONSOLE

    def __post_init__(self) -> None:
        self._check()
        pixels = pixel_format(self.pixels or self.facts.pixels[0])
        if self.way_out is Connector.HDMI and pixels.chroma == "4:2:0" and not has_halved_chroma(self.mode):
            limit = "HDMI has 4:2:0 at 2160p 50 and 60 only; send 4:4:4 or 4:2:2"
            raise BadValueError("Pixel format", pixels.label, limit)

    @property
    def is_protected(self) -> bool:
        """By HDMI, where that is switched on."""
        return self.protected and self.way_out is Connector.HDMI

    def settings(self) -> Iterator[Setting]:
        """Protection is never taken off on the way: what is offered is the device's own setting for gameplay."""
        yield from Device.settings(self)
        if self.protected:
            yield from self._changed("protection", "Set it for gameplay: protection off", protected=False)

    def checks(self, held: Turn | None) -> tuple[Check, ...]:
        if self.way_out is not Connector.HDMI:  # no other output carries it
            return ()
        return (Check(key="protection", text="Copy protection is off", measured=not self.protected),)

    def checks_after(self) -> tuple[Check, ...]:
        text = "Copy protection is on again, if films are watched on it"
        is_off = self.way_out is Connector.HDMI and not self.protected
        return (Check(key="protection-on", text=text),) if is_off else ()


@dataclass(frozen=True, slots=True, kw_only=True)
class _Handheld(Device):
    """What phones and tablets share: held by `turn`, with a screen that may lock itself after `sleep_s`.

    `touches` shows in the picture where fingers touch.
    """

    mode: Mode
    out: Connector | None = None
    matrix: Matrix = Matrix.BT709
    range: Range = Range.LIMITED
    turn: Turn = Turn.UPRIGHT
    touches: bool = True
    sleep_lock: bool = False
    sleep_s: int = 30

    def __post_init__(self) -> None:
        self._check()
        if not SLEEP_S[0] <= self.sleep_s <= SLEEP_S[1]:
            raise BadValueError("Sleep", self.sleep_s, f"it must be from {SLEEP_S[0]} to {SLEEP_S[1]} seconds")

    @property
    def signal(self) -> Signal:
        """The screen as it is held."""
        mode = self.mode if self.turn is Turn.UPRIGHT else turned(self.mode)
        return Signal(mode=mode, pixels=self.facts.pixels[0], matrix=self.matrix, range=self.range)

    @property
    def shows_touches(self) -> bool:
        return self.touches

    @property
    def sleeps_after_s(self) -> int | None:
        return self.sleep_s if self.sleep_lock else None

    def settings(self) -> Iterator[Setting]:
        yield from Device.settings(self)
        if self.sleep_lock:
            yield from self._changed("sleep", "Turn the sleep lock off", sleep_lock=False)

    def checks(self, held: Turn | None) -> tuple[Check, ...]:
        """The sleep lock, how it is held, messages."""
        way = held.label if held is not None else "the picture follows the device"
        return (
            Check(key="sleep-off", text="Sleep lock is off", measured=not self.sleep_lock),
            Check(key="turn", text=f"Held as wanted: {way}"),
            Check(key="messages", text="Do not disturb is on"),
        )

    def checks_after(self) -> tuple[Check, ...]:
        return () if self.sleep_lock else (Check(key="sleep-on", text="Sleep lock is on again"),)


_HANDHELD_WAYS = (Connector.USB, Connector.WIRELESS, Connector.STORAGE)
_COUNTDOWNS_S = (0, 3, 5, 10)
_LIMITS_S = (0, 60, 600)


def _handheld_recorder(h264: int, hevc: int) -> OwnFacts:
    """Return what a handheld's own recorder has; its encoders keep up with so many pixels a second."""
    return OwnFacts(
        sizes_px=(0, 1280, 1024),
        shapes=tuple(OwnShape),
        rates=(30, 60, 24),
        bitrates_bps=(8_000_000, 3_000_000, 5_000_000, 12_000_000, 20_000_000),
        sounds=(OwnSound.DEVICE, OwnSound.MICROPHONE, OwnSound.BOTH, OwnSound.NONE),
        limits_s=_LIMITS_S,
        countdowns_s=_COUNTDOWNS_S,
        pixels_per_s={VideoCodec.H264: h264, VideoCodec.HEVC: hevc},
    )


_HANDHELD_CAUSES = {
    AlarmKind.BLACK: (
        "The app forbids capture, or draws past what is captured: turn its acceleration off.",
        "The screen is off.",
        "A lens or sensor is covered.",
    ),
    AlarmKind.FROZEN: ("The screen has locked itself.", "Nothing moves on it."),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Phone(_Handheld):
    """A phone."""

    facts = DeviceFacts(
        label="Phone",
        modes=modes("720x1560p30", "720x1560p60"),
        ways_out=_HANDHELD_WAYS,
        own=_handheld_recorder(h264=70_000_000, hevc=35_000_000),
        is_handheld=True,
        causes=_HANDHELD_CAUSES,
    )
    kind: DeviceKind = DeviceKind.PHONE


@dataclass(frozen=True, slots=True, kw_only=True)
class Tablet(_Handheld):
    """A tablet."""

    facts = DeviceFacts(
        label="Tablet",
        modes=modes("1024x1366p30", "1024x1366p60"),
        ways_out=_HANDHELD_WAYS,
        own=_handheld_recorder(h264=85_000_000, hevc=43_000_000),
        is_handheld=True,
        causes=_HANDHELD_CAUSES,
    )
    kind: DeviceKind = DeviceKind.TABLET


@dataclass(frozen=True, slots=True, kw_only=True)
class Headset(Device):
    """A headset; it shows `eye` outside, with the hand's `pointer` in the picture or not."""

    facts = DeviceFacts(
        label="Headset",
        modes=modes("1920x1000p36", "1920x1000p72"),
        ways_out=(Connector.WINDOW, Connector.STORAGE, Connector.PAIRED),
        own=OwnFacts(
            sizes_px=(0, 1280, 1024, 800),
            shapes=tuple(OwnShape),
            rates=(30, 24, 36, 72),
            bitrates_bps=(8_000_000, 3_000_000, 5_000_000, 10_000_000, 20_000_000),
            sounds=(OwnSound.DEVICE, OwnSound.MICROPHONE, OwnSound.BOTH, OwnSound.NONE),
            limits_s=_LIMITS_S,
            countdowns_s=_COUNTDOWNS_S,
            can_steady=True,
            pixels_per_s={VideoCodec.H264: 75_000_000, VideoCodec.HEVC: 36_000_000},
        ),
        causes={
            AlarmKind.BLACK: ("The headset is off the head and has gone dark.",),
            AlarmKind.FROZEN: ("The mirror window is minimised.", "The headset sleeps."),
            AlarmKind.NO_SIGNAL: ("The mirror window is closed.",),
        },
    )
    mode: Mode
    out: Connector | None = None
    eye: Eye = Eye.LEFT
    pointer: bool = False
    kind: DeviceKind = DeviceKind.HEADSET

    def __post_init__(self) -> None:
        self._check()

    @property
    def shown_eye(self) -> Eye | None:
        return self.eye

    def checks(self, held: Turn | None) -> tuple[Check, ...]:
        eye = "either" if self.eye is Eye.BOTH else self.eye.value
        return (Check(key="eye", text=f"Your dominant eye is the {eye} one, which is recorded"),)


@dataclass(frozen=True, slots=True, kw_only=True)
class Deck(Device):
    """A tape deck, PAL or NTSC: ITU-R BT.601's 720 samples a line."""

    facts = DeviceFacts(
        label="Tape deck",
        modes=modes("720x576i25", "720x480i30000/1001"),
        pixels=("yuv422p",),
        ways_out=(Connector.SCART, Connector.SVIDEO, Connector.COMPOSITE, Connector.RF),
        colour_px=TAPE_COLOUR_PX,
        causes={
            AlarmKind.BLACK: ("The tape is blank here.", "The wrong input of the box is chosen."),
            AlarmKind.FROZEN: ("The tape is on pause.",),
            AlarmKind.SNOW: ("The tape is blank here.", "The tuner is on another channel."),
            AlarmKind.NO_SIGNAL: ("The tape has ended or stands still.",),
            AlarmKind.SILENT: ("The tape is blank here.", "The sound cable is not plugged in."),
        },
    )
    mode: Mode
    out: Connector | None = None
    kind: DeviceKind = DeviceKind.DECK

    def __post_init__(self) -> None:
        self._check()

    @property
    def signal(self) -> Signal:
        return broadcast_signal(self.mode, self.facts.pixels[0])

    def checks(self, held: Turn | None) -> tuple[Check, ...]:
        return (Check(key="tape", text="The tape is wound to its start, and its heads are clean"),)

    def checks_after(self) -> tuple[Check, ...]:
        return (Check(key="rewound", text="The tape is rewound and out of the deck"),)


@dataclass(frozen=True, slots=True, kw_only=True)
class Camera(Device):
    """A camera with USB."""

    facts = DeviceFacts(
        label="Camera",
        modes=modes("1280x720p30", "640x480p30", "1920x1080p30"),
        pixels=("yuyv422",),
        ways_out=(Connector.USB,),
        transfer=Transfer.ISOCHRONOUS,
        causes={AlarmKind.BLACK: ("The lens cap is on.", "The privacy shutter is closed.")},
    )
    mode: Mode
    out: Connector | None = None
    matrix: Matrix = Matrix.BT709
    range: Range = Range.LIMITED
    kind: DeviceKind = DeviceKind.CAMERA

    def __post_init__(self) -> None:
        self._check()


class _Straight(Device):
    """What comes straight to the computer, without a path, and is known once it is opened."""

    __slots__ = ()

    def __post_init__(self) -> None:
        self.check_kind()

    @property
    def way_out(self) -> Connector | None:
        """None of its own."""
        return None

    @property
    def signal(self) -> Signal | None:
        """Not known before it is opened."""
        return None

    def settings(self) -> Iterator[Setting]:
        """None."""
        return iter(())


@dataclass(frozen=True, slots=True, kw_only=True)
class Feed(_Straight):
    """A media file or a stream from the network; it is what it is."""

    facts = DeviceFacts(
        label="Video feed", causes={AlarmKind.NO_SIGNAL: ("The sender is off or its address has changed.",)}
    )
    kind: DeviceKind = DeviceKind.FEED


@dataclass(frozen=True, slots=True, kw_only=True)
class Microphone(_Straight):
    """A microphone at the computer."""

    facts = DeviceFacts(
        label="Microphone",
        has_picture=False,
        causes={
            AlarmKind.SILENT: ("Its switch is off.", "It is not plugged in all the way."),
            AlarmKind.CLIPPED: ("Its gain is too high, or the mouth too near.",),
            AlarmKind.NO_SIGNAL: ("It was unplugged.", "Another program holds it."),
        },
    )
    kind: DeviceKind = DeviceKind.MICROPHONE


@dataclass(frozen=True, slots=True, kw_only=True)
class PartyChat(_Straight):
    """The voices of those who talk with the player, as the computer plays them."""

    facts = DeviceFacts(
        label="Party chat",
        has_picture=False,
        silent_s=60.0,
        causes={
            AlarmKind.SILENT: ("Nobody is talking.", "It is muted where it is played."),
            AlarmKind.NO_SIGNAL: ("The program that plays it is closed.",),
        },
    )
    kind: DeviceKind = DeviceKind.CHAT


DEVICES: dict[DeviceKind, type[Device]] = {
    DeviceKind.CONSOLE: Console,
    DeviceKind.PHONE: Phone,
    DeviceKind.TABLET: Tablet,
    DeviceKind.HEADSET: Headset,
    DeviceKind.DECK: Deck,
    DeviceKind.CAMERA: Camera,
    DeviceKind.FEED: Feed,
    DeviceKind.MICROPHONE: Microphone,
    DeviceKind.CHAT: PartyChat,
}
