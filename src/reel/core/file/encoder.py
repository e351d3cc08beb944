"""What an encoder is told, for a plan: a pure table look-up, so that nothing is decided when a take rolls."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass

from reel.core.file.codec_facts import VideoCodec
from reel.core.file.plan import BUFFER_S, FilePlan
from reel.core.file.rate import RateKind, VariableBitrate

# A keyframe is set where it was asked for and nowhere else: libavcodec's detection of scene changes never fires.
_NO_SCENES = "1000000000"


@dataclass(frozen=True, slots=True, kw_only=True)
class EncoderSettings:
    """What libavcodec is told: the encoder's name, the pixel format, frames between keyframes, its options.

    `b_frames` is how many pictures may lie between two that are shown before them. `bitrate_bps` is None where options
    say it. `tag` is the name of the codec in the container, "" for the usual one.
    """

    encoder: str
    pixels: str
    keyframe_ticks: int
    options: Mapping[str, str]
    b_frames: int = 0
    bitrate_bps: int | None = None
    tag: str = ""


def encoder_settings(plan: FilePlan) -> EncoderSettings:
    """Return what the encoder of a plan is told. The plan is one that `check` takes."""
    recipe = plan.recipe
    effort = recipe.chosen_effort
    options = dict(effort.options) if effort else {}
    b_frames = _b_frames(plan)
    lookahead = effort.lookahead if effort else 0
    # the default is for films; a third of a second keeps what a recorder holds in memory small
    ahead = min(lookahead, round(plan.frame.rate / 3)) if recipe.lookahead is None else recipe.lookahead
    options |= _OPTIONS[recipe.codec](plan, b_frames, ahead)
    is_hevc = recipe.codec is VideoCodec.HEVC and recipe.container_facts.muxer in ("mp4", "mov")
    bitrate = recipe.rate.target_bps if recipe.codec is VideoCodec.AV1 else None
    return EncoderSettings(
        encoder=recipe.codec_facts.encoder,
        pixels=recipe.stored.pixels,
        keyframe_ticks=plan.keyframe_ticks,
        options=options,
        b_frames=b_frames,
        bitrate_bps=bitrate,
        tag="hvc1" if is_hevc else "",  # ISO/IEC 14496-15, 8.4: parameter sets in the header, as players want it
    )


def _b_frames(plan: FilePlan) -> int:
    recipe, effort = plan.recipe, plan.recipe.chosen_effort
    if not recipe.codec_facts.max_b_frames or recipe.tune == "zerolatency":
        return 0
    own = effort.b_frames if effort else 0
    return own if recipe.b_frames is None else recipe.b_frames


def _bits(plan: FilePlan) -> dict[str, str]:
    """Return libavcodec's options for a bitrate; see `FilePlan.second_bps` for the buffer."""
    rate = plan.recipe.rate
    if rate.target_bps is None:
        return {}
    assert plan.max_bps is not None
    most = str(plan.max_bps)
    held = {} if isinstance(rate, VariableBitrate) else {"minrate": most}
    return {"b": str(rate.target_bps), "maxrate": most, "bufsize": str(round(plan.max_bps * BUFFER_S)), **held}


def _h264(plan: FilePlan, b_frames: int, lookahead: int) -> dict[str, str]:
    recipe, kind = plan.recipe, plan.recipe.rate.kind
    profiles = {"High": "high", "High 10": "high10", "High 4:2:2": "high422", "High 4:4:4 Predictive": "high444"}
    options = {
        "profile": profiles[recipe.stored.profile],
        "8x8dct": "1",  # what makes it High; ultrafast would leave it out
        "keyint_min": str(plan.keyframe_ticks),
        "sc_threshold": "0",
        "rc-lookahead": "0" if recipe.tune == "zerolatency" else str(lookahead),
        "bf": str(b_frames),
        **_bits(plan),
    }
    if recipe.tune:
        options["tune"] = recipe.tune
    if recipe.level:
        options["level"] = recipe.level
    if not plan.as_it_comes:
        options["x264-params"] = "force-cfr=1"  # ITU-T H.264, E.2.1: fixed_frame_rate_flag
    if kind is RateKind.BITRATE:
        options["nal-hrd"] = "cbr"
    elif kind is RateKind.QUALITY:
        options["crf"] = str(recipe.rate.number)
    elif kind is RateKind.QUANTISER:
        # ITU-T H.264, 7.4.2.1.1: QpBdOffset, which x264 counts from
        options["qp"] = str((recipe.rate.number or 0) + 6 * (recipe.bits - 8))
    elif kind is RateKind.LOSSLESS:
        options["qp"] = "0"
    return options


def _hevc(plan: FilePlan, b_frames: int, lookahead: int) -> dict[str, str]:
    recipe, kind = plan.recipe, plan.recipe.rate.kind
    params = {
        "log-level": "error",
        "scenecut": "0",
        "open-gop": "0",
        "bframes": str(b_frames),
        # x265 wants to see as far ahead as it sets B-frames
        "rc-lookahead": str(max(lookahead, b_frames + 1)),
    }
    options = {"keyint_min": str(plan.keyframe_ticks), **_bits(plan)}
    if recipe.tune:
        options["tune"] = recipe.tune
    if recipe.level:
        params["level-idc"] = recipe.level
    if kind is RateKind.BITRATE:
        params["strict-cbr"] = "1"
    elif kind is RateKind.QUALITY:
        options["crf"] = str(recipe.rate.number)
    elif kind is RateKind.QUANTISER:
        options["qp"] = str(recipe.rate.number)
    elif kind is RateKind.LOSSLESS:
        params["lossless"] = "1"
    return options | {"x265-params": ":".join(f"{key}={value}" for key, value in params.items())}


def _av1(plan: FilePlan, b_frames: int, lookahead: int) -> dict[str, str]:
    recipe, kind = plan.recipe, plan.recipe.rate.kind
    params = {"scd": "0"}
    if recipe.lookahead is not None:
        params["lookahead"] = str(lookahead)
    options = {}
    if kind is RateKind.BITRATE:
        # its constant bitrate works in the order of display only; its buffer in milliseconds
        held = round(1000 * BUFFER_S)
        params |= {"rc": "2", "pred-struct": "1", "buf-sz": str(held)}
        params |= dict.fromkeys(("buf-initial-sz", "buf-optimal-sz"), str(held * 3 // 5))
    elif kind is RateKind.QUALITY:
        options["crf"] = str(recipe.rate.number)
    elif kind is RateKind.QUANTISER:
        params |= {"rc": "0", "aq-mode": "0", "qp": str(recipe.rate.number)}
    return options | {"svtav1-params": ":".join(f"{key}={value}" for key, value in params.items())}


def _vp9(plan: FilePlan, b_frames: int, lookahead: int) -> dict[str, str]:
    recipe, kind = plan.recipe, plan.recipe.rate.kind
    options = {"keyint_min": str(plan.keyframe_ticks), "lag-in-frames": str(min(25, recipe.lookahead or 0))}
    options |= _bits(plan)
    if kind is RateKind.QUALITY:
        options |= {"crf": str(recipe.rate.number), "b": "0"}
    elif kind is RateKind.QUANTISER:
        number = str(recipe.rate.number)
        options |= {"qmin": number, "qmax": number, "crf": number, "b": "0"}
    elif kind is RateKind.LOSSLESS:
        options["lossless"] = "1"
    return options


def _quantised(plan: FilePlan, b_frames: int, lookahead: int) -> dict[str, str]:
    number = plan.recipe.rate.number
    fixed = {} if number is None else {"qmin": str(number), "qmax": str(number)}
    return {"sc_threshold": _NO_SCENES, **_bits(plan), **fixed}


def _by_profile(plan: FilePlan, b_frames: int, lookahead: int) -> dict[str, str]:
    profile = plan.recipe.codec_facts.profile(plan.recipe.profile)
    return dict(profile.options) if profile else {}


def _ffv1(plan: FilePlan, b_frames: int, lookahead: int) -> dict[str, str]:
    return {"level": "3", "slices": "4", "slicecrc": "1"}  # RFC 9043: version 3 has slices with checksums


_OPTIONS: dict[VideoCodec, Callable[[FilePlan, int, int], dict[str, str]]] = {
    VideoCodec.H264: _h264,
    VideoCodec.HEVC: _hevc,
    VideoCodec.AV1: _av1,
    VideoCodec.VP9: _vp9,
    VideoCodec.MPEG2: _quantised,
    VideoCodec.PRORES: _by_profile,
    VideoCodec.DNXHR: _by_profile,
    VideoCodec.FFV1: _ffv1,
    VideoCodec.MJPEG: _quantised,
}
