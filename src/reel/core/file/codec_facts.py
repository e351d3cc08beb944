"""What is known of a picture codec: its profiles, encoder speeds, scales and limits."""

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from fractions import Fraction

from reel.core.file.levels import Level
from reel.core.file.rate import RateKind
from reel.core.signal import Matrix, Range


class VideoCodec(StrEnum):
    """The picture codecs that Reel writes."""

    H264 = "h264"
    HEVC = "hevc"
    AV1 = "av1"
    VP9 = "vp9"
    MPEG2 = "mpeg2"
    PRORES = "prores"
    DNXHR = "dnxhr"
    FFV1 = "ffv1"
    MJPEG = "mjpeg"


class Chroma(StrEnum):
    """How many colour samples there are for each luma sample."""

    C420 = "4:2:0"
    C422 = "4:2:2"
    C444 = "4:4:4"


@dataclass(frozen=True, slots=True, kw_only=True)
class Scale:
    """A codec's scale of quality or quantisers: its ends, what is usual, what the number means."""

    low: int
    high: int
    default: int
    description: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Effort:
    """One of an encoder's own presets; `options` choose it, `lookahead` is how many frames it looks ahead by itself.

    `b_frames` is how many it sets between two others.
    """

    name: str
    options: Mapping[str, str]
    lookahead: int = 0
    b_frames: int = 0


@dataclass(frozen=True, slots=True, kw_only=True)
class Stored:
    """How samples of a depth and chroma are stored: libavutil's pixel format, and the profile that holds them.

    An empty `profile` is one that a file does not name.
    """

    pixels: str
    profile: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Profile:
    """A profile that is chosen, since it says how many bits there are: its name and its option.

    `block_bits` are (blocks, bits): a picture of at most so many blocks of 16×16 pixels takes so many bits for each;
    the last holds for all that are larger.
    """

    name: str
    options: Mapping[str, str]
    stored: Mapping[tuple[Chroma, int], Stored]
    block_bits: tuple[tuple[int, int], ...]
    description: str

    def picture_bits(self, width_px: int, height_px: int) -> int:
        """Return the bits of a picture."""
        blocks = math.ceil(width_px / 16) * math.ceil(height_px / 16)
        return blocks * next((bits for most, bits in self.block_bits if blocks <= most), self.block_bits[-1][1])


@dataclass(frozen=True, slots=True, kw_only=True)
class CodecFacts:
    """What a codec's encoder takes.

    `reads_as` is what libavcodec names it in a file. `stored` are the depths (bits) and chroma it takes; where
    `profiles` are chosen, those say it. An intra codec has keyframes only; of another one's file that has no more than
    those `intra_profiles` gives the name of a profile. `matrices` and `ranges` are what a file
    of it can say of its colours. An encoder that `saves` takes less than a constant bitrate where the picture needs
    less; others fill it up. `limits_px` is the largest (width, height), `min_px` the smallest; `picture_rates` are
    all that it knows, where it does not take any.
    """

    label: str
    encoder: str
    reads_as: str
    description: str
    rates: tuple[RateKind, ...]
    stored: Mapping[tuple[Chroma, int], Stored] = field(default_factory=dict)
    lossless_profile: str = ""
    intra_profiles: Mapping[str, str] = field(default_factory=dict)
    quality: Scale | None = None
    quantiser: Scale | None = None
    efforts: tuple[Effort, ...] = ()
    default_effort: str = ""
    profiles: tuple[Profile, ...] = ()
    is_intra: bool = False
    max_b_frames: int = 0
    max_lookahead: int = 0
    tunes: Mapping[str, str] = field(default_factory=dict)
    levels: tuple[Level, ...] = ()
    sets_level: bool = False
    matrices: tuple[Matrix, ...] = tuple(Matrix)
    ranges: tuple[Range, ...] = tuple(Range)
    limits_px: tuple[int, int] = (8192, 8192)
    min_px: tuple[int, int] = (2, 2)
    picture_rates: tuple[Fraction, ...] = ()
    has_transfer: bool = True
    saves: bool = False

    @property
    def level_names(self) -> list[str]:
        """The levels that can be chosen."""
        return [level.name for level in self.levels] if self.sets_level else []

    def effort(self, name: str) -> Effort | None:
        return next((effort for effort in self.efforts if effort.name == name), None)

    def profile(self, name: str) -> Profile | None:
        """Return the chosen profile of a name."""
        return next((profile for profile in self.profiles if profile.name == name), None)

    def scale(self, kind: RateKind) -> Scale | None:
        """Return the scale that a kind of rate control has its number on."""
        return {RateKind.QUALITY: self.quality, RateKind.QUANTISER: self.quantiser}.get(kind)

    def forms(self) -> dict[tuple[Chroma, int], Stored]:
        """Return every depth and chroma that it takes, in whatever profile."""
        found = dict(self.stored)
        for profile in self.profiles:
            found |= profile.stored
        return found
