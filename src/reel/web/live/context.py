"""What every page knows of the roll."""

from django.http import HttpRequest

from reel.web.live.facts import live_facts
from reel.web.live.recorder import glance, place_of, rig_status


def roll(request: HttpRequest) -> dict[str, object]:
    """Give the live facts, the same as the page's events carry; `roll` is None when nothing rolls."""
    status = glance(request)
    found = request.resolver_match.kwargs.get("rig_id") if request.resolver_match else None
    live = live_facts(status, rig_status(status, found) if found is not None else None, place_of(request))
    return {"live": live, "roll": live["roll"], "recorder_answers": live["answers"]}
