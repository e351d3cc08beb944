"""The Arrival stage."""

from typing import Any

from django.http import HttpRequest

from reel.web.live.recorder import glance, rig_status
from reel.web.rigs.drawing import lives_of
from reel.web.rigs.models import Rig
from reel.web.stages import edits
from reel.web.stages.edits import grouped_losses
from reel.web.stages.forms import ArrivalForm
from reel.web.stages.page import RigPage, StagePage, input_place, sent_and_received


def context(page: RigPage) -> dict[str, object]:
    """Return what arrives, and what is lost here."""
    return {"groups": grouped_losses(page.input, "arrival")} | sent_and_received(page)


def form(request: HttpRequest, rig: Rig, data: Any) -> Any:
    """Return the form of what is made of an input's signal."""
    place = input_place(request, rig)
    lives = lives_of(rig.plan, rig_status(glance(request), rig.pk))
    return ArrivalForm(data, setup=rig.plan.inputs[place], signal=lives[place].signal if lives else None)


STAGE = StagePage(key="arrival", context=context, form=form, store=edits.set_arrival)
