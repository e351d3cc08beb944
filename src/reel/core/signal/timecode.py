"""Times for people: timecode counted in frames, and lengths."""

from fractions import Fraction


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
