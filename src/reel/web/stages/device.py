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
    one, scenario = page.input, page.rig.scenario_of(page.place)
    scenario_form = ScenarioForm(setup=one, scenario=scenario) if isinstance(one.origin, Plugged) else None
    return {
        "sent": one.device.signal or page.signal,
        "groups": grouped_losses(one, "device"),
        "scenario_form": scenario_form,
    }


def form(request: HttpRequest, rig: Rig, data: Any) -> Any:
    """Return the form of an input's device."""
    return device_form(data, rig.plan.inputs[input_place(request, rig)])


STAGE = StagePage(key="device", context=context, form=form, store=edits.set_device)


@require_POST
def scenario(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Change how the simulated device behaves; a refused form stays as it was typed."""
    rig = get_object_or_404(Rig, pk=rig_id)
    place = input_place(request, rig)
    scenario_form = ScenarioForm(request.POST, setup=rig.plan.inputs[place], scenario=rig.scenario_of(place))
    if scenario_form.is_valid():
        edits.set_scenario(rig, place, scenario_form.value, glance(request))
        return to_stage(request, rig, "device")
    page = RigPage.of(request, rig)
    return answer(request, page, STAGE, {"form": form(request, rig, None), "scenario_form": scenario_form}, status=422)
