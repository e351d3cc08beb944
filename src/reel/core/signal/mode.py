"""A mode: the size, rate and scan of a picture signal."""

import re
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

from reel.core.errors import BadValueError

MAX_SIDE_PX = 8192
MAX_RATE = Fraction(240)

# Rates with a name of their own: the NTSC family is 1000/1001 of the whole number (SMPTE 12M).
_NAMED_RATES = {
    Fraction(24000, 1001): "23.976",
    Fraction(30000, 1001): "29.97",
    Fraction(60000, 1001): "59.94",
    Fraction(120000, 1001): "119.88",
}
_MODE_KEY = re.compile(r"(?P<width>\d{2,5})x(?P<height>\d{2,5})(?P<scan>[pi])(?P<rate>\d{1,6}(/\d{1,5})?)\Z")


class Scan(StrEnum):
    """Whether lines arrive as whole pictures or as two fields."""

    PROGRESSIVE = "p"
    INTERLACED = "i"


@dataclass(frozen=True, slots=True, kw_only=True)
class Mode:
    """Width and height in pixels, pictures per second as an exact fraction, and scan."""

    width_px: int
    height_px: int
    rate: Fraction
    scan: Scan = Scan.PROGRESSIVE

    def __post_init__(self) -> None:
        for thing, side in (("Width", self.width_px), ("Height", self.height_px)):
            if not 16 <= side <= MAX_SIDE_PX or side % 2:
                raise BadValueError(thing, side, f"it must be an even number from 16 to {MAX_SIDE_PX} pixels")
        if not 1 <= self.rate <= MAX_RATE:
            raise BadValueError("Frame rate", self.rate, f"it must be from 1 to {MAX_RATE} pictures per second")

    @property
    def key(self) -> str:
        """The mode in one word, for forms and files: `1920x1080p60`, `1280x720p30000/1001`."""
        return f"{self.width_px}x{self.height_px}{self.scan.value}{self.rate}"

    @property
    def label(self) -> str:
        """The mode for people: `1080p 60` for 16:9 sizes of the trade, else `720×576i 25`."""
        rate = rate_label(self.rate)
        if self.width_px * 9 == self.height_px * 16 and self.height_px in (480, 720, 1080, 1440, 2160, 4320):
            return f"{self.height_px}{self.scan.value} {rate}"
        return f"{self.width_px}×{self.height_px}{self.scan.value} {rate}"

    @property
    def moments_per_s(self) -> Fraction:
        """Moments shown in a second: pictures, or fields."""
        return self.rate * 2 if self.scan is Scan.INTERLACED else self.rate

    @property
    def size_label(self) -> str:
        """The size for people: `1280×720`."""
        return f"{self.width_px}×{self.height_px}"

    @classmethod
    def parse(cls, key: str) -> "Mode":
        """Read a mode from its key; raises BadValueError."""
        match = _MODE_KEY.match(key)
        try:
            if match is None:
                raise ValueError
            rate = Fraction(match["rate"])
        except (ValueError, ZeroDivisionError):
            raise BadValueError("Mode", key, "it reads like 1920x1080p60") from None
        size = {"width_px": int(match["width"]), "height_px": int(match["height"])}
        return cls(**size, rate=rate, scan=Scan(match["scan"]))


def rate_label(rate: Fraction) -> str:
    """Return a rate as the trade writes it: 30, 29.97, 12.5."""
    if rate in _NAMED_RATES:
        return _NAMED_RATES[rate]
    return str(rate.numerator) if rate.denominator == 1 else f"{float(rate):.3f}".rstrip("0").rstrip(".")
