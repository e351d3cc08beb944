"""Devices and hops in words."""

from django import template

from reel.core.line import DEVICES, DeviceKind, Hop, label_of

register = template.Library()


@register.filter
def ways_out(kind: str) -> str:
    """Say by what a kind of device sends its picture."""
    ways = [way.label for way in DEVICES[DeviceKind(kind)].facts.ways_out]
    return "by " + ", ".join(ways) if ways else "a media file, or a stream from the network"


@register.filter
def hop_label(hop: Hop) -> str:
    """Give a hop's name with what tells it from others."""
    return label_of(hop)
