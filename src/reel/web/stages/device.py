"""The Device stage."""

from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_POST

from reel.core.line import Plugged
from reel.web.live.recorder import glance
from reel.web.rigs.models import Rig
from reel.web.stages import edits
from reel.web.stages.edits import grouped_losses
from reel.web.stages.forms import ScenarioForm, device_form
from reel.web.stages.page import RigPage, StagePage, answer, input_place, to_stage


def context(page: RigPage) -> dict[str, object]:
    """Return its settings, what is lost here, and how it is simulated."""
    one, play = page.input, page.rig.play_of(page.place)
    play_form = ScenarioForm(setup=one, play=play) if isinstance(one.origin, Plugged) else None
    return {"sent": one.device.signal or page.signal, "groups": grouped_losses(one, "device"), "play_form": play_form}


def form(request: HttpRequest, rig: Rig, data: Any) -> Any:
    """Return the form of an input's device."""
    return device_form(data, rig.plan.inputs[input_place(request, rig)])


STAGE = StagePage(key="device", context=context, form=form, store=edits.set_device)


@require_POST
def play(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Change how the simulated device behaves; a refused form stays as it was typed."""
    rig = get_object_or_404(Rig, pk=rig_id)
    place = input_place(request, rig)
    play_form = ScenarioForm(request.POST, setup=rig.plan.inputs[place], play=rig.play_of(place))
    if play_form.is_valid():
        edits.set_play(rig, place, play_form.value, glance(request))
        return to_stage(request, rig, "device")
    page = RigPage.of(request, rig)
    return answer(request, page, STAGE, {"form": form(request, rig, None), "play_form": play_form}, status=422)
