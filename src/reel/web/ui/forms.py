"""Forms that make core values: text from a page into them, the core's refusals beside the field."""

from typing import Any

from django import forms

from reel.core.errors import ReelError


class ValueForm(forms.Form):
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
    """Return the choices of an enum, in words where its values are none."""
    return [(member.value, words.get(member.value, member.value)) for member in kind]


def form_status(form: Any) -> int:
    """Give 422 for a form that was refused, or that brought what has to be looked at first."""
    return 422 if form is not None and form.is_bound and (form.errors or getattr(form, "came", ())) else 200
