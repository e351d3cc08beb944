"""Lengths as people type them."""

import re
from dataclasses import replace
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.file.recipe import Recipe

_LENGTH = re.compile(r"(?P<number>\d{1,6}(\.\d{1,3})?)\s?(?P<unit>s|min|h)?\Z", re.ASCII)
_SECONDS = {"s": 1, "min": 60, "h": 3600, None: 1}
MAX_S = 24 * 3600


_GIGABYTES = re.compile(r"(?P<number>\d{1,6}(\.\d{1,3})?)\s?GB\Z", re.ASCII | re.IGNORECASE)


def with_parts(recipe: Recipe, text: str) -> Recipe:
    """Return a recipe with parts of `30min` or `4GB`; raises BadValueError."""
    if (size := parse_gigabytes(text)) is not None:
        return replace(recipe, part_gb=size)
    seconds = parse_length(text)
    if seconds % 60:
        raise BadValueError("Parts", text, "a part lasts whole minutes, like 30min, or has a size, like 4GB")
    return replace(recipe, part_minutes=int(seconds // 60))


def parse_gigabytes(text: str) -> Fraction | None:
    """Read `4GB` as 10⁹ bytes; None for what is no size."""
    match = _GIGABYTES.match(text.strip())
    return Fraction(match["number"]) if match else None


def plain_length(seconds: int) -> str:
    """Return a length as it is typed: `90 s`, `30 min`, `2 h`; "" for none."""
    if not seconds:
        return ""
    if seconds % 3600 == 0:
        return f"{seconds // 3600} h"
    return f"{seconds // 60} min" if seconds % 60 == 0 else f"{seconds} s"


def parse_length(text: str) -> float:
    """Read `10`, `10s`, `2.5 min` or `1h` as seconds; raises BadValueError."""
    match = _LENGTH.match(text)
    seconds = float(match["number"]) * _SECONDS[match["unit"]] if match else 0.0
    if not 0.1 <= seconds <= MAX_S:
        raise BadValueError("Length", text, "it reads like 10s, 2.5min or 1h, from 0.1 s to 24 h")
    return seconds
