"""The fields of a recipe: one table of what each shows of a draft, makes of what was typed, and when it counts."""

import itertools
from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from fractions import Fraction
from typing import Any

from django import forms

from reel.core.errors import BadValueError
from reel.core.file import (
    CODECS,
    CONTAINERS,
    RATE_WORDS,
    SOUND_CODECS,
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
    SoundFacts,
    SoundFiles,
    VariableBitrate,
    VideoCodec,
    default_rate,
    resolve,
)
from reel.core.file.codec_facts import CodecFacts
from reel.core.file.rate import BITRATE_BPS
from reel.core.file.recipe import DEPTHS, KEYFRAME_S, PART_GB, PART_MINUTES, SOUND_RATES_HZ, samples_label
from reel.core.signal import Matrix, Range
from reel.web.ui.fields import NumberField, WholeField
from reel.web.ui.forms import choices_of

Counts = Callable[[CodecFacts, RateKind, SoundFacts], bool]


@dataclass(frozen=True, slots=True, kw_only=True)
class RecipeField:
    """A field of the form. `show` gives what it holds for a draft, `make` the settings that a cleaned value stands for.

    What `make` leaves out stays as it was before. `counts` says whether the field means anything with a codec, a rate
    control and a codec of sound; None for always. The rate control is made of several fields together, `_rate_of`.
    """

    field: forms.Field
    show: Callable[[Draft], Any]
    make: Callable[[Any], dict[str, Any]] = lambda value: {}
    counts: Counts | None = None


def _of(
    setting: str, field: forms.Field, kind: type[StrEnum] | None = None, counts: Counts | None = None
) -> RecipeField:
    """Return the field of one setting, which is shown and made as it is, or is a member of `kind`."""
    return RecipeField(
        field=field,
        show=lambda draft: str(getattr(draft, setting)) if kind else getattr(draft, setting),
        make=lambda value: {setting: kind(value) if kind else value},
        counts=counts,
    )


def _chosen(label: str, help_text: str = "") -> forms.CharField:
    """Return a field whose choices the codec says; one that is not among them is refused by core, with its reason."""
    return forms.CharField(label=label, required=False, max_length=40, widget=forms.Select, help_text=help_text)


def _labelled(label: str, table: Any) -> forms.ChoiceField:
    """Return a field of what stands in a table of facts."""
    return forms.ChoiceField(label=label, choices=[(kind.value, facts.label) for kind, facts in table.items()])


def _megabits(label: str, show: Callable[[RateControl], int | None], *kinds: RateKind) -> RecipeField:
    """Return a field of a bitrate that some rate controls have."""
    low, high = (Decimal(limit) / 1_000_000 for limit in BITRATE_BPS)

    def text(draft: Draft) -> str | None:
        bitrate_bps = show(draft.rate)
        return None if bitrate_bps is None else f"{bitrate_bps / 1e6:.6f}".rstrip("0").rstrip(".")

    field = NumberField(label=label, required=False, min_value=low, max_value=high)
    return RecipeField(field=field, show=text, counts=lambda codec, rate, sound: rate in kinds)


def _limits(low: Fraction, high: Fraction) -> dict[str, Decimal]:
    return {"min_value": Decimal(str(float(low))), "max_value": Decimal(str(float(high)))}


def _make_samples(text: str) -> dict[str, Any]:
    known = {samples_label(chroma, bits): (chroma, bits) for chroma in Chroma for bits in DEPTHS}
    if text and text not in known:
        raise BadValueError("Samples", text, f"it is one of {', '.join(known)}")
    return dict(zip(("chroma", "bits"), known[text], strict=True)) if text else {}


def _make_sound_bitrate(text: str) -> dict[str, Any]:
    if text and not (text.isascii() and text.isdecimal() and len(text) < 6):
        raise BadValueError("Sound bitrate", text, "it is a number of kb/s")
    return {"sound_bitrate_bps": int(text) * 1000} if text else {}


FIELDS: dict[str, RecipeField] = {
    "as_sent": _of("as_sent", forms.BooleanField(
        label="Stream copy",
        required=False,
        help_text="Keeps the sender's own packets, from its next keyframe on: nothing is encoded anew.",
    )),
    "container": _of("container", _labelled("Container", CONTAINERS), Container),
    "codec": _of("codec", _labelled("Codec", CODECS), VideoCodec),
    "profile": _of("profile", _chosen("Profile"), counts=lambda codec, rate, sound: bool(codec.profiles)),
    "rate": RecipeField(
        field=forms.ChoiceField(label="Rate control", choices=[(kind.value, RATE_WORDS[kind]) for kind in RateKind]),
        show=lambda draft: draft.rate.kind.value,
    ),
    "number": RecipeField(
        field=WholeField(label="Number", required=False, min_value=0, max_value=63),
        show=lambda draft: draft.rate.number,
        counts=lambda codec, rate, sound: codec.scale(rate) is not None,
    ),
    "bitrate_mbps": _megabits(
        "Bitrate, Mb/s", lambda rate: rate.target_bps, RateKind.BITRATE, RateKind.VARIABLE,
    ),
    "max_mbps": _megabits(
        "Maximum, Mb/s", lambda rate: rate.max_bps if isinstance(rate, VariableBitrate) else None, RateKind.VARIABLE,
    ),
    "effort": _of("effort", _chosen(
        "Encoder speed", "Slower makes smaller files; too slow loses frames. × is the measured headroom.",
    ), counts=lambda codec, rate, sound: bool(codec.efforts)),
    "samples": RecipeField(
        field=_chosen("Chroma and bit depth", "More than this is reduced to it; less stays as it is."),
        show=lambda draft: draft.samples,
        make=_make_samples,
    ),
    "matrix": _of("matrix", forms.ChoiceField(label="Matrix", choices=choices_of(Matrix, {})), Matrix),
    "range": _of("range", forms.ChoiceField(label="Range", choices=choices_of(Range, {})), Range),
    "keyframe_s": RecipeField(
        field=NumberField(
            label="Keyframe interval",
            required=False,  # where every picture is one, it is not asked
            help_text="Seconds. 2 edits and seeks well; longer saves a little room.",
            **_limits(*KEYFRAME_S),
        ),
        show=lambda draft: f"{float(draft.keyframe_s):g}",
        make=lambda seconds: {} if seconds is None else {"keyframe_s": Fraction(seconds)},
        counts=lambda codec, rate, sound: not codec.is_intra,
    ),
    "lookahead": _of("lookahead", WholeField(
        label="Look-ahead", required=False, min_value=0, max_value=250,
        help_text="Frames. Leave empty for the encoder speed's own. "
        "More makes files smaller, with more delay and work.",
    ), counts=lambda codec, rate, sound: bool(codec.max_lookahead)),
    "b_frames": _of("b_frames", WholeField(
        label="B-frames", required=False, min_value=0, max_value=16,
    ), counts=lambda codec, rate, sound: bool(codec.max_b_frames)),
    "tune": _of("tune", _chosen(
        "Tune", "What the encoder favours. None suits games and films alike.",
    ), counts=lambda codec, rate, sound: bool(codec.tunes)),
    "level": _of("level", _chosen("Level"), counts=lambda codec, rate, sound: codec.sets_level),
    "sound_codec": _of("sound_codec", _labelled("Sound", SOUND_CODECS), SoundCodec),
    "sound_kbps": RecipeField(
        field=_chosen("Sound bitrate"),
        show=lambda draft: str(draft.sound_bitrate_bps // 1000),
        make=_make_sound_bitrate,
        counts=lambda codec, rate, sound: bool(sound.bitrates_bps),
    ),
    "sound_rate_hz": _of("sound_rate_hz", forms.TypedChoiceField(
        label="Sample rate",
        coerce=int,
        choices=[(rate, f"{rate / 1000:g} kHz") for rate in SOUND_RATES_HZ],
        help_text="48 kHz goes with video everywhere; 44.1 kHz is for music alone, 96 kHz for slowing down.",
    )),
    "sound_channels": _of("sound_channels", forms.TypedChoiceField(
        label="Channels", coerce=int, choices=[(2, "stereo"), (1, "mono")],
    )),
    "sound_files": _of("sound_files", forms.ChoiceField(
        label="Separate sound files",
        choices=[
            (SoundFiles.NONE.value, "none"),
            (SoundFiles.WAV.value, "WAV for each track"),
            (SoundFiles.FLAC.value, "FLAC for each track"),
        ],
        help_text="24 bits, without loss, with the take's own start. WAV opens everywhere; FLAC takes about half.",
    ), SoundFiles),
    "part_minutes": RecipeField(
        field=WholeField(
            label="New part after, min", required=False, min_value=1, max_value=PART_MINUTES,
            help_text="Another file begins, without a gap, after so many minutes or from that size on. "
            "Empty: one file.",
        ),
        show=lambda draft: draft.part_minutes or None,
        make=lambda minutes: {"part_minutes": minutes or 0},
    ),
    "part_gb": RecipeField(
        field=NumberField(label="or GB", required=False, **_limits(*PART_GB)),
        show=lambda draft: f"{float(draft.part_gb):g}" if draft.part_gb else None,
        make=lambda size: {"part_gb": Fraction(size or 0)},
    ),
    "name_pattern": _of("name_pattern", forms.CharField(
        label="File name",
        max_length=80,
        help_text="{rig}, {date}, {time}, {number}, {size}, {rate} and {codec} are filled in. Never overwrites.",
    )),
}  # fmt: skip
# The fields whose label is read beside them, since their row's does not say it.
NAMED = frozenset({"bitrate_mbps", "max_mbps", "b_frames", "part_gb"})
# The rows of the page, each by its fields: those in sight, and those that few people change.
SHOWN = (
    ("codec", "profile"),
    ("rate", "number", "bitrate_mbps", "max_mbps"),
    ("effort",),
    ("sound_codec", "sound_kbps"),
)
FOLDED = (
    ("samples", "matrix", "range"), ("keyframe_s",), ("lookahead", "b_frames"), ("tune",), ("level",),
    ("sound_rate_hz", "sound_channels"), ("sound_files",), ("part_minutes", "part_gb"),
)  # fmt: skip
# All fields of the folded part; the file's name has a row of its own there.
FOLDED_FIELDS = frozenset({"name_pattern", *itertools.chain(*FOLDED)})


def fields_of(draft: Draft) -> dict[str, Any]:
    """Return what the fields hold for a draft."""
    return {name: one.show(draft) for name, one in FIELDS.items()}


def draft_of(cleaned: dict[str, Any], before: Recipe) -> Draft:
    """Make the settings of cleaned fields; raises ReelError for what can't be read."""
    made = before.draft.as_fields()
    for name, one in FIELDS.items():
        made |= one.make(cleaned[name])
    return Draft(**made | {"rate": _rate_of(cleaned, made["codec"])})


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
