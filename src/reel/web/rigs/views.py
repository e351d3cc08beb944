"""Pages of rigs: the list, a new one, and the stages of one."""

from typing import Any

from django.conf import settings
from django.db.models import Count
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods

from reel.core.errors import ReelError
from reel.core.file import Recipe, forecast
from reel.core.line import STAGES, DeviceKind, framed_signal, sent_signal, walk
from reel.recorder.messages import RigStatus
from reel.web.rigs import actions
from reel.web.rigs.forms import DEVICE_FORMS, FileForm, NewRigForm
from reel.web.rigs.line import draw_line
from reel.web.rigs.models import Rig
from reel.web.roll.live import rig_facts
from reel.web.roll.recorder import glance, rig_status
from reel.web.takes.models import Take, TakeState
from reel.web.takes.proving import shelf


@require_GET
def index(request: HttpRequest) -> HttpResponse:
    """List the rigs, each with its line in short."""
    status = glance(request)
    rows = []
    for rig in Rig.objects.annotate(take_count=Count("takes")):
        live = rig_status(status, rig.pk)
        stages = walk(rig.plan, live.signal if live else None, live.sound if live else None)
        rolling = bool(status and status.roll and status.roll.rig_id == rig.pk)
        rows.append({"rig": rig, "line": draw_line(stages, ""), "kind": rig.plan.device.kind.label, "rolling": rolling})
    return render(request, "rigs/index.html", {"rows": rows, "room": "rigs"})


@require_http_methods(["GET", "POST"])
def new(request: HttpRequest) -> HttpResponse:
    """Make a rig and go to its first stage."""
    form = NewRigForm(request.POST or None, initial={"kind": DeviceKind.CONSOLE.value})
    if request.method == "POST" and form.is_valid():
        rig = actions.make_rig(form.cleaned_data["name"], form.value)
        return redirect("rigs:stage", rig_id=rig.pk, stage="device")
    return render(request, "rigs/new.html", {"form": form, "room": "rigs"}, status=_form_status(form))


@require_http_methods(["GET", "POST"])
def stage(request: HttpRequest, rig_id: int, stage: str = "device") -> HttpResponse:
    """Show one stage of a rig; Device and File take a form."""
    if stage not in STAGES:
        raise Http404
    rig = get_object_or_404(Rig, pk=rig_id)
    if stage == "device":
        form = _device_form(request, rig)
    elif stage == "file":
        form = _file_form(request, rig, request.POST or None)
    else:
        form = None
    if request.method == "POST" and form is not None and form.is_valid():
        change = actions.set_device if stage == "device" else actions.set_recipe
        change(rig, form.value, glance(request))
        return redirect("rigs:stage", rig_id=rig.pk, stage=stage)
    context = _stage_context(request, rig, stage) | {"form": form}
    return render(request, f"rigs/{stage}.html", context, status=_form_status(form))


@require_GET
def line(request: HttpRequest, rig_id: int, stage: str) -> HttpResponse:
    """Give the line's drawing alone, for when its live facts change."""
    rig = get_object_or_404(Rig, pk=rig_id)
    return render(request, "rigs/_line.html", _stage_context(request, rig, stage))


@require_GET
def cost(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Say what the File form's values would cost, before they are kept."""
    rig = get_object_or_404(Rig, pk=rig_id)
    form = _file_form(request, rig, request.GET)
    costs = None
    if form.is_valid():
        costs = forecast(form.value, sound_tracks=1, measured_bps=_measured_bps(rig, form.value))
    context = {"forecast": costs, "free_bytes": _room_bytes(), "form": form, "draft": True}
    return render(request, "rigs/_cost.html", context)


def _device_form(request: HttpRequest, rig: Rig) -> Any:
    device = rig.plan.device
    kind = DEVICE_FORMS[device.kind]
    return kind(request.POST or None, initial=kind.initial_of(device))


def _file_form(request: HttpRequest, rig: Rig, data: Any) -> FileForm:
    live = rig_status(glance(request), rig.pk)
    arrives = (live.signal if live else None) or sent_signal(rig.plan)
    return FileForm(data, recipe=rig.plan.recipe, arrives=arrives.mode if arrives else None)


def _stage_context(request: HttpRequest, rig: Rig, stage: str) -> dict[str, object]:
    live: RigStatus | None = rig_status(glance(request), rig.pk)
    plan, signal, sound = rig.plan, live.signal if live else None, live.sound if live else None
    measured_bps = _measured_bps(rig, plan.recipe)
    stages = walk(plan, signal, sound, measured_bps)
    sound_tracks = 1 if sound or plan.device.kind is DeviceKind.CONSOLE else 0
    return {
        "rig": rig,
        "plan": plan,
        "stage": stage,
        "line": draw_line(stages, stage),
        "losses": [loss for walked in stages for loss in walked.losses],
        "sent": sent_signal(plan) or signal,
        "arrives": signal,
        "framed": framed_signal(plan),
        "sound": sound,
        "channels": [(place, _channel_name(place, sound.channels)) for place in range(sound.channels)] if sound else [],
        "facts": rig_facts(live),
        "forecast": forecast(plan.recipe, sound_tracks=sound_tracks, measured_bps=measured_bps),
        "free_bytes": _room_bytes(),
        "shelf_problem": _shelf_problem(),
        "shelf_path": str(shelf().root),
        "rigs": Rig.objects.all(),
        "latest": rig.takes.exclude(state=TakeState.ROLLING).first(),
    }


def _channel_name(place: int, channels: int) -> str:
    return ("Left", "Right")[place] if channels == 2 else f"Channel {place + 1}"


def _room_bytes() -> int:
    """Give the room that a roll may use: what is free, less the reserve."""
    try:
        return max(0, shelf().free_bytes() - settings.RESERVE_BYTES)
    except ReelError:
        return 0


def _shelf_problem() -> str:
    """Say why nothing can be written to the shelf; "" when it can."""
    try:
        shelf().check(settings.RESERVE_BYTES)
    except ReelError as error:
        return str(error)
    return ""


def _measured_bps(rig: Rig, recipe: Recipe) -> int | None:
    """Give the data rate of this rig's newest proved take that was made with the same recipe."""
    for take in Take.objects.filter(rig=rig, bitrate_bps__isnull=False)[:10]:
        if take.setup.recipe == recipe:
            return take.bitrate_bps
    return None


def _form_status(form: Any) -> int:
    return 422 if form is not None and form.is_bound and form.errors else 200
