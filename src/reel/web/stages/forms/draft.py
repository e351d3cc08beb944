"""Between the fields of the File page and a draft of a recipe."""

from fractions import Fraction
from typing import Any

from reel.core.errors import BadValueError
from reel.core.file import (
    CODECS,
    Chroma,
    ConstantBitrate,
    ConstantQuality,
    ConstantQuantiser,
    Container,
    Draft,
    RateControl,
    RateKind,
    Recipe,
    SoundCodec,
    SoundFiles,
    VariableBitrate,
    VideoCodec,
    default_rate,
    resolve,
)
from reel.core.file.recipe import DEPTHS, samples_label
from reel.core.signal import Matrix, Range


def fields_of(recipe: Draft) -> dict[str, Any]:
    """Return the form's fields of a recipe."""
    rate = recipe.rate
    most = rate.max_bps if isinstance(rate, VariableBitrate) else None
    target = rate.target_bps
    return {
        "as_sent": recipe.as_sent,
        "container": recipe.container.value,
        "codec": recipe.codec.value,
        "profile": recipe.profile,
        "rate": rate.kind.value,
        "number": rate.number,
        "bitrate_mbps": None if target is None else megabit_text(target),
        "max_mbps": None if most is None else megabit_text(most),
        "effort": recipe.effort,
        "samples": recipe.samples,
        "matrix": recipe.matrix.value,
        "range": recipe.range.value,
        "keyframe_s": f"{float(recipe.keyframe_s):g}",
        "b_frames": recipe.b_frames,
        "lookahead": recipe.lookahead,
        "tune": recipe.tune,
        "level": recipe.level,
        "sound_codec": recipe.sound_codec.value,
        "sound_kbps": str(recipe.sound_bitrate_bps // 1000),
        "sound_rate_hz": recipe.sound_rate_hz,
        "sound_channels": recipe.sound_channels,
        "sound_files": recipe.sound_files.value,
        "part_minutes": recipe.part_minutes or None,
        "part_gb": f"{float(recipe.part_gb):g}" if recipe.part_gb else None,
        "name_pattern": recipe.name_pattern,
    }


def megabit_text(bits_per_second: int) -> str:
    return f"{bits_per_second / 1e6:.6f}".rstrip("0").rstrip(".")


def draft_of(cleaned: dict[str, Any], before: Recipe) -> Draft:
    """Make the settings of a form's cleaned fields; raises ReelError for what can't be read."""
    codec = VideoCodec(cleaned["codec"])
    chroma, bits = _read_samples(cleaned["samples"]) if cleaned["samples"] else (before.chroma, before.bits)
    return Draft(
        as_sent=cleaned["as_sent"],
        container=Container(cleaned["container"]),
        codec=codec,
        profile=cleaned["profile"],
        rate=_rate_of(cleaned, codec),
        effort=cleaned["effort"],
        chroma=chroma,
        bits=bits,
        matrix=Matrix(cleaned["matrix"]),
        range=Range(cleaned["range"]),
        keyframe_s=before.keyframe_s if cleaned["keyframe_s"] is None else Fraction(cleaned["keyframe_s"]),
        b_frames=cleaned["b_frames"],
        lookahead=cleaned["lookahead"],
        tune=cleaned["tune"],
        level=cleaned["level"],
        sound_codec=SoundCodec(cleaned["sound_codec"]),
        sound_bitrate_bps=_read_kilobits(cleaned["sound_kbps"]) if cleaned["sound_kbps"] else before.sound_bitrate_bps,
        sound_rate_hz=cleaned["sound_rate_hz"],
        sound_channels=cleaned["sound_channels"],
        sound_files=SoundFiles(cleaned["sound_files"]),
        part_minutes=cleaned["part_minutes"] or 0,
        part_gb=Fraction(cleaned["part_gb"] or 0),
        name_pattern=cleaned["name_pattern"],
    )


def _read_samples(text: str) -> tuple[Chroma, int]:
    known = {samples_label(chroma, bits): (chroma, bits) for chroma in Chroma for bits in DEPTHS}
    if text not in known:
        raise BadValueError("Samples", text, f"it is one of {', '.join(known)}")
    return known[text]


def _read_kilobits(text: str) -> int:
    if not (text.isascii() and text.isdecimal() and len(text) < 6):
        raise BadValueError("Sound bitrate", text, "it is a number of kb/s")
    return int(text) * 1000


def _rate_of(cleaned: dict[str, Any], codec: VideoCodec) -> RateControl:
    """Make the rate control; what was left empty is what is usual for the codec."""
    kind = RateKind(cleaned["rate"])
    number, target, most = cleaned["number"], cleaned["bitrate_mbps"], cleaned["max_mbps"]
    default = default_rate(kind, CODECS[codec])
    if kind is RateKind.QUALITY and number is not None:
        return ConstantQuality(quality=number)
    if kind is RateKind.QUANTISER and number is not None:
        return ConstantQuantiser(quantiser=number)
    if kind is RateKind.BITRATE and target is not None:
        return ConstantBitrate(bitrate_bps=int(target * 1_000_000))
    if kind is RateKind.VARIABLE and target is not None:
        target_bps = int(target * 1_000_000)
        return VariableBitrate(bitrate_bps=target_bps, max_bps=int(most * 1_000_000) if most else 2 * target_bps)
    return default


def with_codec(draft: Draft) -> Draft:
    """Return a draft whose codec was just changed: what the codec's table decides starts from what is usual for it."""
    container, sound = draft.container, draft.sound_codec
    fields = resolve(draft).as_fields() | {"container": container, "sound_codec": sound}
    fields |= {"sound_bitrate_bps": draft.sound_bitrate_bps, "sound_rate_hz": draft.sound_rate_hz}
    if CODECS[draft.codec].scale(draft.rate.kind) is not None:
        fields["rate"] = default_rate(draft.rate.kind, CODECS[draft.codec])
    return Draft(**fields)
