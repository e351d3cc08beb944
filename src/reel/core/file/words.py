"""A recipe in words, line by line: for comparing two, and for saying what an offer changes."""

from reel.core.file.recipe import Draft, SoundFiles


def lines(recipe: Draft) -> dict[str, str]:
    """Return each setting in words, by its name; the same names for every recipe."""
    codec, sound = recipe.codec_facts, recipe.sound_facts
    has_gaps = not codec.is_intra
    own = "the encoder speed's own"
    return {
        "Container": recipe.container_facts.label,
        "Stream copy": "yes" if recipe.as_sent else "no",
        "Codec": " ".join(part for part in (codec.label, recipe.profile) if part),
        "Rate control": recipe.rate.label or "by its profile",
        "Encoder speed": recipe.effort or "–",
        "Chroma and bit depth": recipe.samples,
        "Matrix, range": f"{recipe.matrix} {recipe.range}",
        "Keyframe interval": f"{float(recipe.keyframe_s):g} s" if has_gaps else "picture",
        "B-frames": (own if recipe.b_frames is None else str(recipe.b_frames)) if codec.max_b_frames else "–",
        "Look-ahead": (own if recipe.lookahead is None else str(recipe.lookahead)) if codec.max_lookahead else "–",
        "Tune": recipe.tune or "–",
        "Level": recipe.level or "as needed",
        "Sound": sound.label + (f" {recipe.sound_bitrate_bps // 1000} kb/s" if sound.bitrates_bps else ""),
        "Sample rate": f"{recipe.sound_rate_hz / 1000:g} kHz",
        "Channels": "mono" if recipe.sound_channels == 1 else "stereo",
        "Separate sound files": "none" if recipe.sound_files is SoundFiles.NONE else recipe.sound_files.value.upper(),
        "New part after": part_words(recipe),
        "File name": recipe.name_pattern,
    }


def part_words(recipe: Draft) -> str:
    """Say after what a new part begins: `30 min or 4 GB`, `one file` where none does."""
    limits = [f"{recipe.part_minutes} min"] if recipe.part_minutes else []
    limits += [f"{float(recipe.part_gb):g} GB"] if recipe.part_gb else []
    return " or ".join(limits) if limits else "one file"


def differences(one: Draft, other: Draft) -> tuple[tuple[str, str, str], ...]:
    """Return what differs between two: the setting, the first's, the second's."""
    first, second = lines(one), lines(other)
    return tuple((name, first[name], second[name]) for name in first if first[name] != second[name])
