"""Picture codecs as data: what each encoder takes, what its numbers mean, and where that is from.

What an encoder was found to take was tried with the libraries that ship in PyAV 18.1 (FFmpeg 8).
"""

from collections.abc import Mapping
from fractions import Fraction

from reel.core.file.codec_facts import Chroma, CodecFacts, Effort, Profile, Scale, Stored, VideoCodec
from reel.core.file.levels import AV1_LEVELS, H264_LEVELS, HEVC_LEVELS
from reel.core.file.rate import RateKind
from reel.core.signal import Matrix, Range


def _planar(profiles: Mapping[tuple[str, int], str]) -> dict[tuple[Chroma, int], Stored]:
    """Return how planar YCbCr is stored: 4:2:0 at 8 bits is `yuv420p`, at 10 `yuv420p10le` (libavutil's names)."""
    return {
        (Chroma(chroma), bits): Stored(
            pixels=f"yuv{chroma.replace(':', '')}p{'10le' if bits == 10 else ''}", profile=profile
        )
        for (chroma, bits), profile in profiles.items()
    }


def _x26x(names: str, b_frames: int, lookaheads: Mapping[str, int]) -> tuple[Effort, ...]:
    return tuple(
        Effort(name=name, options={"preset": name}, lookahead=lookaheads[name], b_frames=b_frames)
        for name in names.split()
    )


# x264's table of presets (its --fullhelp): ultrafast sets no B-frames, the others 3; their look-ahead in frames.
_X264 = (
    Effort(name="ultrafast", options={"preset": "ultrafast"}),
    *_x26x(
        "superfast veryfast faster fast medium slow", 3,
        {"superfast": 0, "veryfast": 10, "faster": 20, "fast": 30, "medium": 40, "slow": 50},
    ),
)  # fmt: skip


# x265's table of presets (its documentation, “Preset options”).
_X265 = (
    Effort(name="ultrafast", options={"preset": "ultrafast"}, lookahead=5, b_frames=3),
    Effort(name="superfast", options={"preset": "superfast"}, lookahead=10, b_frames=3),
    *_x26x("veryfast faster fast medium", 4, {"veryfast": 15, "faster": 15, "fast": 15, "medium": 20}),
)


# SVT-AV1's presets, 11 the fastest that is one of its own; it orders pictures inside of its own packets.
_SVT = tuple(Effort(name=str(number), options={"preset": str(number)}) for number in (11, 10, 9, 8, 7, 6))


# libvpx's speeds for live encoding (its documentation of cpu-used); pictures that are not shown travel in packets.
_VPX = tuple(
    Effort(name=f"speed {number}", options={"deadline": "realtime", "cpu-used": str(number), "row-mt": "1"})
    for number in (8, 7, 6, 5)
)


def _prores(*bits: int) -> tuple[tuple[int, int], ...]:
    """Give ProRes' bits for a block, in pictures up to 720×576, 960×720, 1440×1080 and larger."""
    return tuple(zip((1620, 2700, 6075, 9216), bits, strict=True))


_JPEG_TABLES = "2 can hardly be told from the source, 8 shows blocks."


_ALL_RATES = (
    RateKind.QUALITY,
    RateKind.BITRATE,
    RateKind.VARIABLE,
    RateKind.QUANTISER,
    RateKind.LOSSLESS,
)


CODECS: dict[VideoCodec, CodecFacts] = {
    VideoCodec.H264: CodecFacts(
        label="H.264",
        encoder="libx264",
        reads_as="h264",
        description="Opens everywhere, in every editor and on every phone.",
        rates=_ALL_RATES,
        # ITU-T H.264, A.2: High, High 10, High 4:2:2, High 4:4:4 Predictive
        stored=_planar(
            {
                ("4:2:0", 8): "High",
                ("4:2:0", 10): "High 10",
                ("4:2:2", 8): "High 4:2:2",
                ("4:2:2", 10): "High 4:2:2",
                ("4:4:4", 8): "High 4:4:4 Predictive",
                ("4:4:4", 10): "High 4:4:4 Predictive",
            }
        ),
        lossless_profile="High 4:4:4 Predictive",  # ITU-T H.264, A.2.7: no other holds it
        # ITU-T H.264, A.2.8 to A.2.10, by libavcodec's names
        intra_profiles={
            "High 10": "High 10 Intra",
            "High 4:2:2": "High 4:2:2 Intra",
            "High 4:4:4 Predictive": "High 4:4:4 Intra",
        },
        # x264: CRF 0 is lossless at 8 bits, which has a kind of its own here
        quality=Scale(low=1, high=51, default=20, description="18 is hard to tell from the source, 28 shows blocks."),
        quantiser=Scale(low=1, high=51, default=22, description="Each 6 doubles the step that samples are rounded by."),
        efforts=_X264,
        default_effort="superfast",
        max_b_frames=8,
        max_lookahead=60,
        tunes={
            "animation": "flat colours and lines",
            "grain": "keeps film grain",
            "stillimage": "little moves",
            "zerolatency": "no look-ahead, no B-frames",
        },
        levels=H264_LEVELS,
        sets_level=True,
        limits_px=(4096, 4096),
    ),
    VideoCodec.HEVC: CodecFacts(
        label="HEVC",
        encoder="libx265",
        reads_as="hevc",
        description="About a third smaller than H.264 at the same quality, and several times the work.",
        rates=_ALL_RATES,
        # ITU-T H.265, A.3; the range extensions are named as one by libavcodec
        stored=_planar(
            {
                ("4:2:0", 8): "Main",
                ("4:2:0", 10): "Main 10",
                ("4:2:2", 8): "Rext",
                ("4:2:2", 10): "Rext",
                ("4:4:4", 8): "Rext",
                ("4:4:4", 10): "Rext",
            }
        ),
        intra_profiles={"Main": "Rext", "Main 10": "Rext"},  # A.3.5: Main Intra and Main 10 Intra are extensions
        quality=Scale(low=1, high=51, default=22, description="20 is hard to tell from the source, 30 shows smearing."),
        quantiser=Scale(low=1, high=51, default=24, description="Each 6 doubles the step that samples are rounded by."),
        efforts=_X265,
        default_effort="ultrafast",
        max_b_frames=8,
        max_lookahead=60,
        tunes={"animation": "flat colours and lines", "grain": "keeps film grain"},
        levels=HEVC_LEVELS,
        sets_level=True,
        min_px=(16, 16),
    ),
    VideoCodec.AV1: CodecFacts(
        label="AV1",
        encoder="libsvtav1",
        reads_as="av1",
        description="Smallest of all at the same quality; young programs open it, old ones don't.",
        # SVT-AV1 holds no maximum in its variable mode, and what it calls lossless fails to encode
        rates=(RateKind.QUALITY, RateKind.BITRATE, RateKind.QUANTISER),
        stored=_planar({("4:2:0", 8): "Main", ("4:2:0", 10): "Main"}),  # AV1, A.2; SVT-AV1 takes no other chroma
        quality=Scale(low=1, high=63, default=32, description="25 is hard to tell from the source, 45 shows smearing."),
        quantiser=Scale(low=1, high=63, default=32, description="Spread over the codec's 256 steps."),
        efforts=_SVT,
        default_effort="10",
        max_lookahead=60,
        levels=AV1_LEVELS,
        saves=True,
        min_px=(64, 64),
    ),
    VideoCodec.VP9: CodecFacts(
        label="VP9",
        encoder="libvpx-vp9",
        reads_as="vp9",
        description="Plays in every browser without a licence; about as small as HEVC, with more work.",
        # libvpx holds no maximum in its variable mode for live encoding, and sets keyframes of its own there
        rates=(RateKind.QUALITY, RateKind.BITRATE, RateKind.QUANTISER, RateKind.LOSSLESS),
        # VP9 bitstream, 7.2: profile 0 is 4:2:0, 1 the others, at 8 bits; this library is built without deeper ones
        stored=_planar({("4:2:0", 8): "Profile 0", ("4:2:2", 8): "Profile 1", ("4:4:4", 8): "Profile 1"}),
        quality=Scale(low=1, high=63, default=31, description="24 is hard to tell from the source, 45 shows smearing."),
        quantiser=Scale(low=1, high=63, default=31, description="Spread over the codec's 256 steps."),
        efforts=_VPX,
        default_effort="speed 8",
        saves=True,
    ),
    VideoCodec.MPEG2: CodecFacts(
        label="MPEG-2",
        encoder="mpeg2video",
        reads_as="mpeg2video",
        description="For old players and discs: very little work, big files.",
        rates=(RateKind.BITRATE, RateKind.VARIABLE, RateKind.QUANTISER),
        # ITU-T H.262, 8.2: Main holds 4:2:0, 4:2:2 the other; libavcodec writes 8 bits
        stored=_planar({("4:2:0", 8): "Main", ("4:2:2", 8): "4:2:2"}),
        quantiser=Scale(low=2, high=31, default=4, description=_JPEG_TABLES),
        ranges=(Range.LIMITED,),  # ITU-T H.262 has no other
        limits_px=(1920, 1152),  # ITU-T H.262, table 8-8, High level
        # ITU-T H.262, table 6-4
        picture_rates=(
            Fraction(24000, 1001),
            Fraction(24),
            Fraction(25),
            Fraction(30000, 1001),
            Fraction(30),
            Fraction(50),
            Fraction(60000, 1001),
            Fraction(60),
        ),
    ),
    VideoCodec.PRORES: CodecFacts(
        label="ProRes",
        encoder="prores_ks",
        reads_as="prores",
        description="Every picture stands alone, 10 bits, 4:2:2: editors open it at once. Big, and much work here.",
        rates=(RateKind.PROFILE,),
        # SMPTE RDD 36; bits as libavcodec's encoder spends them
        profiles=(
            Profile(
                name="422 LT",
                options={"profile": "lt"},
                stored={(Chroma.C422, 10): Stored(pixels="yuv422p10le", profile="LT")},
                block_bits=_prores(720, 560, 490, 440),
                description="About 100 Mb/s at 1080p 30.",
            ),
            Profile(
                name="422",
                options={"profile": "standard"},
                stored={(Chroma.C422, 10): Stored(pixels="yuv422p10le", profile="Standard")},
                block_bits=_prores(1050, 808, 710, 632),
                description="About 147 Mb/s at 1080p 30.",
            ),
            Profile(
                name="422 HQ",
                options={"profile": "hq"},
                stored={(Chroma.C422, 10): Stored(pixels="yuv422p10le", profile="HQ")},
                block_bits=_prores(1566, 1216, 1070, 950),
                description="About 220 Mb/s at 1080p 30.",
            ),
        ),
        is_intra=True,
        ranges=(Range.LIMITED,),  # SMPTE RDD 36 has no other
        min_px=(16, 16),
    ),
    VideoCodec.DNXHR: CodecFacts(
        label="DNxHR",
        encoder="dnxhd",
        reads_as="dnxhd",
        description="Every picture stands alone and has the same size: editors work with it at once.",
        rates=(RateKind.PROFILE,),
        # SMPTE ST 2019-1; bits as its table of compressed picture sizes has them for 1920×1080
        profiles=(
            Profile(
                name="SQ",
                options={"profile": "dnxhr_sq"},
                stored={(Chroma.C422, 8): Stored(pixels="yuv422p", profile="DNXHR SQ")},
                block_bits=((0, 599),),
                description="About 145 Mb/s at 1080p 30.",
            ),
            Profile(
                name="HQ",
                options={"profile": "dnxhr_hq"},
                stored={(Chroma.C422, 8): Stored(pixels="yuv422p", profile="DNXHR HQ")},
                block_bits=((0, 906),),
                description="About 220 Mb/s at 1080p 30.",
            ),
            Profile(
                name="HQX",
                options={"profile": "dnxhr_hqx"},
                stored={(Chroma.C422, 10): Stored(pixels="yuv422p10le", profile="DNXHR HQX")},
                block_bits=((0, 906),),
                description="As HQ, with 10 bits.",
            ),
        ),
        is_intra=True,
        matrices=(Matrix.BT709,),  # libavcodec's dnxhd encoder writes no other
        min_px=(256, 120),  # libavcodec's dnxhd encoder
    ),
    VideoCodec.FFV1: CodecFacts(
        label="FFV1",
        encoder="ffv1",
        reads_as="ffv1",
        description="Nothing is lost, and each slice carries a checksum: for keeping. Very big.",
        rates=(RateKind.LOSSLESS,),
        # RFC 9043; it has no profiles
        stored=_planar(
            {(chroma, bits): "" for chroma in ("4:2:0", "4:2:2", "4:4:4") for bits in (8, 10)},
        ),
        is_intra=True,
    ),
    VideoCodec.MJPEG: CodecFacts(
        label="MJPEG",
        encoder="mjpeg",
        reads_as="mjpeg",
        description="Every picture is a JPEG: little work, big files, full range.",
        rates=(RateKind.QUANTISER,),
        # ITU-T T.81; JFIF 1.02 says BT.601 at full range
        stored={
            (Chroma.C420, 8): Stored(pixels="yuvj420p", profile="Baseline"),
            (Chroma.C422, 8): Stored(pixels="yuvj422p", profile="Baseline"),
        },
        quantiser=Scale(low=2, high=31, default=3, description=_JPEG_TABLES),
        is_intra=True,
        matrices=(Matrix.BT601,),
        ranges=(Range.FULL,),
        has_transfer=False,
    ),
}
