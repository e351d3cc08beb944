"""Starting points: what is to become of the footage, and the settings that follow from it."""

from collections.abc import Mapping
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from typing import Any

from reel.core.file.codec_facts import Chroma, VideoCodec
from reel.core.file.containers import Container, SoundCodec
from reel.core.file.rate import ByProfile, ConstantQuality, Lossless, VariableBitrate
from reel.core.file.recipe import Draft, Recipe
from reel.core.file.resolving import resolve


class Purpose(StrEnum):
    """What a recording is for."""

    EDIT = "edit"
    SMALL = "small"
    SHARE = "share"
    LONG = "long"
    KEEP = "keep"
    WEAK = "weak"


@dataclass(frozen=True, slots=True, kw_only=True)
class StartingPoint:
    """A purpose in words, what it chooses, and why."""

    label: str
    description: str
    changes: Mapping[str, Any]


STARTING_POINTS = {
    Purpose.EDIT: StartingPoint(
        label="Edit next",
        description="Every picture stands alone and colours keep 4:2:2, so that an editor works with it at once;"
        " plain samples for sound. Many times the room of a file to be shared.",
        changes={
            "container": Container.MOV,
            "codec": VideoCodec.DNXHR,
            "profile": "SQ",
            "rate": ByProfile(),
            "chroma": Chroma.C422,
            "bits": 8,
            "sound_codec": SoundCodec.PCM24,
        },
    ),
    Purpose.SMALL: StartingPoint(
        label="Edit, small files",
        description="H.264 that an editor steps through quickly: a keyframe every half second and no B-frames. About a"
        " tenth of the room of files whose every picture stands alone.",
        changes={
            "container": Container.MOV,
            "codec": VideoCodec.H264,
            "effort": "superfast",
            "rate": ConstantQuality(quality=20),
            "chroma": Chroma.C420,
            "bits": 8,
            "keyframe_s": Fraction(1, 2),
            "b_frames": 0,
            "sound_codec": SoundCodec.AAC,
            "sound_bitrate_bps": 256_000,
        },
    ),
    Purpose.SHARE: StartingPoint(
        label="Share soon",
        description="What every site, phone and player opens: H.264 and AAC in MP4, at a rate that stands being"
        " encoded once more.",
        changes={
            "container": Container.MP4,
            "codec": VideoCodec.H264,
            "effort": "veryfast",
            "rate": VariableBitrate(bitrate_bps=12_000_000, max_bps=20_000_000),
            "chroma": Chroma.C420,
            "bits": 8,
            "sound_codec": SoundCodec.AAC,
            "sound_bitrate_bps": 192_000,
        },
    ),
    Purpose.LONG: StartingPoint(
        label="Long session",
        description="Hours on a small disk: HEVC at a quality at which details still hold, in a container that"
        " survives a crash. It is several times the work of H.264.",
        changes={
            "container": Container.MP4,
            "codec": VideoCodec.HEVC,
            "effort": "ultrafast",
            "rate": ConstantQuality(quality=26),
            "chroma": Chroma.C420,
            "bits": 8,
            "sound_codec": SoundCodec.AAC,
            "sound_bitrate_bps": 128_000,
        },
    ),
    Purpose.KEEP: StartingPoint(
        label="Keep for ever",
        description="Nothing is lost after the frame, in picture and sound, in open formats with checksums. Very big,"
        " and not for players.",
        changes={
            "container": Container.MKV,
            "codec": VideoCodec.FFV1,
            "rate": Lossless(),
            "sound_codec": SoundCodec.FLAC,
        },
    ),
    Purpose.WEAK: StartingPoint(
        label="Weak computer",
        description="As little work as there is: H.264's fastest encoder speed, so that none is too slow for a frame."
        " Files are bigger than they need be.",
        changes={
            "container": Container.MP4,
            "codec": VideoCodec.H264,
            "effort": "ultrafast",
            "rate": ConstantQuality(quality=21),
            "chroma": Chroma.C420,
            "bits": 8,
            "sound_codec": SoundCodec.AAC,
            "sound_bitrate_bps": 160_000,
        },
    ),
}


def start_from(purpose: Purpose, before: Recipe) -> Recipe:
    """Return the recipe of a starting point; what it says nothing of stays."""
    plain = {
        "as_sent": False,
        "keyframe_s": Fraction(2),
        "b_frames": None,
        "lookahead": None,
        "tune": "",
        "level": "",
        "effort": "",
        "profile": "",
    }
    return resolve(Draft(**{**before.as_fields(), **plain, **STARTING_POINTS[purpose].changes}))
