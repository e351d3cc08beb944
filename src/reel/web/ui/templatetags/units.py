"""Numbers with their units, for people: the one place where they are formatted."""

import datetime
from collections.abc import Sized
from fractions import Fraction

from django import template

from reel.core.file import Forecast
from reel.core.frame import Crop
from reel.core.line import Loss
from reel.core.line import word as word_of
from reel.core.signal import Mode, Scan, Signal, length_label, pixel_format, rate_label

register = template.Library()


@register.filter
def size(size_bytes: int | None) -> str:
    """Return bytes as the drive makers count: 912 kB, 48.2 MB, 1.21 GB."""
    if size_bytes is None:
        return "–"
    for unit, step, places in (("TB", 1e12, 2), ("GB", 1e9, 2), ("MB", 1e6, 1)):
        if size_bytes >= step:
            return f"{size_bytes / step:.{places}f} {unit}"
    return f"{size_bytes / 1000:.0f} kB"


@register.filter
def bitrate(bits_per_second: float | Fraction | None) -> str:
    """Return a data rate: 192 kb/s, 12.6 Mb/s, 1.49 Gb/s."""
    if not bits_per_second:
        return "–"
    if bits_per_second >= 1e9:
        return f"{float(bits_per_second) / 1e9:.2f} Gb/s"
    if bits_per_second >= 1e6:
        return f"{float(bits_per_second) / 1e6:.1f} Mb/s"
    return f"{float(bits_per_second) / 1e3:.0f} kb/s"


@register.filter
def length(seconds: float | Fraction | None) -> str:
    """Return a length: 8.4 s, 14 min 02 s, 2 h 05 min."""
    return "–" if seconds is None else length_label(seconds)


@register.filter
def seconds(milliseconds: int) -> str:
    """Return milliseconds as seconds, for a script: 12.345."""
    return f"{milliseconds / 1000:.3f}"


@register.filter
def hour_bytes(bits_per_second: int | None) -> int | None:
    """Return the bytes of an hour at a data rate."""
    return bits_per_second * 450 if bits_per_second else None


@register.filter
def decibels(level_db: float) -> str:
    """Return a level: −23.4 dBFS."""
    return f"{level_db:.1f} dBFS".replace("-", "−")


@register.filter
def bits_per_pixel(picture_bps: int, mode: Mode) -> str:
    """Return how many bits each pixel of a picture gets: 0.06."""
    return f"{float(picture_bps / (mode.width_px * mode.height_px * mode.rate)):.3f}"


@register.filter
def holdable(rolls: list[dict[str, object]]) -> list[dict[str, object]]:
    """Return those takes that can be held."""
    return [roll for roll in rolls if roll["canHold"]]


@register.filter
def alone(value: object) -> list[object]:
    """Return a list of one thing."""
    return [value]


@register.filter
def moment(at: datetime.datetime) -> str:
    """Return a time in the machine's own zone: 2 May 2026, 14:05."""
    local = at.astimezone()
    return f"{local.day} {local:%B %Y, %H:%M}"


@register.filter
def word(loss: Loss) -> str:
    """Return the word of a loss for the drawing."""
    return word_of(loss)


@register.filter
def rate(pictures_per_second: Fraction) -> str:
    """Return a frame rate: 29.97."""
    return rate_label(pictures_per_second)


@register.filter
def fields(mode: Mode | None) -> str:
    """Return how many fields a second a mode has: 50 a second; none where its pictures are whole."""
    if not mode:
        return "–"
    return f"{rate_label(mode.moments_per_s)} a second" if mode.scan is Scan.INTERLACED else "none"


@register.filter
def pixels_label(signal: Signal | None) -> str:
    """Return how a signal's pixels are stored: 4:2:2 10-bit."""
    return pixel_format(signal.pixels).label if signal else "–"


@register.filter
def seconds_left(forecast: Forecast, free_bytes: int) -> int:
    """Return the seconds until the free room is full at a forecast's rate."""
    return forecast.seconds_left(free_bytes)


@register.filter
def count(things: Sized) -> int:
    return len(things)


@register.filter
def less(number: int, other: int) -> int:
    return number - other


@register.filter
def crop_words(crop: Crop) -> str:
    """Return where bars lie: `96 px left and right, 64 px above, 32 px below are`."""
    words = []
    for first, second, both, sides in (
        (crop.left_px, crop.right_px, "left and right", ("left", "right")),
        (crop.top_px, crop.bottom_px, "above and below", ("above", "below")),
    ):
        if first and first == second:
            words.append(f"{first} px {both}")
        else:
            words += [f"{value} px {side}" for value, side in zip((first, second), sides, strict=True) if value]
    return f"{', '.join(words)} are"
