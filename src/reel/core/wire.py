"""Core values as JSON and back: for the database, for messages between processes, for files."""

from fractions import Fraction
from typing import Any, TypeVar

import msgspec

from reel.core.errors import BadValueError, ReelError

T = TypeVar("T")


def _encode(value: Any) -> Any:
    if isinstance(value, Fraction):
        return str(value)
    raise NotImplementedError(type(value))


def _decode(kind: type, value: Any) -> Any:
    if kind is Fraction:
        return Fraction(value)
    raise NotImplementedError(kind)


def to_json(value: object) -> bytes:
    """Give a value of ours as UTF-8 JSON; a Fraction becomes "30000/1001"."""
    return msgspec.json.encode(value, enc_hook=_encode)


def from_json(data: bytes, kind: type[T]) -> T:
    """Read a value of `kind` from JSON, checking every field; raises BadValueError with the place that is wrong."""
    try:
        return msgspec.json.decode(data, type=kind, dec_hook=_decode)
    except (msgspec.MsgspecError, ReelError, ArithmeticError, ValueError) as error:
        raise BadValueError(kind.__name__, data[:60].decode(errors="replace"), str(error)) from error


def to_plain(value: object) -> Any:
    """Give a value of ours as plain dicts, lists, strings and numbers (what a JSON column holds)."""
    return msgspec.to_builtins(value, enc_hook=_encode)


def from_plain(data: object, kind: type[T]) -> T:
    """Read a value of `kind` from plain dicts and lists; raises BadValueError with the place that is wrong."""
    try:
        return msgspec.convert(data, type=kind, dec_hook=_decode)
    except (msgspec.MsgspecError, ReelError, ArithmeticError, ValueError) as error:
        raise BadValueError(kind.__name__, data, str(error)) from error
