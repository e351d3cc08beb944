"""What is said of devices on more than one page."""

from django import template

from reel.core.line import DEVICES, DeviceKind

register = template.Library()


@register.filter
def plays(kind: str) -> str:
    """Say what Fernhollow's device of a kind plays."""
    return DEVICES[DeviceKind(kind)].plays
