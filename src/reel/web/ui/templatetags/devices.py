"""Devices and hops in words."""

import json
from collections.abc import Sequence

from django import template

from reel.core.line import DEVICES, DeviceKind, Hop, InputSetup, label_of
from reel.core.sound import SoundSetup

register = template.Library()


@register.filter
def ways_out(kind: str) -> str:
    """Say by what a kind of device sends its picture."""
    ways = [way.label for way in DEVICES[DeviceKind(kind)].facts.ways_out]
    return "by " + ", ".join(ways) if ways else "a media file, or a stream from the network"


@register.filter
def hop_label(hop: Hop) -> str:
    """Return a hop's name with what tells it from others."""
    return label_of(hop)


@register.filter
def strip_words(sound: SoundSetup) -> str:
    """Return which of a strip's filters are on: `high-pass 80 · noise −12 · limiter −3`."""
    words = []
    if sound.high_pass_hz is not None:
        words.append(f"high-pass {sound.high_pass_hz}")
    if sound.noise_db is not None:
        words.append(f"noise −{sound.noise_db}")
    if sound.limit_db is not None:
        words.append(f"limiter {sound.limit_db:g}".replace("-", "−"))
    return " · ".join(words)


@register.filter
def input_names(inputs: Sequence[InputSetup]) -> str:
    """Return the names of inputs as JSON, for a script."""
    return json.dumps([one.name for one in inputs])
