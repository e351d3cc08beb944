"""Form fields for numbers that people type, bounded in length before they are read."""

import re
from typing import Any

from django import forms

# None of our numbers is longer; one that is, or one with an exponent, may take all time and memory.
_PLAIN = re.compile(r"[+-]?\d{1,9}([.,]\d{0,9})?\Z", re.ASCII)
# A stored fraction has up to 12 digits in each part.
_PLACES = 6


class _Plain:
    """Refuses what is no plain number; a decimal comma is a point."""

    def to_python(self, value: Any) -> Any:
        if isinstance(value, str):
            value = value.strip()
            if value and not _PLAIN.match(value):
                raise forms.ValidationError("Type a plain number, without an exponent.")
            value = value.replace(",", ".")
        return super().to_python(value)  # type: ignore[misc]  # that of the field beside it


class WholeField(_Plain, forms.IntegerField):
    """A whole number."""


class NumberField(_Plain, forms.DecimalField):
    """A number, with up to six places behind the point unless it says otherwise."""

    def __init__(self, **more: Any) -> None:
        super().__init__(**{"decimal_places": _PLACES} | more)


class FloatField(_Plain, forms.FloatField):
    """A number that need not be exact."""
