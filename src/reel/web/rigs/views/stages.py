"""The pages of a rig's stages."""

from collections.abc import Callable
from dataclasses import replace
from typing import Any

from django.db import transaction
from django.http import Http404, HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils import timezone
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from reel.core.errors import BadValueError
from reel.core.file import Purpose, file_stem, full_quality
from reel.core.line import STAGES, file_plan
from reel.core.signal import Mode, Signal, pixel_format
from reel.recorder.messages import Status
from reel.web.jobs.actions import ask_for
from reel.web.jobs.models import OPEN_STATES, Job
from reel.web.live.recorder import glance, place_of, rig_status
from reel.web.machine.models import ShelfPlace
from reel.web.machine.shelves import home_place
from reel.web.recipes.actions import keep
from reel.web.recipes.models import KeptRecipe
from reel.web.rigs import actions, estimating
from reel.web.rigs.actions import refuse_unasked
from reel.web.rigs.benching import BENCH
from reel.web.rigs.context import (
    RigPage,
    file_context,
    file_costs,
    keeps_context,
    line_context,
    lives_of,
    stage_context,
)
from reel.web.rigs.estimating import is_needed
from reel.web.rigs.forms import ArrivalForm, FrameForm, RecipeForm, RollForm, ScenarioForm, device_form, shown
from reel.web.rigs.models import Rig
from reel.web.ui.typed import number_of

_CHANGES: dict[str, Callable[[Rig, int, Any, Status | None], None]] = {
    "device": actions.set_device,
    "arrival": actions.set_arrival,
    "frame": lambda rig, place, frame, status: actions.set_frame(rig, frame, status),
    "file": lambda rig, place, recipe, status: actions.set_recipe(rig, recipe, status),
    "roll": lambda rig, place, roll, status: actions.set_roll(rig, roll, status),
}


@require_http_methods(["GET", "POST"])
def stage(request: HttpRequest, rig_id: int, stage: str = "device") -> HttpResponse:
    """Show one stage of a rig; all but Path and Sound take a form."""
    if stage not in STAGES:
        raise Http404
    rig = get_object_or_404(Rig, pk=rig_id)
    form = stage_form(request, rig, stage, request.POST or None)
    if stage == "file" and request.method == "POST":
        form = shown(form)
    if request.method == "POST" and form is not None and form.is_valid() and not getattr(form, "came", ()):
        try:
            _CHANGES[stage](rig, input_place(request, rig), form.value, glance(request))
        except BadValueError as error:  # it does not go with what is set on another page
            form.add_error(None, str(error))
        else:
            return to_stage(request, rig, stage)
    if stage == "file":
        return _file_page(request, rig, form, status=form_status(form))
    context = stage_context(request, rig, stage) | {"form": form}
    return render(request, f"rigs/{stage}.html", context, status=form_status(form))


def _file_page(
    request: HttpRequest, rig: Rig, form: RecipeForm, more: dict[str, object] | None = None, status: int = 200
) -> HttpResponse:
    """Show the File page with a form, filled in or not, and what it costs; htmx gets the form alone."""
    costs = file_costs(rig, form.plan_of(rig.plan), form.draft, rig_status(glance(request), rig.pk))
    page = stage_context(request, rig, "file")
    own = {"form": form, "example": _example(rig, form), "whole": _kept_whole(form, page["comes"])}
    context = page | own | costs | (more or {})
    template = "rigs/_recipe.html" if getattr(request, "htmx", False) else "rigs/file.html"
    return render(request, template, context, status=status)


def _kept_whole(form: RecipeForm, comes: object) -> dict[str, str]:
    """Say what would keep all colour samples and bits of what comes; nothing where they are, or nothing does."""
    if form.draft.as_sent or not isinstance(comes, Signal):
        return {}
    pixels = pixel_format(comes.pixels)
    found = full_quality(form.draft, pixels)
    if found is None:
        return {}
    return {"comes": pixels.label, "profile": found.profile, "samples": found.samples}


def _example(rig: Rig, form: RecipeForm) -> str:
    """Give the name that a take would get by a form, were it the first; "" where the form makes no recipe."""
    if form.is_bound and not form.is_valid():
        return ""
    plan = file_plan(form.plan_of(rig.plan))
    name = file_stem(plan.recipe.name_pattern, plan.named(rig.name, timezone.localtime()), 1)
    return f"{name}.{plan.recipe.suffix}"


@require_GET
def line(request: HttpRequest, rig_id: int, stage: str) -> HttpResponse:
    """Give the line's drawing alone, for when its live facts change."""
    rig = get_object_or_404(Rig, pk=rig_id)
    if stage not in STAGES:
        raise Http404
    return render(request, "rigs/_line.html", line_context(RigPage.of(request, rig), stage))


@require_GET
def recipe(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Show the File page for settings that are not kept yet: what they mean, what they cost, whether they work."""
    rig = get_object_or_404(Rig, pk=rig_id)
    form = shown(stage_form(request, rig, "file", request.GET))
    if "take" in request.GET:
        form = form.taken(request.GET["take"])
    elif "load" in request.GET and (kept := number_of(request.GET.get("kept", ""))) is not None:
        form = form.filled(get_object_or_404(KeptRecipe, pk=kept).recipe)
    elif request.GET.get("start") in set(Purpose):
        form = form.started(Purpose(request.GET["start"]))
    return _file_page(request, rig, form, {"is_draft": True})


@require_POST
def keep_recipe(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Keep the File page's settings under a name, and in the rig too; what is refused stays as it was typed."""
    rig = get_object_or_404(Rig, pk=rig_id)
    form = shown(stage_form(request, rig, "file", request.POST))
    if form.is_valid() and not form.came:
        try:
            with transaction.atomic():
                keep(request.POST.get("keep_as", ""), form.value)
                actions.set_recipe(rig, form.value, glance(request))
        except BadValueError as error:
            form.add_error(None, str(error))
        else:
            return redirect("rigs:stage", rig_id=rig.pk, stage="file")
    return _file_page(request, rig, form, status=422)


@require_POST
def bench(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Have this machine measured with the rig's picture, unless that is asked for already."""
    rig = get_object_or_404(Rig, pk=rig_id)
    refuse_unasked(rig)
    if not Job.objects.filter(kind=BENCH, subject=rig.pk, state__in=OPEN_STATES).exists():
        ask_for(BENCH, rig.pk)
    if getattr(request, "htmx", False):
        return _keeps_up(request, rig, request.POST)
    return redirect("rigs:stage", rig_id=rig.pk, stage="file")


@require_GET
def keeps_up(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Say how far the measuring has come, or draw what came of it; then the efforts have their figures too."""
    return _keeps_up(request, get_object_or_404(Rig, pk=rig_id), request.GET)


@require_http_methods(["GET", "POST"])
def estimate(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Say what a file costs by the form's settings, and with POST have it estimated."""
    rig = get_object_or_404(Rig, pk=rig_id)
    refuse_unasked(rig)
    form = shown(stage_form(request, rig, "file", request.POST or request.GET))
    setup = form.plan_of(rig.plan)
    if request.method == "POST" and is_needed(file_plan(setup)):
        estimating.ask(rig, setup)
    page = RigPage.of(request, rig)
    costs = file_costs(rig, setup, form.draft, page.live)
    context = {"rig": rig, "plan": page.plan, "form": form, **file_context(page), **costs}
    return render(request, "rigs/_cost.html", context)


def _keeps_up(request: HttpRequest, rig: Rig, data: QueryDict) -> HttpResponse:
    form = shown(stage_form(request, rig, "file", data))
    context = {"rig": rig, "plan": rig.plan, "form": form, **keeps_context(rig, file_plan(rig.plan), form.draft)}
    response = render(request, "rigs/_keeps_up.html", context)
    if context["bench_job"] is None:
        response["HX-Trigger"] = "measured"
    return response


@require_POST
def play(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Change how the simulated device behaves; a refused form stays as it was typed."""
    rig = get_object_or_404(Rig, pk=rig_id)
    place = input_place(request, rig)
    form = ScenarioForm(request.POST, setup=rig.plan.inputs[place], play=rig.play_of(place))
    if form.is_valid():
        actions.set_play(rig, place, form.value, glance(request))
        return to_stage(request, rig, "device")
    context = stage_context(request, rig, "device")
    context |= {"form": stage_form(request, rig, "device", None), "play_form": form}
    return render(request, "rigs/device.html", context, status=422)


@require_POST
def shelf(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Have the rig's takes written to another shelf."""
    rig = get_object_or_404(Rig, pk=rig_id)
    place = get_object_or_404(ShelfPlace, pk=number_of(request.POST.get("shelf", "")) or 0)
    actions.set_shelf(rig, None if place == home_place() else place, glance(request))
    return redirect("rigs:stage", rig_id=rig.pk, stage="roll")


@require_POST
def fit_frame(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Record the picture as it arrives."""
    rig = get_object_or_404(Rig, pk=rig_id)
    actions.fit_frame(rig, glance(request))
    return redirect("rigs:stage", rig_id=rig.pk, stage="frame")


@require_POST
def record_at(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Record another size or rate, from the File page, whose settings stay as they are typed."""
    rig = get_object_or_404(Rig, pk=rig_id)
    frame = replace(rig.plan.frame, mode=Mode.parse(request.POST.get("mode", "")[:40]))
    actions.set_frame(rig, frame, glance(request))
    response = _file_page(request, rig, shown(stage_form(request, rig, "file", request.POST)), {"is_draft": True})
    response["HX-Trigger"] = "signal-changed"  # the line above has another frame
    return response


def input_place(request: HttpRequest, rig: Rig) -> int:
    """Give the place of the input that a request is about; raises Http404 for one that is not there."""
    place = place_of(request)
    if place >= len(rig.plan.inputs):
        raise Http404
    return place


def to_stage(request: HttpRequest, rig: Rig, stage: str) -> HttpResponse:
    """Send the browser to a stage, of the same input."""
    place = place_of(request)
    address = reverse("rigs:stage", args=[rig.pk, stage])
    return redirect(f"{address}?input={place}" if place else address)


def stage_form(request: HttpRequest, rig: Rig, stage: str, data: Any) -> Any:
    """Give the form of a stage; None for one that has none."""
    if stage == "file":
        return RecipeForm(data, recipe=rig.plan.recipe, setup=rig.plan)
    if stage == "roll":
        return RollForm(data, roll=rig.plan.roll)
    if stage == "frame":
        return FrameForm(data, frame=rig.plan.frame)
    if stage not in ("device", "arrival"):
        return None
    place = input_place(request, rig)
    one = rig.plan.inputs[place]
    if stage == "device":
        return device_form(data, one)
    lives = lives_of(rig.plan, rig_status(glance(request), rig.pk))
    return ArrivalForm(data, setup=one, signal=lives[place].signal if lives else None)


def form_status(form: Any) -> int:
    """Give 422 for a form that was refused, or that brought what has to be looked at first."""
    return 422 if form is not None and form.is_bound and (form.errors or getattr(form, "came", ())) else 200
