"""Containers and sound codecs as data: what goes with what, and why the rest does not."""

from collections.abc import Mapping
from dataclasses import dataclass, field
from enum import StrEnum
from fractions import Fraction

from reel.core.file.codec_facts import VideoCodec


class Container(StrEnum):
    """The kinds of file that Reel rolls into."""

    MP4 = "mp4"
    MKV = "mkv"
    MP4_PLAIN = "mp4-plain"
    MOV = "mov"
    TS = "ts"
    WEBM = "webm"


class SoundCodec(StrEnum):
    """The sound codecs that Reel writes."""

    AAC = "aac"
    OPUS = "opus"
    FLAC = "flac"
    PCM16 = "pcm16"
    PCM24 = "pcm24"
    MP3 = "mp3"
    AC3 = "ac3"


@dataclass(frozen=True, slots=True, kw_only=True)
class SoundFacts:
    """What a sound codec's encoder takes.

    `reads_as` and `profile` are what a file names it. `rates_hz` are its sample rates, `bitrates_bps` those it takes
    for a track; none where nothing is lost, and then each sample has `bits`. `samples` is the format that its encoder
    is given (libavutil's name), `block` how many it takes at once. The encoder gives the last `kept_back` only when as
    many come behind them.
    """

    label: str
    encoder: str
    reads_as: str
    description: str
    samples: str
    block: int = 1024
    kept_back: int = 0
    rates_hz: tuple[int, ...] = (44_100, 48_000, 96_000)
    bitrates_bps: tuple[int, ...] = ()
    profile: str = ""
    bits: int = 0
    options: Mapping[str, str] = field(default_factory=dict)


def _kilobits(text: str) -> tuple[int, ...]:
    return tuple(int(number) * 1000 for number in text.split())


SOUND_CODECS: dict[SoundCodec, SoundFacts] = {
    SoundCodec.AAC: SoundFacts(
        label="AAC",
        encoder="aac",
        reads_as="aac",
        profile="LC",
        description="Opens everywhere.",
        samples="fltp",
        bitrates_bps=_kilobits("64 96 128 160 192 256 320"),
    ),
    SoundCodec.OPUS: SoundFacts(
        label="Opus",
        encoder="libopus",
        block=960,
        reads_as="opus",
        description="Best at low bitrates; 48 kHz only.",
        options={"vbr": "constrained"},  # it would go a fifth beyond its bitrate on tones
        samples="flt",
        rates_hz=(48_000,),  # RFC 7845: what it decodes to
        bitrates_bps=_kilobits("64 96 128 160 192 256"),
    ),
    SoundCodec.FLAC: SoundFacts(
        label="FLAC",
        encoder="flac",
        block=4608,
        reads_as="flac",
        description="Nothing is lost, at about half the size of PCM.",
        samples="s32",
        bits=24,
    ),
    SoundCodec.PCM16: SoundFacts(
        label="PCM 16-bit",
        encoder="pcm_s16le",
        reads_as="pcm_s16le",
        description="Plain samples: editors work with them at once.",
        samples="s16",
        bits=16,
    ),
    SoundCodec.PCM24: SoundFacts(
        label="PCM 24-bit",
        encoder="pcm_s24le",
        reads_as="pcm_s24le",
        description="Plain samples with room for raising quiet sound later.",
        samples="s32",
        bits=24,
    ),
    SoundCodec.MP3: SoundFacts(
        label="MP3",
        encoder="libmp3lame",
        block=1152,
        reads_as="mp3",
        description="For very old players.",
        samples="fltp",
        rates_hz=(44_100, 48_000),  # ISO 11172-3, 2.4.2.3
        bitrates_bps=_kilobits("64 96 128 160 192 256 320"),
    ),
    SoundCodec.AC3: SoundFacts(
        label="AC-3",
        encoder="ac3",
        block=1536,
        kept_back=256,  # ATSC A/52, 7.9: each block of 512 samples overlaps the next by half
        reads_as="ac3",
        description="For television sets and discs.",
        samples="fltp",
        rates_hz=(44_100, 48_000),  # ATSC A/52, table 5.6
        bitrates_bps=_kilobits("96 128 160 192 256 320 448 640"),
    ),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class ContainerFacts:
    """What a container holds, how libavformat writes it (`muxer`, `options`), and what a killed writer leaves.

    `name` is what a file of it is, as the probe says it too. `survives` says that what was written is readable when
    the writer is killed, but for `held_s` seconds that it holds back with the sound that belongs to them;
    `names_tracks` that tracks keep their names. `why_not` are the reasons of what it does not hold.
    """

    label: str
    name: str
    description: str
    muxer: str
    suffix: str
    video: tuple[VideoCodec, ...]
    sound: tuple[SoundCodec, ...]
    options: Mapping[str, str] = field(default_factory=dict)
    survives: bool = True
    held_s: Fraction = Fraction(3, 4)
    names_tracks: bool = True
    why_not: Mapping[VideoCodec | SoundCodec, str] = field(default_factory=dict)

    def reason(self, codec: VideoCodec | SoundCodec) -> str:
        """Return why it does not hold a codec."""
        return self.why_not.get(codec, "its standard has no place for it")


# Fragments of a quarter and clusters of a tenth of a second, each written and flushed when it is whole: what a killed
# writer can lose. A slow encoder's first pictures are on the drive as soon as it gives them. The header is written with
# the first fragment: before that the times of its samples are not known, and a killed writer would leave the first
# quarter of a second without any.
_FRAGMENTS = {
    "movflags": "+hybrid_fragmented+delay_moov",
    "frag_duration": "250000",
    "flush_packets": "1",
    "use_editlist": "1",
}
_CLUSTERS = {"flush_packets": "1", "cluster_time_limit": "100"}
_CLUSTER_HELD_S = Fraction(1, 2)
_OLD = "hardly any program opens it there; MKV holds it"
_MP4_VIDEO = (
    VideoCodec.H264, VideoCodec.HEVC, VideoCodec.AV1, VideoCodec.VP9, VideoCodec.MPEG2, VideoCodec.MJPEG,
)  # fmt: skip
_MP4_SOUND = (SoundCodec.AAC, SoundCodec.OPUS, SoundCodec.FLAC, SoundCodec.MP3, SoundCodec.AC3)
_MP4_WHY: dict[VideoCodec | SoundCodec, str] = {
    VideoCodec.FFV1: _OLD,
    SoundCodec.PCM16: "few programs open it there; MOV and MKV hold it",
    SoundCodec.PCM24: "few programs open it there; MOV and MKV hold it",
}

CONTAINERS: dict[Container, ContainerFacts] = {
    # ISO/IEC 14496-12 and what its registration authority lists
    Container.MP4: ContainerFacts(
        label="MP4, survives a crash",
        name="MP4",
        description="Opens everywhere. Written in fragments that stay readable; an ordinary MP4 once it is closed.",
        muxer="mp4",
        suffix="mp4",
        options=_FRAGMENTS,
        video=_MP4_VIDEO,
        sound=_MP4_SOUND,
        why_not=_MP4_WHY,
    ),
    Container.MKV: ContainerFacts(
        label="MKV",
        name="MKV",
        description="Holds nearly everything, and is the sturdiest; some editors want MP4 or MOV.",
        muxer="matroska",
        suffix="mkv",
        options=_CLUSTERS,
        held_s=_CLUSTER_HELD_S,
        video=tuple(codec for codec in VideoCodec if codec is not VideoCodec.DNXHR),
        sound=tuple(SoundCodec),
        why_not={VideoCodec.DNXHR: "no name is registered for it there; MOV holds it"},
    ),
    Container.MP4_PLAIN: ContainerFacts(
        label="MP4, plain",
        name="MP4",
        description="For the oldest players. A crash loses the whole file: nothing of it can be read before its end.",
        muxer="mp4",
        suffix="mp4",
        survives=False,
        video=_MP4_VIDEO,
        sound=_MP4_SOUND,
        why_not=_MP4_WHY,
    ),
    # Apple QuickTime File Format
    Container.MOV: ContainerFacts(
        label="MOV",
        name="MOV",
        description="What editors like best for ProRes, DNxHR and PCM.",
        muxer="mov",
        suffix="mov",
        options=_FRAGMENTS,
        video=(
            VideoCodec.H264,
            VideoCodec.HEVC,
            VideoCodec.MPEG2,
            VideoCodec.PRORES,
            VideoCodec.DNXHR,
            VideoCodec.MJPEG,
        ),
        sound=(SoundCodec.AAC, SoundCodec.PCM16, SoundCodec.PCM24, SoundCodec.MP3, SoundCodec.AC3),
        why_not={VideoCodec.FFV1: _OLD},
    ),
    # ITU-T H.222.0, table 2-34
    Container.TS: ContainerFacts(
        label="MPEG-TS",
        name="MPEG-TS",
        description="Made for broadcast: loses least in a crash, and can be cut anywhere. Tracks have no names in it.",
        muxer="mpegts",
        suffix="ts",
        options={"flush_packets": "1"},
        names_tracks=False,
        video=(VideoCodec.H264, VideoCodec.HEVC, VideoCodec.MPEG2),
        sound=(SoundCodec.AAC, SoundCodec.MP3, SoundCodec.AC3),
        why_not={SoundCodec.OPUS: "that is no finished standard; MKV and MP4 hold it"},
    ),
    # the WebM guidelines: VP8, VP9, AV1; Vorbis, Opus
    Container.WEBM: ContainerFacts(
        label="WebM",
        name="WebM",
        description="For the web: VP9 or AV1 with Opus, and nothing else.",
        muxer="webm",
        suffix="webm",
        options=_CLUSTERS,
        held_s=_CLUSTER_HELD_S,
        video=(VideoCodec.VP9, VideoCodec.AV1),
        sound=(SoundCodec.OPUS,),
        why_not={**dict.fromkeys(VideoCodec, "it holds VP9 and AV1"), **dict.fromkeys(SoundCodec, "it holds Opus")},
    ),
}
