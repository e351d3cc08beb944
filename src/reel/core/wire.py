"""Core values as JSON and back: for the database, for messages between processes, for files."""

import re
import threading
from enum import StrEnum
from fractions import Fraction
from typing import Any, TypeVar

import msgspec

from reel.core.errors import BadValueError, ReelError

T = TypeVar("T")
_FRACTION = re.compile(r"-?\d{1,12}(/\d{1,12}|\.\d{1,12})?\Z", re.ASCII)


class Variant:
    """One of several classes of values, told apart in JSON by their field `kind`, whose default is each one's own.

    The base class names them in `variants`; each is a dataclass.
    """

    __slots__ = ()
    kind: StrEnum

    @classmethod
    def variants(cls) -> dict[str, type["Variant"]]:
        """Return the classes by their kind."""
        raise NotImplementedError

    @classmethod
    def variant_of(cls, value: object) -> type["Variant"]:
        """Return the class that plain data are of; raises ValueError."""
        kind = value.get("kind") if isinstance(value, dict) else None
        found = cls.variants().get(kind) if isinstance(kind, str) else None
        if found is None:
            raise ValueError(f"its kind is one of {', '.join(cls.variants())}")
        return found

    def check_kind(self) -> None:
        """Raise BadValueError when `kind` says another class."""
        if self.variants().get(self.kind) is not type(self):
            raise BadValueError("Kind", self.kind, f"it does not name a {type(self).__name__.lower()}")


def _encode(value: Any) -> Any:
    if isinstance(value, Fraction):
        return str(value)
    raise NotImplementedError(type(value))


def _decode(kind: type, value: Any) -> Any:
    if kind is Fraction:
        return _fraction(value)
    if issubclass(kind, Variant):
        variant = kind.variant_of(value)
        _decoder(variant)
        try:
            return msgspec.convert(value, type=variant, dec_hook=_decode)
        except msgspec.ValidationError as error:
            raise ValueError(str(error)) from error  # so that the place where the variant stands is added
    raise NotImplementedError(kind)


def _fraction(value: Any) -> Fraction:
    """Read a fraction that is short: an exponent of a few digits would take all memory."""
    if isinstance(value, bool) or not isinstance(value, int | float | str):
        raise ValueError("it reads like 30000/1001 or 0.5")
    if not _FRACTION.match(str(value)):
        raise ValueError("it reads like 30000/1001 or 0.5, with up to 12 digits in each part")
    return Fraction(str(value))


_decoders: dict[Any, msgspec.json.Decoder[Any]] = {}
_making = threading.Lock()


def _decoder(kind: type[T]) -> msgspec.json.Decoder[T]:
    """Return what reads values of a kind, made once and by one thread.

    What msgspec finds out about a class when it first meets it is kept with the class: two threads that are the first
    at the same time end the process.
    """
    if kind not in _decoders:
        with _making:
            _decoders[kind] = msgspec.json.Decoder(kind, dec_hook=_decode)
    return _decoders[kind]


def to_json(value: object) -> bytes:
    """Return a value of ours as UTF-8 JSON; a Fraction becomes "30000/1001"."""
    return msgspec.json.encode(value, enc_hook=_encode)


def from_json(data: bytes, kind: type[T]) -> T:
    """Read a value of `kind` from JSON, checking every field; raises BadValueError with the place that is wrong."""
    try:
        return _decoder(kind).decode(data)
    except (msgspec.MsgspecError, ReelError, ArithmeticError, ValueError) as error:
        raise BadValueError(kind.__name__, data[:60].decode(errors="replace"), str(error)) from error


def to_plain(value: object) -> Any:
    """Return a value of ours as plain dicts, lists, strings and numbers (what a JSON column holds)."""
    return msgspec.to_builtins(value, enc_hook=_encode)


def from_plain(data: object, kind: type[T]) -> T:
    """Read a value of `kind` from plain dicts and lists; raises BadValueError with the place that is wrong."""
    _decoder(kind)
    try:
        return msgspec.convert(data, type=kind, dec_hook=_decode)
    except (msgspec.MsgspecError, ReelError, ArithmeticError, ValueError) as error:
        raise BadValueError(kind.__name__, data, str(error)) from error
