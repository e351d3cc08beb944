"""What pages send of takes."""

import re

from reel.core.errors import BadValueError

_SECOND = re.compile(r"\d{1,7}(\.\d{0,20})?\Z", re.ASCII)


def second(typed: str) -> float:
    """Read a second; raises BadValueError."""
    if typed and not _SECOND.match(typed):
        raise BadValueError("Mark", typed[:20], "it lies at a second of the part")
    return float(typed or 0)
