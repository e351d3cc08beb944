"""Mending settings that do not go together: the nearest recipe that works, offered and never taken silently."""

from dataclasses import replace
from typing import Any

from reel.core.file.codec_facts import Chroma, CodecFacts, VideoCodec
from reel.core.file.containers import CONTAINERS, Container
from reel.core.file.rate import (
    ByProfile,
    ConstantBitrate,
    ConstantQuality,
    ConstantQuantiser,
    Lossless,
    RateControl,
    RateKind,
    VariableBitrate,
)
from reel.core.file.recipe import Draft, Recipe
from reel.core.signal import PixelFormat

_USUAL_BPS = 12_000_000
# What keeps the colour samples of a picture; one without colour needs the least.
_CHROMA_OF = {chroma.value: chroma for chroma in Chroma} | {"RGB": Chroma.C444, "4:0:0": Chroma.C420}
# Where a codec is at home, if not in the first container that holds it: there most programs look for it.
_HOMES = {VideoCodec.PRORES: Container.MOV, VideoCodec.DNXHR: Container.MOV}


def resolve(draft: Draft) -> Recipe:
    """Return the nearest recipe that works. The picture codec stays; the container does where it holds it."""
    if draft.codec not in draft.container_facts.video:
        return resolve(replace(draft, container=_holding(draft)[0]))
    return Recipe(**{**draft.as_fields(), **_mended_sound(draft), **_mended_picture(draft)})


def _holding(draft: Draft) -> list[Container]:
    """Return the containers that hold the picture codec, best first: those that hold the sound codec too, its home."""
    home = _HOMES.get(draft.codec)
    found = [key for key, facts in CONTAINERS.items() if draft.codec in facts.video]
    return sorted(found, key=lambda key: (draft.sound_codec not in CONTAINERS[key].sound, key is not home))


def _mended_sound(draft: Draft) -> dict[str, Any]:
    holds = draft.container_facts.sound
    kept = replace(draft, sound_codec=draft.sound_codec if draft.sound_codec in holds else holds[0])
    sound = kept.sound_facts
    bitrates = sound.bitrates_bps or (draft.sound_bitrate_bps,)
    return {
        "sound_codec": kept.sound_codec,
        "sound_rate_hz": min(sound.rates_hz, key=lambda rate: abs(rate - draft.sound_rate_hz)),
        "sound_bitrate_bps": min(bitrates, key=lambda bitrate: abs(bitrate - draft.sound_bitrate_bps)),
    }


def _mended_picture(draft: Draft) -> dict[str, Any]:
    codec = draft.codec_facts
    profiled = replace(draft, profile=_profile(draft, codec))
    chroma, bits = _form(profiled)
    return {
        "rate": nearest_rate(draft.rate, codec),
        "effort": draft.effort if codec.effort(draft.effort) else codec.default_effort,
        "profile": profiled.profile,
        "chroma": chroma,
        "bits": bits,
        "matrix": draft.matrix if draft.matrix in codec.matrices else codec.matrices[0],
        "range": draft.range if draft.range in codec.ranges else codec.ranges[0],
        "b_frames": _within(draft.b_frames, codec.max_b_frames),
        "lookahead": _within(draft.lookahead, codec.max_lookahead),
        "tune": draft.tune if draft.tune in codec.tunes else "",
        "level": draft.level if draft.level in codec.level_names else "",
    }


def _profile(draft: Draft, codec: CodecFacts) -> str:
    """Return the chosen profile, else one that stores the samples that are wanted, else the first."""
    if codec.profile(draft.profile):
        return draft.profile
    fitting = [one.name for one in codec.profiles if (draft.chroma, draft.bits) in one.stored]
    return next(iter((*fitting, *(one.name for one in codec.profiles))), "")


def _form(draft: Draft) -> tuple[Chroma, int]:
    """Return the nearest depth and chroma that is taken: first the chroma, more rather than less, then the depth."""
    order = list(Chroma)
    asked = order.index(draft.chroma)

    def far(form: tuple[Chroma, int]) -> tuple[int, int, int]:
        place = order.index(form[0])
        return abs(place - asked), -place, abs(form[1] - draft.bits)

    return min(draft.forms(), key=far)


def _within(asked: int | None, most: int) -> int | None:
    return None if asked is None or not most else max(0, min(asked, most))


def default_rate(kind: RateKind, codec: CodecFacts) -> RateControl:
    """Return the rate control of a kind with what is usual for a codec."""
    scale = codec.scale(kind)
    default = scale.default if scale else 0
    return {
        RateKind.QUALITY: ConstantQuality(quality=default),
        RateKind.QUANTISER: ConstantQuantiser(quantiser=default),
        RateKind.BITRATE: ConstantBitrate(bitrate_bps=_USUAL_BPS),
        RateKind.VARIABLE: VariableBitrate(bitrate_bps=_USUAL_BPS, max_bps=2 * _USUAL_BPS),
        RateKind.LOSSLESS: Lossless(),
        RateKind.PROFILE: ByProfile(),
    }[kind]


# What is nearest to a kind of rate control that a codec does not have, best first.
_INSTEAD = {
    RateKind.QUALITY: (RateKind.QUANTISER, RateKind.VARIABLE, RateKind.BITRATE, RateKind.LOSSLESS),
    RateKind.QUANTISER: (RateKind.QUALITY, RateKind.VARIABLE, RateKind.BITRATE, RateKind.LOSSLESS),
    RateKind.BITRATE: (RateKind.VARIABLE, RateKind.QUALITY, RateKind.QUANTISER, RateKind.LOSSLESS),
    RateKind.VARIABLE: (RateKind.BITRATE, RateKind.QUALITY, RateKind.QUANTISER, RateKind.LOSSLESS),
    RateKind.LOSSLESS: (RateKind.QUALITY, RateKind.QUANTISER, RateKind.VARIABLE, RateKind.BITRATE),
    RateKind.PROFILE: (RateKind.QUALITY, RateKind.QUANTISER, RateKind.VARIABLE, RateKind.LOSSLESS),
}


def nearest_rate(asked: RateControl, codec: CodecFacts) -> RateControl:
    """Return the rate control of a codec that is nearest to one that was asked."""
    if asked.kind in codec.rates:
        scale, number = codec.scale(asked.kind), asked.number
        if scale is None or number is None or scale.low <= number <= scale.high:
            return asked
        inside = min(scale.high, max(scale.low, number))
        if asked.kind is RateKind.QUALITY:
            return ConstantQuality(quality=inside)
        return ConstantQuantiser(quantiser=inside)
    kind = next((kind for kind in _INSTEAD[asked.kind] if kind in codec.rates), codec.rates[0])
    bitrate_bps = asked.target_bps
    if bitrate_bps is not None and kind is RateKind.BITRATE:
        return ConstantBitrate(bitrate_bps=bitrate_bps)
    if bitrate_bps is not None and kind is RateKind.VARIABLE:
        return VariableBitrate(bitrate_bps=bitrate_bps, max_bps=bitrate_bps)
    return default_rate(kind, codec)


def full_quality(draft: Draft, pixels: PixelFormat) -> Recipe | None:
    """Return the settings of the same codec that store no fewer colour samples and bits than a picture has.

    None where a draft does already, or the codec can't.
    """
    order = list(Chroma)
    comes = _CHROMA_OF.get(pixels.chroma, draft.chroma)
    chroma = max(draft.chroma, comes, key=order.index)
    bits = max(draft.bits, pixels.depth_bits)
    if (chroma, bits) == (draft.chroma, draft.bits):
        return None
    found = resolve(Draft(**{**draft.as_fields(), "chroma": chroma, "bits": bits, "profile": ""}))
    holds = order.index(found.chroma) >= order.index(chroma) and found.bits >= bits
    return found if holds else None


def offers(draft: Draft) -> tuple[Recipe, ...]:
    """Return the nearest recipes that work for settings that don't go together, the nearest first; none where they do.

    One keeps the codecs and takes another container, one keeps the container and takes its usual codec.
    """
    wrong = {mismatch.field for mismatch in draft.mismatches()}
    if not wrong:
        return ()
    tried = [draft]
    if wrong & {"codec", "sound_codec"}:
        container = draft.container_facts
        codec = draft.codec if draft.codec in container.video else container.video[0]
        tried = [replace(draft, container=_holding(draft)[0]), replace(draft, codec=codec)]
    found = [resolve(one) for one in tried]
    return tuple(dict.fromkeys(found))
