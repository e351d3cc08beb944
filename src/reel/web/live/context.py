"""What every page knows of the roll."""

from django.http import HttpRequest

from reel.web.live.facts import live_facts
from reel.web.live.recorder import glance, place_of, rig_status


def roll(request: HttpRequest) -> dict[str, object]:
    """The live facts, the same as the page's events carry; `roll` is the take of the page's rig, if one rolls."""
    status = glance(request)
    found = request.resolver_match.kwargs.get("rig_id") if request.resolver_match else None
    live = live_facts(status, rig_status(status, found) if found is not None else None, place_of(request))
    rolls: list[dict[str, object]] = live["rolls"]  # type: ignore[assignment]
    own = next((one for one in rolls if one["rig_id"] == found), None)
    return {"live": live, "rolls": rolls, "roll": own, "recorder_answers": live["answers"]}
