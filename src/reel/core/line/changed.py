"""What differs between two setups of a rig, in a few words, for the button that undoes it."""

from collections.abc import Iterator

from reel.core.file.words import differences
from reel.core.line.input import InputSetup
from reel.core.line.rig import RigSetup

# So many settings of a recipe are named; more are "Encoding".
_NAMED = 2


def changed_words(before: RigSetup, after: RigSetup) -> str:
    """Return what a change was about, such as "Frame rate" or "Path of Bench camera"."""
    return ", ".join(dict.fromkeys(_changed(before, after))) or "Settings"


def _changed(before: RigSetup, after: RigSetup) -> Iterator[str]:
    if len(before.inputs) != len(after.inputs):
        yield "Inputs"
        return
    for one, other in zip(before.inputs, after.inputs, strict=True):
        if one != other:
            yield from _changed_input(one, other, "" if len(before.inputs) == 1 else f" of {one.name}")
    yield from _changed_frame(before, after)
    if (before.tracks, before.mix_first) != (after.tracks, after.mix_first):
        yield "Tracks"
    settings = [name for name, _, _ in differences(before.recipe.draft, after.recipe.draft)]
    if before.recipe != after.recipe:
        yield from settings if 0 < len(settings) <= _NAMED else ["Encoding"]
    if before.roll != after.roll:
        yield "Roll options"


def _changed_input(one: InputSetup, other: InputSetup, of: str) -> Iterator[str]:
    parts = {
        "Name": one.name != other.name,
        "Device": (one.device, one.origin) != (other.device, other.origin),
        "Path": [hop.model for hop in one.path] != [hop.model for hop in other.path],
        "Own recorder": one.own is not None and other.own is not None and one.own != other.own,
        "Arrival": one.arrival != other.arrival,
        "Sound": one.sound != other.sound,
    }
    yield from (f"{name}{of}" for name, is_changed in parts.items() if is_changed)


def _changed_frame(before: RigSetup, after: RigSetup) -> Iterator[str]:
    one, other = before.frame, after.frame
    if one.size != other.size:
        yield "Frame size"
    if (one.mode.rate, one.as_it_comes) != (other.mode.rate, other.as_it_comes):
        yield "Frame rate"
    if one.scaler is not other.scaler:
        yield "Scaling"
    if one.ground != other.ground:
        yield "Background"
    if one.arrangements != other.arrangements:
        yield "Framing"
