"""Lengths as people type them."""

import re

from reel.core.errors import BadValueError

_LENGTH = re.compile(r"(?P<number>\d{1,6}(\.\d{1,3})?)\s?(?P<unit>s|min|h)?\Z", re.ASCII)
_SECONDS = {"s": 1, "min": 60, "h": 3600, None: 1}
MAX_S = 24 * 3600


def parse_length(text: str) -> float:
    """Read `10`, `10s`, `2.5 min` or `1h` as seconds; raises BadValueError."""
    match = _LENGTH.match(text)
    seconds = float(match["number"]) * _SECONDS[match["unit"]] if match else 0.0
    if not 0.1 <= seconds <= MAX_S:
        raise BadValueError("Length", text, "it reads like 10s, 2.5min or 1h, from 0.1 s to 24 h")
    return seconds
