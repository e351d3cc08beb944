"""Tables as comma-separated values (RFC 4180) that no spreadsheet takes for formulas."""

import csv
import io
from collections.abc import Iterable, Sequence
from fractions import Fraction

from reel.core.handing.values import Moment
from reel.core.signal import timecode

# What a spreadsheet takes for the beginning of a formula.
_FORMULA = ("=", "+", "-", "@", "\t", "\r")


def table(header: Sequence[str], rows: Iterable[Sequence[object]]) -> str:
    """Return a table with a header line; text that looks like a formula has an apostrophe before it."""
    written = io.StringIO()
    writer = csv.writer(written)
    writer.writerow(header)
    writer.writerows([[_cell(value) for value in row] for row in rows])
    return written.getvalue()


def moments_table(moments: Iterable[Moment], rate: Fraction) -> str:
    """Return moments as a table, in the order of time; `rate` is the file's, for timecodes."""
    rows = [
        (one.kind.value, timecode(one.at_s, rate), f"{float(one.at_s):.3f}", f"{float(one.length_s):.3f}", one.label)
        for one in sorted(moments, key=lambda one: one.at_s)
    ]
    return table(("kind", "timecode", "second", "seconds", "label"), rows)


def _cell(value: object) -> object:
    if isinstance(value, str):
        line = " ".join(value.split()) if "\n" in value or "\r" in value else value
        return f"'{line}" if line.startswith(_FORMULA) else line
    return "" if value is None else value
