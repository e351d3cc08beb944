"""A recipe: what the file is to hold. One that no encoder or container takes can't be made."""

from collections.abc import Iterator
from dataclasses import dataclass, fields, replace
from enum import StrEnum
from fractions import Fraction
from typing import Any

from reel.core.errors import BadValueError
from reel.core.file.codec_facts import Chroma, CodecFacts, Effort, Stored, VideoCodec
from reel.core.file.codecs import CODECS
from reel.core.file.containers import CONTAINERS, SOUND_CODECS, Container, ContainerFacts, SoundCodec, SoundFacts
from reel.core.file.naming import DEFAULT_PATTERN, check_pattern
from reel.core.file.rate import RATE_WORDS, ConstantQuality, RateControl, RateKind
from reel.core.signal import Matrix, Range, SoundFormat

KEYFRAME_S = (Fraction(1, 10), Fraction(20))
SOUND_RATES_HZ = (44_100, 48_000, 96_000)
DEPTHS = (8, 10)
# Of each sample in a file of sound beside the take: more than any input has.
SOUND_FILE_BITS = 24
PART_MINUTES = 600
PART_GB = (Fraction(1, 100), Fraction(1000))
_USUAL_RATE = ConstantQuality(quality=20)


class SoundFiles(StrEnum):
    """What each track is written to beside the take, without loss: nothing, or a file of its own."""

    NONE = "none"
    WAV = "wav"
    FLAC = "flac"


class MismatchError(BadValueError):
    """Raised when settings that are each possible do not go together. `field` is the setting that is refused."""

    def __init__(self, field: str, thing: str, value: object, limit: str) -> None:
        self.field = field
        super().__init__(thing, value, limit)


def samples_label(chroma: Chroma, bits: int) -> str:
    """Return a chroma and a depth in words: `4:2:0 8-bit`."""
    return f"{chroma} {bits}-bit"


@dataclass(frozen=True, slots=True, kw_only=True)
class Draft:
    """The settings of a file as somebody wishes them, whether or not they go together.

    `effort` is one of the codec's own presets and `profile` one that is chosen, "" where it has none. `b_frames` and
    `lookahead` (frames) are the effort's own when None; `level` is the smallest that holds the frame when "".
    The sound's bitrate, rate and channels hold for each track, `sound_files` is what each is written to as well.
    A part ends after `part_minutes` and from `part_gb` (10⁹ bytes) on, and another file begins; 0 for neither. What a
    feed sends is kept `as_sent`, without encoding it anew: then only container and name count.
    """

    container: Container = Container.MP4
    codec: VideoCodec = VideoCodec.H264
    rate: RateControl = _USUAL_RATE
    effort: str = "superfast"
    profile: str = ""
    chroma: Chroma = Chroma.C420
    bits: int = 8
    matrix: Matrix = Matrix.BT709
    range: Range = Range.LIMITED
    keyframe_s: Fraction = Fraction(2)
    b_frames: int | None = None
    lookahead: int | None = None
    tune: str = ""
    level: str = ""
    sound_codec: SoundCodec = SoundCodec.AAC
    sound_bitrate_bps: int = 192_000
    sound_rate_hz: int = 48_000
    sound_channels: int = 2
    sound_files: SoundFiles = SoundFiles.NONE
    name_pattern: str = DEFAULT_PATTERN
    as_sent: bool = False
    part_minutes: int = 0
    part_gb: Fraction = Fraction(0)

    @property
    def codec_facts(self) -> CodecFacts:
        return CODECS[self.codec]

    @property
    def sound_facts(self) -> SoundFacts:
        return SOUND_CODECS[self.sound_codec]

    @property
    def container_facts(self) -> ContainerFacts:
        return CONTAINERS[self.container]

    @property
    def samples(self) -> str:
        """How samples are stored, in words: `4:2:0 8-bit`."""
        return samples_label(self.chroma, self.bits)

    @property
    def suffix(self) -> str:
        """The ending of the file's name."""
        return self.container_facts.suffix

    def mismatches(self) -> Iterator[MismatchError]:
        """Return what does not go together, the most basic first."""
        codec, sound, container = self.codec_facts, self.sound_facts, self.container_facts
        if self.codec not in container.video:
            yield MismatchError("codec", f"Codec in {container.name}", codec.label, container.reason(self.codec))
        if self.sound_codec not in container.sound:
            why = container.reason(self.sound_codec)
            yield MismatchError("sound_codec", f"Sound in {container.name}", sound.label, why)
        yield from self._picture_mismatches(codec)
        if self.sound_rate_hz not in sound.rates_hz:
            rates = " or ".join(f"{rate / 1000:g}" for rate in sound.rates_hz)
            value = f"{self.sound_rate_hz / 1000:g} kHz"
            yield MismatchError("sound_rate_hz", "Sample rate", value, f"{sound.label} takes {rates} kHz")
        if sound.bitrates_bps and self.sound_bitrate_bps not in sound.bitrates_bps:
            rates = ", ".join(f"{rate // 1000}" for rate in sound.bitrates_bps)
            value = f"{self.sound_bitrate_bps / 1000:g} kb/s"
            yield MismatchError("sound_bitrate_bps", "Sound bitrate", value, f"{sound.label} takes {rates} kb/s")

    def _picture_mismatches(self, codec: CodecFacts) -> Iterator[MismatchError]:
        yield from self._rate_mismatches(codec)
        yield from self._named_mismatches(codec)
        forms = self.forms()
        if (self.chroma, self.bits) not in forms:
            held = ", ".join(samples_label(*form) for form in forms)
            what = " ".join((codec.label, *([self.profile] if self.profile else [])))
            yield MismatchError("chroma", "Chroma and bit depth", self.samples, f"{what} holds {held}")
        if self.matrix not in codec.matrices:
            yield MismatchError("matrix", "Matrix", self.matrix, f"{codec.label} is always {', '.join(codec.matrices)}")
        if self.range not in codec.ranges:
            yield MismatchError("range", "Range", self.range, f"{codec.label} is always {', '.join(codec.ranges)}")
        for field, thing, asked, most in (
            ("b_frames", "B-frames", self.b_frames, codec.max_b_frames),
            ("lookahead", "Look-ahead", self.lookahead, codec.max_lookahead),
        ):
            if asked is not None and not 0 <= asked <= most:
                yield MismatchError(field, thing, asked, f"{codec.label} takes {f'0 to {most}' if most else 'none'}")

    def _rate_mismatches(self, codec: CodecFacts) -> Iterator[MismatchError]:
        kind = self.rate.kind
        if kind not in codec.rates:
            kinds = ", ".join(RATE_WORDS[kind] for kind in codec.rates)
            yield MismatchError("rate", "Rate control", RATE_WORDS[kind], f"{codec.label} has {kinds}")
        scale, number = codec.scale(kind), self.rate.number
        if scale is not None and number is not None and not scale.low <= number <= scale.high:
            limit = f"{codec.label} takes {scale.low} to {scale.high}"
            if RateKind.LOSSLESS in codec.rates and number == 0:
                limit += "; lossless is a rate control of its own"
            yield MismatchError("rate", RATE_WORDS[kind].capitalize(), number, limit)

    def _named_mismatches(self, codec: CodecFacts) -> Iterator[MismatchError]:
        for field, thing, asked, known, is_chosen in (
            ("effort", "Encoder speed", self.effort, [effort.name for effort in codec.efforts], True),
            ("profile", "Profile", self.profile, [profile.name for profile in codec.profiles], True),
            ("tune", "Tune", self.tune, list(codec.tunes), False),
            ("level", "Level", self.level, codec.level_names, False),
        ):
            if asked not in known and (asked or (is_chosen and known)):
                limit = f"{codec.label} has {', '.join(known)}" if known else f"{codec.label} has none to choose"
                yield MismatchError(field, thing, asked, limit)

    def forms(self) -> dict[tuple[Chroma, int], Stored]:
        """Return the depths (bits) and chroma that the codec takes in the chosen profile."""
        profile = self.codec_facts.profile(self.profile)
        return dict(profile.stored) if profile is not None else self.codec_facts.forms()

    def as_fields(self) -> dict[str, Any]:
        """Return the settings by their names."""
        return {field.name: getattr(self, field.name) for field in fields(self)}


@dataclass(frozen=True, slots=True, kw_only=True)
class Recipe(Draft):
    """The file settings; they go together, or it can't be made: raises BadValueError, MismatchError."""

    def __post_init__(self) -> None:
        if not KEYFRAME_S[0] <= self.keyframe_s <= KEYFRAME_S[1]:
            low, high = (f"{float(limit):g}" for limit in KEYFRAME_S)
            raise BadValueError("Keyframe interval", f"{float(self.keyframe_s):g} s", f"it is from {low} to {high} s")
        if self.sound_channels not in (1, 2):
            raise BadValueError("Channels", self.sound_channels, "a track is mono or stereo")
        if not 0 <= self.part_minutes <= PART_MINUTES:
            raise BadValueError("New part", f"{self.part_minutes} min", f"it is from 1 to {PART_MINUTES} min, or none")
        if self.part_gb and not PART_GB[0] <= self.part_gb <= PART_GB[1]:
            low, high = (f"{float(limit):g}" for limit in PART_GB)
            raise BadValueError("New part", f"{float(self.part_gb):g} GB", f"it is from {low} to {high} GB, or none")
        check_pattern(self.name_pattern)
        for mismatch in self.mismatches():
            raise mismatch

    @property
    def draft(self) -> Draft:
        """Its settings, to be changed into what may not go together."""
        return Draft(**self.as_fields())

    @property
    def sound(self) -> SoundFormat:
        """The form of each track's sound."""
        return SoundFormat(rate_hz=self.sound_rate_hz, channels=self.sound_channels)

    @property
    def stored(self) -> Stored:
        """How samples are stored, and in which profile."""
        found = self.forms()[self.chroma, self.bits]
        if self.rate.kind is RateKind.LOSSLESS and self.codec_facts.lossless_profile:
            return replace(found, profile=self.codec_facts.lossless_profile)
        return found

    @property
    def chosen_effort(self) -> Effort | None:
        """The effort; None where the codec has none."""
        return self.codec_facts.effort(self.effort)

    @property
    def label(self) -> str:
        """The codec and its rate control for people: `H.264 CRF 20`, `ProRes 422 HQ`."""
        if self.as_sent:
            return "as sent"
        return " ".join(part for part in (self.codec_facts.label, self.profile, self.rate.label) if part)


def lighter_effort(recipe: Recipe) -> Recipe | None:
    """Return a recipe with the next lighter effort of its codec; None where it has the lightest, or none."""
    names = [effort.name for effort in recipe.codec_facts.efforts]  # the lightest first
    place = names.index(recipe.effort) if recipe.effort in names else 0
    return replace(recipe, effort=names[place - 1]) if place else None
