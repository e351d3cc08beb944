"""The File stage: a recipe, what it costs, and what this machine keeps up with."""

from dataclasses import replace
from typing import Any

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from reel.core.errors import BadValueError
from reel.core.file import Purpose, Recipe, file_stem, forecast, full_quality
from reel.core.line import Phone, RigSetup, Tablet, file_plan
from reel.core.signal import Mode, Signal, pixel_format
from reel.web.jobs.actions import ask_once
from reel.web.jobs.kinds import Subject
from reel.web.live.recorder import glance
from reel.web.recipes.actions import keep
from reel.web.recipes.models import KeptRecipe
from reel.web.rigs import estimating
from reel.web.rigs.actions import refuse_unasked
from reel.web.rigs.benching import BENCH
from reel.web.rigs.changing import change
from reel.web.rigs.estimating import is_needed
from reel.web.rigs.models import Rig
from reel.web.stages import edits
from reel.web.stages.costs import file_costs, keeps_context
from reel.web.stages.forms import OwnForm, RecipeForm
from reel.web.stages.page import RigPage, StagePage, answer, file_context
from reel.web.ui.typed import number_of


def context(page: RigPage) -> dict[str, object]:
    """Return what the recipe costs, what it leaves out of what comes, and the name that a first take would get."""
    plan = page.file_plan
    name = file_stem(plan.recipe.name_pattern, plan.named(page.rig.name, timezone.localtime()), 1)
    own = file_context(page)
    if page.plan.picture.own is not None:
        return {**own, **_own_context(page), "example": f"{name}.{plan.recipe.suffix}"}
    return {
        **own,
        **file_costs(page.rig, page.plan, page.live),
        "example": f"{name}.{plan.recipe.suffix}",
        "whole": _kept_whole(page, own["comes"]),
    }


def _own_context(page: RigPage) -> dict[str, object]:
    """Return what a device's own recorder makes as it is set, and what of it is set in Device."""
    device = page.plan.picture.device
    facts = [("Screen", device.mode.label)]
    if isinstance(device, Phone | Tablet):
        facts += [("Held", device.turn.label), ("Touches", "shown" if device.shows_touches else "not shown")]
    if device.shown_eye is not None:
        facts.append(("Eye", device.shown_eye.value))
    return {"own_plan": page.file_plan, "forecast": forecast(page.file_plan), "own_facts": facts}


def _kept_whole(page: RigPage, comes: object) -> dict[str, str]:
    """Say what would keep all colour samples and bits of what comes; nothing where they are, or nothing does."""
    draft = page.plan.recipe.draft
    if draft.as_sent or not isinstance(comes, Signal):
        return {}
    pixels = pixel_format(comes.pixels)
    found = full_quality(draft, pixels)
    if found is None:
        return {}
    return {"comes": pixels.label, "profile": found.profile, "samples": found.samples}


def _form(page: RigPage, data: Any) -> RecipeForm | OwnForm:
    """Return the form of a device's own recorder, or of a rig's recipe.

    Where that is asked, it is one of an offer, a kept recipe or a starting point.
    """
    if page.plan.picture.own is not None:
        return OwnForm(data, plan=page.plan)
    form = RecipeForm(data, recipe=page.plan.recipe, setup=page.plan)
    if data is None:
        return form
    if "take" in data:
        return form.taken(data["take"])
    if "load" in data and (kept := number_of(data.get("kept", ""))) is not None:
        return form.filled(get_object_or_404(KeptRecipe, pk=kept).recipe)
    if data.get("start") in set(Purpose):
        return form.started(Purpose(data["start"]))
    return form.with_what_came()


def _store(page: RigPage, wanted: Recipe | RigSetup) -> None:
    if isinstance(wanted, Recipe):
        edits.set_recipe(page.rig, wanted, page.status)
    else:
        change(page.rig, wanted, page.status)


STAGE = StagePage(
    key="file",
    context=context,
    form=_form,
    store=_store,
)


@require_POST
def keep_recipe(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Keep the rig's recipe under a name; a name that is refused stays as it was typed."""
    rig, name = get_object_or_404(Rig, pk=rig_id), request.POST.get("keep_as", "")
    try:
        keep(name, rig.plan.recipe)
    except BadValueError as error:
        return answer(request, rig, STAGE, {"keep_as": name, "keep_problem": str(error)}, status=422)
    return answer(request, rig, STAGE)


@require_POST
def bench(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Have this machine measured with the rig's picture, unless that is asked for already."""
    rig = get_object_or_404(Rig, pk=rig_id)
    refuse_unasked(rig)
    ask_once(BENCH, Subject(subject=rig.pk))
    if getattr(request, "htmx", False):
        return _keeps_up(request, rig)
    return redirect("stages:stage", rig_id=rig.pk, stage="file")


@require_GET
def keeps_up(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Return how far the measuring has come, or draw what came of it; then the efforts have their figures too."""
    return _keeps_up(request, get_object_or_404(Rig, pk=rig_id))


@require_http_methods(["GET", "POST"])
def estimate(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Say what a file costs, and with POST have it estimated."""
    rig = get_object_or_404(Rig, pk=rig_id)
    refuse_unasked(rig)
    page = RigPage.of(request, rig)
    if request.method == "POST" and is_needed(file_plan(page.plan)):
        estimating.ask(rig, page.plan)
    return render(request, "stages/_cost.html", {"rig": rig, "plan": page.plan, **context(page)})


def _keeps_up(request: HttpRequest, rig: Rig) -> HttpResponse:
    shown = {"rig": rig, "plan": rig.plan, **keeps_context(rig, file_plan(rig.plan))}
    response = render(request, "stages/_keeps_up.html", shown)
    if shown["bench_job"] is None:
        response["HX-Trigger"] = "measured-changed"
    return response


@require_POST
def record_at(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Record another size or rate, from the File page."""
    rig = get_object_or_404(Rig, pk=rig_id)
    frame = replace(rig.plan.frame, mode=Mode.parse(request.POST.get("mode", "")[:40]))
    edits.set_frame(rig, frame, glance(request))
    return answer(request, rig, STAGE)
