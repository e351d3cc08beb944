"""Times for people: timecode counted in frames, and lengths."""

import math
import re
from fractions import Fraction

from reel.core.errors import BadValueError


def timecode(at_s: Fraction, rate: Fraction) -> str:
    """Give `hh:mm:ss:ff` for a second of a take; the NTSC rates count in real seconds, without dropping numbers."""
    seconds, rest = divmod(at_s, 1)
    minutes, second = divmod(int(seconds), 60)
    hour, minute = divmod(minutes, 60)
    frame = int(rest * rate)
    return f"{hour:02}:{minute:02}:{second:02}:{frame:02}"


def length_label(seconds: Fraction | float) -> str:
    """Return a length: `8.4 s` below a minute, `14 min 02 s`, `2 h 05 min`."""
    if seconds < 60:
        return f"{float(seconds):.1f} s"
    whole = round(seconds)
    if whole < 3600:
        return f"{whole // 60} min {whole % 60:02} s"
    return f"{whole // 3600} h {whole % 3600 // 60:02} min"


_CODE = re.compile(r"(?:(?:(\d{1,3}):)?(\d{1,4}):)?(\d{1,7})(?:\.(\d{1,6}))?\Z", re.ASCII)
_FRAMES = re.compile(r"(\d{1,3}):(\d{1,2}):(\d{1,2}):(\d{1,3})\Z", re.ASCII)


def tick_of(text: str, rate: Fraction) -> int:
    """Return the tick of `rate` a second that is written as `hh:mm:ss:ff`, as `h:mm:ss.s`, or as seconds.

    Raises BadValueError.
    """
    typed = text.strip()
    if found := _FRAMES.match(typed):
        hours, minutes, seconds, frame = (int(one) for one in found.groups())
        if frame >= rate:
            raise BadValueError("Timecode", typed, f"a second has {math.ceil(rate)} frames, counted from 0")
        return math.ceil(((hours * 60 + minutes) * 60 + seconds) * rate + frame)
    if found := _CODE.match(typed):
        hours, minutes, seconds = (int(one or 0) for one in found.groups()[:3])
        part = Fraction(f"0.{found.group(4) or 0}")
        return round(((hours * 60 + minutes) * 60 + seconds + part) * rate)
    raise BadValueError("Timecode", typed[:20], "it is written as 0:12:04:15, as 12:04.5 or as seconds")
