"""What people and pages send as text, as names and numbers."""

from collections.abc import Collection, Iterable

from reel.core.errors import BadValueError

# SQLite's integers have no more digits; a longer number is that of nothing.
_DIGITS = 18


def clean_name(thing: str, text: str, limit: int) -> str:
    """Return a name without blanks around it; raises BadValueError for an empty, long or unprintable one."""
    name = text.strip()
    if not name or len(name) > limit or not name.isprintable():
        raise BadValueError(thing, text, f"it needs 1 to {limit} printable characters")
    return name


def free_name(wanted: str, taken: Collection[str], limit: int | None = None) -> str:
    """Return a name that none of `taken` is: the wanted one, or that with a number; cut so that both fit a limit."""
    known = {name.casefold() for name in taken}
    stem = wanted if limit is None else wanted[: limit - 4].strip()
    names = (stem, *(f"{stem} {number}" for number in range(2, len(known) + 3)))
    return next(name for name in names if name.casefold() not in known)


def number_of(text: str) -> int | None:
    """Return the number of a row; None for what is none."""
    return int(text) if text.isdecimal() and len(text) <= _DIGITS else None


def numbers_of(texts: Iterable[str]) -> tuple[int, ...]:
    """Return the numbers of rows, without what is none."""
    return tuple(number for text in texts if (number := number_of(text)) is not None)
