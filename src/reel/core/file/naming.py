"""File names made from a pattern, safe on every file system."""

import datetime
import re
import string
import unicodedata
from dataclasses import dataclass

from reel.core.errors import BadValueError

DEFAULT_PATTERN = "{rig}_{date}_{number}"
# What may stand in braces.
FIELDS = ("rig", "date", "time", "number", "size", "rate", "codec")
_LIST = f"{', '.join(f'{{{field}}}' for field in FIELDS[:-1])} and {{{FIELDS[-1]}}}"
MAX_NAME = 80
# File systems hold 255; what a part, a letter and the writing add needs some of it.
MAX_STEM = 200


def slug(text: str) -> str:
    """A name as a file can carry it: lower-case ASCII letters, digits and hyphens; `take` when nothing is left."""
    plain = unicodedata.normalize("NFKD", text).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:MAX_NAME].strip("-") or "take"


def check_pattern(pattern: str) -> None:
    """Raise BadValueError unless the pattern holds {number}, only our fields, and only characters fit for files."""
    try:
        fields = [field for _, field, spec, conversion in string.Formatter().parse(pattern) if field is not None]
        odd = [spec or conversion for _, _, spec, conversion in string.Formatter().parse(pattern) if spec or conversion]
    except ValueError:
        raise BadValueError("File name", pattern, f"a brace is open; the fields are {_LIST}") from None
    if odd or any(field not in FIELDS for field in fields):
        raise BadValueError("File name", pattern, f"the fields are {_LIST}")
    if "number" not in fields:
        raise BadValueError("File name", pattern, "it needs {number}, so that no two takes have one name")
    literal = "".join(text for text, *_ in string.Formatter().parse(pattern))
    if not re.fullmatch(r"[A-Za-z0-9 _.,()+-]*", literal) or literal.startswith(".") or len(pattern) > MAX_NAME:
        raise BadValueError(
            "File name",
            pattern,
            f"letters, digits and _ - . , ( ) + may stand around the fields, {MAX_NAME} in all",
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class NameFacts:
    """What a file's name may be made of: its rig, when it begins, the frame's size and rate, the codec, in words."""

    rig: str
    at: datetime.datetime
    size: str = ""
    rate: str = ""
    codec: str = ""


def file_stem(pattern: str, facts: NameFacts, number: int) -> str:
    """Fill a checked pattern in: `garden-path_2026-05-02_014`; never longer than file systems hold."""
    name = slug(facts.rig)
    stem = _filled(pattern, facts, number, name)
    over = len(stem) - MAX_STEM
    if over > 0:
        stem = _filled(pattern, facts, number, name[: max(1, len(name) - over)])
    return stem if len(stem) <= MAX_STEM else f"{stem[: MAX_STEM - 8]}_{number:03}"


def _filled(pattern: str, facts: NameFacts, number: int, rig: str) -> str:
    return pattern.format(
        rig=rig,
        date=facts.at.date().isoformat(),
        time=f"{facts.at:%H-%M-%S}",
        number=f"{number:03}",
        size=slug(facts.size.replace("×", "x")),
        rate=slug(facts.rate.replace(".", "-")),
        codec=slug(facts.codec),
    )
