"""The pages of a rig's stages."""

from collections.abc import Callable
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from reel.core.file import forecast
from reel.core.line import STAGES, chain
from reel.recorder.messages import Status
from reel.web.live.recorder import glance, rig_status
from reel.web.rigs import actions
from reel.web.rigs.context import RigPage, line_context, measured_rate, room_bytes, stage_context
from reel.web.rigs.forms import ArrivalForm, FileForm, PlayForm, device_form
from reel.web.rigs.models import Rig

_CHANGES: dict[str, Callable[[Rig, Any, Status | None], None]] = {
    "device": actions.set_device,
    "arrival": actions.set_arrival,
    "file": actions.set_recipe,
}


@require_http_methods(["GET", "POST"])
def stage(request: HttpRequest, rig_id: int, stage: str = "device") -> HttpResponse:
    """Show one stage of a rig; Device, Arrival and File take a form."""
    if stage not in STAGES:
        raise Http404
    rig = get_object_or_404(Rig, pk=rig_id)
    form = stage_form(request, rig, stage, request.POST or None)
    if request.method == "POST" and form is not None and form.is_valid():
        _CHANGES[stage](rig, form.value, glance(request))
        return redirect("rigs:stage", rig_id=rig.pk, stage=stage)
    context = stage_context(request, rig, stage) | {"form": form}
    return render(request, f"rigs/{stage}.html", context, status=form_status(form))


@require_GET
def line(request: HttpRequest, rig_id: int, stage: str) -> HttpResponse:
    """Give the line's drawing alone, for when its live facts change."""
    rig = get_object_or_404(Rig, pk=rig_id)
    if stage not in STAGES:
        raise Http404
    return render(request, "rigs/_line.html", line_context(RigPage.of(request, rig), stage))


@require_GET
def cost(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Say what the File form's values would cost, before they are kept."""
    rig = get_object_or_404(Rig, pk=rig_id)
    form = stage_form(request, rig, "file", request.GET)
    costs = None
    if form.is_valid():
        costs = forecast(form.value, sound_tracks=1, measured_bps=measured_rate(rig, form.value))
    context = {"forecast": costs, "free_bytes": room_bytes(), "form": form, "draft": True}
    return render(request, "rigs/_cost.html", context)


@require_POST
def play(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Change how the simulated device behaves; a refused form stays as it was typed."""
    rig = get_object_or_404(Rig, pk=rig_id)
    form = PlayForm(request.POST, setup=rig.plan, play=rig.played)
    if form.is_valid():
        actions.set_play(rig, form.value, glance(request))
        return redirect("rigs:stage", rig_id=rig.pk, stage="device")
    context = stage_context(request, rig, "device")
    context |= {"form": stage_form(request, rig, "device", None), "play_form": form}
    return render(request, "rigs/device.html", context, status=422)


@require_POST
def fit_frame(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Record the picture as it arrives."""
    rig = get_object_or_404(Rig, pk=rig_id)
    actions.fit_frame(rig, glance(request))
    return redirect("rigs:stage", rig_id=rig.pk, stage="frame")


def stage_form(request: HttpRequest, rig: Rig, stage: str, data: Any) -> Any:
    """Give the form of a stage; None for one that has none."""
    live = rig_status(glance(request), rig.pk)
    signal = live.signal if live else None
    if stage == "device":
        return device_form(data, rig.plan)
    if stage == "arrival":
        return ArrivalForm(data, setup=rig.plan, signal=signal)
    if stage == "file":
        carried = chain(rig.plan).carried
        comes = rig.plan.arrival.signal_of(signal) if signal else carried.signal if carried else None
        return FileForm(data, recipe=rig.plan.recipe, arrives=comes.mode if comes else None)
    return None


def form_status(form: Any) -> int:
    """Give 422 for a form that was refused."""
    return 422 if form is not None and form.is_bound and form.errors else 200
