"""The File stage: a recipe, what it costs, and what this machine keeps up with."""

from dataclasses import replace
from typing import Any

from django.db import transaction
from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from reel.core.errors import BadValueError
from reel.core.file import Purpose, file_stem, full_quality
from reel.core.line import file_plan
from reel.core.signal import Mode, Signal, pixel_format
from reel.web.jobs.actions import ask_for
from reel.web.jobs.models import OPEN_STATES, Job
from reel.web.live.recorder import glance, rig_status
from reel.web.recipes.actions import keep
from reel.web.recipes.models import KeptRecipe
from reel.web.rigs import estimating
from reel.web.rigs.actions import refuse_unasked
from reel.web.rigs.benching import BENCH
from reel.web.rigs.estimating import is_needed
from reel.web.rigs.models import Rig
from reel.web.stages import edits
from reel.web.stages.costs import file_costs, keeps_context
from reel.web.stages.forms import RecipeForm, shown
from reel.web.stages.page import RigPage, StagePage, file_context, line_context
from reel.web.ui.typed import number_of


def make_form(request: HttpRequest, rig: Rig, data: Any) -> RecipeForm:
    """Return the form of a rig's recipe; one that is filled in as it is to be seen after a look."""
    plan = rig.plan
    form = RecipeForm(data, recipe=plan.recipe, setup=plan)
    return shown(form) if form.is_bound else form


STAGE = StagePage(
    key="file",
    context=file_context,
    form=make_form,
    store=lambda rig, place, recipe, status: edits.set_recipe(rig, recipe, status),
)


def file_page(
    request: HttpRequest, rig: Rig, form: RecipeForm, more: dict[str, object] | None = None, status: int = 200
) -> HttpResponse:
    """Show the File page with a form, filled in or not, and what it costs; htmx gets the form alone."""
    costs = file_costs(rig, form.plan_of(rig.plan), form.draft, rig_status(glance(request), rig.pk))
    page = RigPage.of(request, rig)
    own = file_context(page)
    own |= {"form": form, "example": _example(rig, form), "whole": _kept_whole(form, own["comes"])}
    context = line_context(page, "file") | own | costs | (more or {})
    template = "stages/_recipe.html" if getattr(request, "htmx", False) else "stages/file.html"
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
    """Return the name that a take would get by a form, were it the first; "" where the form makes no recipe."""
    if form.is_bound and not form.is_valid():
        return ""
    plan = file_plan(form.plan_of(rig.plan))
    name = file_stem(plan.recipe.name_pattern, plan.named(rig.name, timezone.localtime()), 1)
    return f"{name}.{plan.recipe.suffix}"


@require_GET
def recipe(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Show the File page for settings that are not kept yet: what they mean, what they cost, whether they work."""
    rig = get_object_or_404(Rig, pk=rig_id)
    form = make_form(request, rig, request.GET)
    if "take" in request.GET:
        form = form.taken(request.GET["take"])
    elif "load" in request.GET and (kept := number_of(request.GET.get("kept", ""))) is not None:
        form = form.filled(get_object_or_404(KeptRecipe, pk=kept).recipe)
    elif request.GET.get("start") in set(Purpose):
        form = form.started(Purpose(request.GET["start"]))
    return file_page(request, rig, form, {"is_draft": True})


@require_POST
def keep_recipe(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Keep the File page's settings under a name, and in the rig too; what is refused stays as it was typed."""
    rig = get_object_or_404(Rig, pk=rig_id)
    form = make_form(request, rig, request.POST)
    if form.is_valid() and not form.came:
        try:
            with transaction.atomic():
                keep(request.POST.get("keep_as", ""), form.value)
                edits.set_recipe(rig, form.value, glance(request))
        except BadValueError as error:
            form.add_error(None, str(error))
        else:
            return redirect("stages:stage", rig_id=rig.pk, stage="file")
    return file_page(request, rig, form, status=422)


@require_POST
def bench(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Have this machine measured with the rig's picture, unless that is asked for already."""
    rig = get_object_or_404(Rig, pk=rig_id)
    refuse_unasked(rig)
    if not Job.objects.filter(kind=BENCH, subject=rig.pk, state__in=OPEN_STATES).exists():
        ask_for(BENCH, rig.pk)
    if getattr(request, "htmx", False):
        return _keeps_up(request, rig, request.POST)
    return redirect("stages:stage", rig_id=rig.pk, stage="file")


@require_GET
def keeps_up(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Return how far the measuring has come, or draw what came of it; then the efforts have their figures too."""
    return _keeps_up(request, get_object_or_404(Rig, pk=rig_id), request.GET)


@require_http_methods(["GET", "POST"])
def estimate(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Say what a file costs by the form's settings, and with POST have it estimated."""
    rig = get_object_or_404(Rig, pk=rig_id)
    refuse_unasked(rig)
    form = make_form(request, rig, request.POST or request.GET)
    setup = form.plan_of(rig.plan)
    if request.method == "POST" and is_needed(file_plan(setup)):
        estimating.ask(rig, setup)
    page = RigPage.of(request, rig)
    costs = file_costs(rig, setup, form.draft, page.live)
    context = {"rig": rig, "plan": page.plan, "form": form, **file_context(page), **costs}
    return render(request, "stages/_cost.html", context)


def _keeps_up(request: HttpRequest, rig: Rig, data: QueryDict) -> HttpResponse:
    form = make_form(request, rig, data)
    context = {"rig": rig, "plan": rig.plan, "form": form, **keeps_context(rig, file_plan(rig.plan), form.draft)}
    response = render(request, "stages/_keeps_up.html", context)
    if context["bench_job"] is None:
        response["HX-Trigger"] = "measured"
    return response


@require_POST
def record_at(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Record another size or rate, from the File page, whose settings stay as they are typed."""
    rig = get_object_or_404(Rig, pk=rig_id)
    frame = replace(rig.plan.frame, mode=Mode.parse(request.POST.get("mode", "")[:40]))
    edits.set_frame(rig, frame, glance(request))
    response = file_page(request, rig, make_form(request, rig, request.POST), {"is_draft": True})
    response["HX-Trigger"] = "signal-changed"  # the line above has another frame
    return response
