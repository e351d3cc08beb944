"""The Sound stage: strips, tracks, and what inputs a rig has."""

from dataclasses import replace

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_POST

from reel.core.errors import BadValueError
from reel.core.line import DeviceKind, Plugged, propose_input
from reel.recorder.messages import TestSync
from reel.web.live.recorder import client, glance, show_at_once
from reel.web.rigs import actions
from reel.web.rigs.context import ADDABLE, stage_context
from reel.web.rigs.forms import StripForm, TracksForm
from reel.web.rigs.models import Rig
from reel.web.rigs.views.stages import input_place
from reel.web.ui.typed import free_name


@require_POST
def strip(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Change how an input's sound is treated and where it goes; what is refused stays as it was typed."""
    rig = get_object_or_404(Rig, pk=rig_id)
    place = input_place(request, rig)
    form = StripForm(request.POST, sound=rig.plan.inputs[place].sound)
    if not form.is_valid():
        return _answer(request, rig, {"refused": form, "refused_place": place}, status=422)
    actions.set_sound(rig, place, form.value, glance(request))
    return _answer(request, rig)


@require_POST
def tracks(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Name the tracks, take one out that nothing goes to, or put a mix of all before them."""
    rig = get_object_or_404(Rig, pk=rig_id)
    plan = rig.plan
    gone = request.POST.get("remove", "")
    if gone:
        actions.remove_track(rig, int(gone) if gone.isdecimal() and len(gone) < 3 else 0, glance(request))
        return _answer(request, rig)
    form = TracksForm(request.POST, tracks=plan.tracks, mix_first=plan.mix_first)
    if not form.is_valid():
        return _answer(request, rig, {"tracks_form": form}, status=422)
    named, mix_first = form.value
    actions.set_tracks(rig, named, mix_first=mix_first, status=glance(request))
    return _answer(request, rig)


@require_POST
def add_input(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Add an input of a kind, with the best path that there is for it."""
    rig = get_object_or_404(Rig, pk=rig_id)
    asked = request.POST.get("kind", "")
    if asked not in ADDABLE:
        raise BadValueError("Input", asked[:20], "it is one of " + ", ".join(ADDABLE))
    kind = DeviceKind(asked)
    one = propose_input(kind)
    used = [other.origin.device for other in rig.plan.inputs if isinstance(other.origin, Plugged)]
    label = free_name(kind.label, used)
    if isinstance(one.origin, Plugged):
        one = replace(one, name=label, origin=replace(one.origin, device=label))
    actions.add_input(rig, one, glance(request))
    return _back(request, rig)


@require_POST
def remove_input(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Take an input out of a rig."""
    rig = get_object_or_404(Rig, pk=rig_id)
    actions.remove_input(rig, input_place(request, rig), glance(request))
    return _back(request, rig)


@require_POST
def rename_input(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Call an input otherwise."""
    rig = get_object_or_404(Rig, pk=rig_id)
    actions.rename_input(rig, input_place(request, rig), request.POST.get("name", ""), glance(request))
    return _back(request, rig)


@require_POST
def balance(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Set the game's level so that the voice is easy to follow, as measured just now."""
    rig = get_object_or_404(Rig, pk=rig_id)
    actions.balance(rig, glance(request))
    return _answer(request, rig)


@require_POST
def test_sync(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Begin a sync test on the picture of an input; what it finds comes with the page's events."""
    rig = get_object_or_404(Rig, pk=rig_id)
    client().ask(TestSync(rig_id=rig.pk, place=input_place(request, rig)))
    return HttpResponse(status=204) if getattr(request, "htmx", False) else _back(request, rig)


@require_POST
def sync(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Delay one input as the sync test measured, or all that it measured."""
    rig = get_object_or_404(Rig, pk=rig_id)
    actions.sync(rig, [input_place(request, rig)] if "input" in request.GET else None, glance(request))
    return _answer(request, rig)


def _back(request: HttpRequest, rig: Rig) -> HttpResponse:
    stage = request.POST.get("stage", "")
    return redirect("rigs:stage", rig_id=rig.pk, stage=stage if stage in ("frame", "device") else "sound")


def _answer(request: HttpRequest, rig: Rig, more: dict[str, object] | None = None, status: int = 200) -> HttpResponse:
    """Give htmx the changed part of the page with the line; a plain form gets the page."""
    if status == 200:
        show_at_once(request, rig.opening)
        if not getattr(request, "htmx", False):
            return redirect("rigs:stage", rig_id=rig.pk, stage="sound")
    context = stage_context(request, rig, "sound", place=0) | {"oob": True} | (more or {})
    template = "rigs/_sound_answer.html" if getattr(request, "htmx", False) else "rigs/sound.html"
    return render(request, template, context, status=status)
