"""The Device stage."""

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_POST

from reel.core.errors import BadValueError
from reel.core.line import Simulated
from reel.core.roll import TRIAL_S
from reel.recorder.messages import Simulate
from reel.standins.scenario import Fault, faults_of
from reel.web.live.recorder import client
from reel.web.rigs.models import Rig
from reel.web.stages import edits
from reel.web.stages.checks import pairing_context
from reel.web.stages.edits import grouped_losses
from reel.web.stages.forms import ScenarioForm, device_form
from reel.web.stages.forms.scenario import FAULT_WORDS
from reel.web.stages.page import RigPage, StagePage, answer, to_stage


def context(page: RigPage) -> dict[str, object]:
    """Return its settings, what is lost here, and how it is simulated."""
    one, scenario = page.input, page.rig.scenario_of(page.place)
    scenario_form = ScenarioForm(setup=one, scenario=scenario) if isinstance(one.origin, Simulated) else None
    failing = page.live.faults[page.place] if page.live is not None and page.place < len(page.live.faults) else None
    return {
        "failing": FAULT_WORDS[failing] if failing is not None else "",
        "can_fail": [(fault.value, FAULT_WORDS[fault]) for fault in faults_of(one)] if page.live is not None else [],
        "sent": one.device.signal or page.signal,
        "groups": grouped_losses(one, "device"),
        **pairing_context(page, "device"),
        "trial_s": TRIAL_S,
        "scenario_form": scenario_form,
    }


STAGE = StagePage(
    key="device",
    context=context,
    form=lambda page, data: device_form(data, page.input),
    store=lambda page, wanted: edits.set_device(page.rig, page.place, wanted, page.status),
)


@require_POST
def scenario(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Change how the simulated device behaves; a refused form stays as it was typed."""
    page = RigPage.of(request, get_object_or_404(Rig, pk=rig_id))
    form = ScenarioForm(request.POST, setup=page.input, scenario=page.rig.scenario_of(page.place))
    if form.is_valid():
        edits.set_scenario(page.rig, page.place, form.value, page.status)
        return to_stage(request, page.rig, "device")
    return answer(request, page.rig, STAGE, {"scenario_form": form}, status=422)


@require_POST
def simulate(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Have something fail of the simulated device from now on, also while it rolls, or have all work again."""
    page = RigPage.of(request, get_object_or_404(Rig, pk=rig_id))
    asked = request.POST.get("fault", "")
    if asked and asked not in set(faults_of(page.input)):
        raise BadValueError("Fault", asked[:20], f"{page.input.name} can't fail so")
    client().ask(Simulate(rig_id=rig_id, place=page.place, fault=Fault(asked) if asked else None))
    return answer(request, page.rig, STAGE)
