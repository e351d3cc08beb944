"""Letters that do something on a page."""

from typing import Any

from django import forms

# What rolls, holds, marks, cuts, takes back, draws, tries.
_PAGE_KEYS = "rhmxudt"


class KeyField(forms.CharField):
    """A letter that shows and hides something; one that does something else on every page is refused."""

    def __init__(self, **more: Any) -> None:
        super().__init__(max_length=1, **more)

    def clean(self, value: Any) -> str:
        key: str = super().clean(value).lower()
        if key and key in _PAGE_KEYS:
            raise forms.ValidationError(f"“{key}” is a key of every page; take another letter.")
        return key
