"""What the forms of a rig's stages share: text from a page into core values, the core's refusals beside the field."""

from typing import Any

from django import forms

from reel.core.errors import ReelError

# What rolls, holds, marks, cuts, takes back, draws, tries.
_PAGE_KEYS = "rhmxudt"


class KeyField(forms.CharField):
    """A letter that shows and hides something; one that does something else on every page is refused."""

    def __init__(self, **more: Any) -> None:
        super().__init__(max_length=1, **more)

    def clean(self, value: Any) -> str:
        """Give the letter, small."""
        key: str = super().clean(value).lower()
        if key and key in _PAGE_KEYS:
            raise forms.ValidationError(f"“{key}” is a key of every page; take another letter.")
        return key


class StageForm(forms.Form):
    """A form that makes one core value; the core's refusal becomes the form's error."""

    value: Any

    def clean(self) -> dict[str, Any]:
        """Check the fields together by making the value."""
        cleaned = super().clean() or {}
        if not self.errors:
            try:
                self.value = self.build(cleaned)
            except ReelError as error:
                self.add_error(None, str(error))
        return cleaned

    def build(self, cleaned: dict[str, Any]) -> Any:
        """Make the value; raises a ReelError when that can't be."""
        raise NotImplementedError


def choices_of(kind: type[Any], words: dict[str, str]) -> list[tuple[str, str]]:
    """Give the choices of an enum, in words where its values are none."""
    return [(member.value, words.get(member.value, member.value)) for member in kind]
