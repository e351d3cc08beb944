"""A recipe in words, line by line: for comparing two, and for saying what an offer changes."""

from collections.abc import Callable
from dataclasses import dataclass

from reel.core.file.recipe import Draft, SoundFiles


@dataclass(frozen=True, slots=True)
class Setting:
    """A setting as it is told: its name, the field of a recipe that it is (the first of several), and its words."""

    name: str
    field: str
    say: Callable[[Draft], str]


def part_words(recipe: Draft) -> str:
    """Say after what a new part begins: `30 min or 4 GB`, `one file` where none does."""
    limits = [f"{recipe.part_minutes} min"] if recipe.part_minutes else []
    limits += [f"{float(recipe.part_gb):g} GB"] if recipe.part_gb else []
    return " or ".join(limits) if limits else "one file"


def _frames(count: int | None, limit: int) -> str:
    """Say a number of frames of a codec that takes up to a limit; None is the encoder speed's own."""
    if not limit:
        return "–"
    return "the encoder speed's own" if count is None else str(count)


def _sound(recipe: Draft) -> str:
    facts = recipe.sound_facts
    return facts.label + (f" {recipe.sound_bitrate_bps // 1000} kb/s" if facts.bitrates_bps else "")


# Every recipe has all of them; what a codec does not have is said so.
SETTINGS = (
    Setting("Container", "container", lambda recipe: recipe.container_facts.label),
    Setting("Stream copy", "as_sent", lambda recipe: "yes" if recipe.as_sent else "no"),
    Setting("Codec", "codec", lambda recipe: " ".join(filter(None, (recipe.codec_facts.label, recipe.profile)))),
    Setting("Rate control", "rate", lambda recipe: recipe.rate.label or "by its profile"),
    Setting("Encoder speed", "effort", lambda recipe: recipe.effort or "–"),
    Setting("Chroma and bit depth", "samples", lambda recipe: recipe.samples),
    Setting("Matrix, range", "matrix", lambda recipe: f"{recipe.matrix} {recipe.range}"),
    Setting(
        "Keyframe interval",
        "keyframe_s",
        lambda recipe: "picture" if recipe.codec_facts.is_intra else f"{float(recipe.keyframe_s):g} s",
    ),
    Setting("B-frames", "b_frames", lambda recipe: _frames(recipe.b_frames, recipe.codec_facts.max_b_frames)),
    Setting("Look-ahead", "lookahead", lambda recipe: _frames(recipe.lookahead, recipe.codec_facts.max_lookahead)),
    Setting("Tune", "tune", lambda recipe: recipe.tune or "–"),
    Setting("Level", "level", lambda recipe: recipe.level or "as needed"),
    Setting("Sound", "sound_codec", _sound),
    Setting("Sample rate", "sound_rate_hz", lambda recipe: f"{recipe.sound_rate_hz / 1000:g} kHz"),
    Setting("Channels", "sound_channels", lambda recipe: "mono" if recipe.sound_channels == 1 else "stereo"),
    Setting(
        "Separate sound files",
        "sound_files",
        lambda recipe: "none" if recipe.sound_files is SoundFiles.NONE else recipe.sound_files.value.upper(),
    ),
    Setting("New part after", "part_minutes", part_words),
    Setting("File name", "name_pattern", lambda recipe: recipe.name_pattern),
)


def lines(recipe: Draft) -> dict[str, str]:
    """Return each setting in words, by its name; the same names for every recipe."""
    return {one.name: one.say(recipe) for one in SETTINGS}


def differences(one: Draft, other: Draft) -> tuple[tuple[str, str, str], ...]:
    """Return what differs between two: the setting, the first's, the second's."""
    first, second = lines(one), lines(other)
    return tuple((name, first[name], second[name]) for name in first if first[name] != second[name])
