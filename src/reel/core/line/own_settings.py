"""What a device's own recorder can be set to, what of that goes together, and the picture that comes of it."""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field, replace
from enum import StrEnum
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.file import CODECS, VideoCodec
from reel.core.signal import Mode, rate_label

# Steadying shifts each picture by what the one before it showed: beyond this many a second it has no time for that.
STEADY_RATE = 36


class OwnShape(StrEnum):
    """What part of the screen is recorded; what is left out lies at the edges."""

    SCREEN = "screen"
    WIDE = "wide"
    SQUARE = "square"

    @property
    def label(self) -> str:
        return {OwnShape.SCREEN: "as the screen", OwnShape.WIDE: "16:9", OwnShape.SQUARE: "1:1"}[self]

    def part_of(self, width_px: int, height_px: int) -> tuple[int, int]:
        """Return the sides of what is recorded of a picture, from its middle; 16:9 is upright in an upright one."""
        if self is OwnShape.SCREEN:
            return width_px, height_px
        ratio = Fraction(1) if self is OwnShape.SQUARE else Fraction(16, 9)
        if width_px < height_px:
            ratio = 1 / ratio
        across, down = min(width_px, int(height_px * ratio)), min(height_px, int(width_px / ratio))
        return across // 2 * 2, down // 2 * 2


class OwnSound(StrEnum):
    """What is heard in its file. Both are a track each."""

    NONE = "none"
    DEVICE = "device"
    MICROPHONE = "microphone"
    BOTH = "both"

    @property
    def label(self) -> str:
        return {
            OwnSound.NONE: "none",
            OwnSound.DEVICE: "its own",
            OwnSound.MICROPHONE: "its microphone",
            OwnSound.BOTH: "its own and its microphone, a track each",
        }[self]


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnSettings:
    """How a device's own recorder is set; raises BadValueError for what no recorder has.

    The picture is scaled to `longer_px` on its longer side, 0 for the screen's own. It stops by itself after `limit_s`,
    0 once its storage is full, and begins `countdown_s` after it was told to. `steadied` takes the head's jitter out,
    at the cost of a twentieth of the picture on each side. With `again` Reel has it begin another take when its limit
    has ended one.
    """

    longer_px: int = 0
    shape: OwnShape = OwnShape.SCREEN
    rate: int
    codec: VideoCodec = VideoCodec.H264
    bitrate_bps: int
    sound: OwnSound = OwnSound.DEVICE
    limit_s: int = 0
    countdown_s: int = 0
    steadied: bool = False
    again: bool = False

    def __post_init__(self) -> None:
        for thing, value, least, most, unit in (
            ("Longer side", self.longer_px, 0, 8192, " px"),
            ("Pictures a second", self.rate, 1, 240, ""),
            ("Bitrate", self.bitrate_bps, 100_000, 500_000_000, " b/s"),
            ("Limit", self.limit_s, 0, 86_400, " s"),
            ("Countdown", self.countdown_s, 0, 60, " s"),
        ):
            if not least <= value <= most:
                raise BadValueError(thing, f"{value}{unit}", f"it is from {least} to {most}{unit}")
        if self.again and not self.limit_s:
            raise BadValueError("Begin again", "after its limit", "it has none: it stops once its storage is full")

    def picture_of(self, screen: Mode) -> Mode:
        """Return the picture of the file for a screen: never bigger, never faster, both sides even."""
        across, down = self.shape.part_of(screen.width_px, screen.height_px)
        scale = min(Fraction(1), Fraction(self.longer_px or max(across, down), max(across, down)))
        width, height = (int(side * scale) // 2 * 2 for side in (across, down))
        return replace(screen, width_px=width, height_px=height, rate=min(screen.rate, Fraction(self.rate)))

    @property
    def label(self) -> str:
        """Its picture in a few words: `1280 px, 30 a second, H.264 5 Mb/s`."""
        size = f"{self.longer_px} px" if self.longer_px else "the screen's own size"
        shape = "" if self.shape is OwnShape.SCREEN else f" in {self.shape.label}"
        steadied = ", steadied" if self.steadied else ""
        codec = f"{CODECS[self.codec].label} {self.bitrate_bps / 1_000_000:g} Mb/s"
        return f"{size}{shape}, {self.rate} a second, {codec}{steadied}"


@dataclass(frozen=True, slots=True, kw_only=True)
class OwnFacts:
    """What a device's own recorder has to choose from; the first of each is what it does by itself.

    `pixels_per_s` is how many its encoder of each codec keeps up with.
    """

    sizes_px: tuple[int, ...] = (0,)
    shapes: tuple[OwnShape, ...] = (OwnShape.SCREEN,)
    rates: tuple[int, ...]
    bitrates_bps: tuple[int, ...]
    sounds: tuple[OwnSound, ...] = (OwnSound.DEVICE,)
    limits_s: tuple[int, ...] = (0,)
    countdowns_s: tuple[int, ...] = (0,)
    can_steady: bool = False
    pixels_per_s: Mapping[VideoCodec, int] = field(default_factory=dict)

    @property
    def codecs(self) -> tuple[VideoCodec, ...]:
        return tuple(self.pixels_per_s)

    @property
    def usual(self) -> OwnSettings:
        """Return what it does by itself."""
        return OwnSettings(
            longer_px=self.sizes_px[0],
            shape=self.shapes[0],
            rate=self.rates[0],
            codec=self.codecs[0],
            bitrate_bps=self.bitrates_bps[0],
            sound=self.sounds[0],
            limit_s=self.limits_s[0],
            countdown_s=self.countdowns_s[0],
        )

    def sizes_for(self, screen: Mode) -> tuple[int, ...]:
        """Return the longer sides that a picture of a screen can be scaled to."""
        return tuple(size for size in self.sizes_px if size < max(screen.width_px, screen.height_px))

    def check(self, wanted: OwnSettings, screen: Mode) -> None:
        """Raise BadValueError, with the reason, for what it has not and for what does not go together."""
        for thing, value, known, words in self._choices(wanted):
            if value not in known:
                raise BadValueError(thing, words(value), f"it has {', '.join(map(words, known))}")
        for problem in self._problems(wanted, screen):
            raise problem

    def fitted(self, wanted: OwnSettings, screen: Mode) -> OwnSettings:
        """Return the nearest settings that it has and that go together: the picture's rate gives way first."""
        kept = replace(
            wanted,
            longer_px=wanted.longer_px if wanted.longer_px in self.sizes_px else self.sizes_px[0],
            shape=wanted.shape if wanted.shape in self.shapes else self.shapes[0],
            rate=_nearest(wanted.rate, self.rates),
            codec=wanted.codec if wanted.codec in self.codecs else self.codecs[0],
            bitrate_bps=_nearest(wanted.bitrate_bps, self.bitrates_bps),
            sound=wanted.sound if wanted.sound in self.sounds else self.sounds[0],
            limit_s=wanted.limit_s if wanted.limit_s in self.limits_s else self.limits_s[0],
            countdown_s=_nearest(wanted.countdown_s, self.countdowns_s),
            steadied=wanted.steadied and self.can_steady,
            again=False,
        )
        kept = replace(kept, again=wanted.again and bool(kept.limit_s))
        slower = sorted((rate for rate in self.rates if rate <= kept.rate), reverse=True)
        for codec in dict.fromkeys((kept.codec, *self.codecs)):
            for rate in slower:
                found = replace(kept, rate=rate, codec=codec)
                if next(self._problems(found, screen), None) is None:
                    return found
        return self.usual

    def _choices(self, wanted: OwnSettings) -> Iterator[tuple[str, object, tuple[object, ...], Callable[..., str]]]:
        yield "Size", wanted.longer_px, self.sizes_px, lambda size: f"{size} px" if size else "the screen's own"
        yield "Shape", wanted.shape, self.shapes, lambda shape: shape.label
        yield "Pictures a second", wanted.rate, self.rates, str
        yield "Codec", wanted.codec, self.codecs, lambda codec: CODECS[codec].label
        yield "Bitrate", wanted.bitrate_bps, self.bitrates_bps, lambda bps: f"{bps / 1_000_000:g} Mb/s"
        yield "Sound", wanted.sound, self.sounds, lambda sound: sound.label
        yield "Stops after", wanted.limit_s, self.limits_s, limit_label
        yield "Countdown", wanted.countdown_s, self.countdowns_s, lambda seconds: f"{seconds} s"
        yield (
            "Steadied",
            wanted.steadied,
            (False, True) if self.can_steady else (False,),
            lambda on: "yes" if on else "no",
        )

    def _problems(self, wanted: OwnSettings, screen: Mode) -> Iterator[BadValueError]:
        """Find what does not go together, for a screen of a mode."""
        if wanted.rate > screen.rate:
            limit = f"its screen draws {rate_label(screen.rate)}; set that in Device first"
            yield BadValueError("Pictures a second", wanted.rate, limit)
        picture, keeps_up = wanted.picture_of(screen), self.pixels_per_s.get(wanted.codec, 0)
        area = picture.width_px * picture.height_px
        if area * wanted.rate > keeps_up:
            what = f"{picture.size_label} at {wanted.rate} a second in {CODECS[wanted.codec].label}"
            limit = f"its encoder keeps up with {keeps_up // area} a second there; take fewer, a smaller size"
            others = [CODECS[one].label for one, pixels in self.pixels_per_s.items() if pixels > keeps_up]
            yield BadValueError("Picture", what, f"{limit} or {others[0]}" if others else limit)
        if wanted.steadied and wanted.rate > STEADY_RATE:
            yield BadValueError("Steadied", f"{wanted.rate} a second", f"it steadies up to {STEADY_RATE} a second")


def limit_label(limit_s: int) -> str:
    """Say when a device stops by itself."""
    if not limit_s:
        return "once its storage is full"
    return f"{limit_s // 60} min" if limit_s % 60 == 0 else f"{limit_s} s"


def _nearest(wanted: int, known: tuple[int, ...]) -> int:
    return min(known, key=lambda one: abs(one - wanted))
