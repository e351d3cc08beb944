"""Explaining a word of the trade where it stands."""

from itertools import count

from django import template

from reel.web.ui.words import WORDS

register = template.Library()
# Each explanation has an id of its own, also where a part of a page is made anew.
_numbers = count(1)


@register.inclusion_tag("ui/components/explain.html")
def explain(key: str) -> dict[str, object]:
    """Show a button that explains a word; nothing for one that needs no explanation."""
    title, text = WORDS.get(key, ("", ""))
    return {"title": title, "text": text, "number": next(_numbers)}
