"""Parts of addresses."""

from django.urls import register_converter


class NumberConverter:
    """A row's number, no longer than SQLite's integers: a longer one is at no address."""

    regex = "[0-9]{1,18}"

    def to_python(self, value: str) -> int:
        return int(value)

    def to_url(self, value: int) -> str:
        return str(value)


register_converter(NumberConverter, "number")
