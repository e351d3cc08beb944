"""What the list of takes shows: its links, its headings, the strands of its rows."""

import datetime
from typing import Any

from django import template

from reel.web.takes.listing import WHICH, Query
from reel.web.takes.models import Take
from reel.web.takes.strands import RowStrand, row_strands_of
from reel.web.ui.templatetags.units import size

register = template.Library()


@register.simple_tag(takes_context=True)
def asked(context: dict[str, Any], **changes: object) -> str:
    """Return the address's query of the list with some changes."""
    query: Query = context["list"].query
    return query.link(**changes)


@register.filter
def which_label(query: Query) -> str:
    """Return what the takes are that a list is of: good."""
    return WHICH[query.which][0]


@register.filter
def per_second(bytes_per_s: float) -> str:
    """Return how fast a link carries: 34 MB/s."""
    return f"{size(round(bytes_per_s))}/s"


@register.filter
def day_label(day: datetime.date) -> str:
    """Return a day as a heading: Today, Yesterday, Friday 27 November 2026."""
    ago = (datetime.datetime.now().astimezone().date() - day).days
    return {0: "Today", 1: "Yesterday"}.get(ago, f"{day:%A} {day.day} {day:%B %Y}")


@register.filter
def clock(at: datetime.datetime) -> str:
    """Return the time of day in the machine's own zone: 14:05."""
    return f"{at.astimezone():%H:%M}"


@register.filter
def row_strands(take: Take) -> list[tuple[float, float, RowStrand]]:
    """Return the strand of each of a take's parts, with where it begins and how wide it is, of 1000."""
    return row_strands_of([(part.length_ms or 0, part.strand) for part in take.all_parts])
