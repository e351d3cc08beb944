"""Forms that make core values: text from a page into them, the core's refusals beside the field."""

from typing import Any

from django import forms
from django.http import QueryDict

from reel.core.errors import BadValueError, ReelError

# The parameter with the names of the fields that somebody touched.
TOUCHED = "touched"


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


def form_status(form: forms.Form) -> int:
    """Return 422 for a form that was refused."""
    return 422 if form.is_bound and form.errors else 200


def refuse_invalid(form: forms.Form) -> None:
    """Raise BadValueError for the first field of a form that can't be taken, which it names."""
    if form.is_valid():
        return
    name, problems = next(iter(form.errors.items()))
    raise BadValueError(name.partition("_")[0].capitalize(), form.data.get(name, "")[:20], str(problems[0]).rstrip("."))


def with_touched(form: forms.Form, posted: QueryDict) -> QueryDict:
    """Return what a form as it stands now would send, with the fields that `posted` says were touched on the page.

    Without a script a page says nothing of that, and all that it sent counts.
    """
    touched = posted.getlist(TOUCHED)
    if not touched:
        return posted
    data = QueryDict(mutable=True)
    for bound in form:
        value = bound.value()
        if isinstance(value, list | tuple):
            data.setlist(bound.html_name, [str(one) for one in value])
        elif value is not None and value is not False:
            data[bound.html_name] = "on" if value is True else str(value)
    for name in touched:
        data.setlist(name, posted.getlist(name))
    return data
