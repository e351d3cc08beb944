"""The Roll stage."""

from contextlib import suppress

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from reel.core.errors import BadValueError, ReelError
from reel.core.file import forecast
from reel.core.line import RigSetup, signal_chain
from reel.core.roll import TRIAL_S, roll_words
from reel.web.live.recorder import glance, rig_status
from reel.web.machine.models import ShelfPlace
from reel.web.machine.shelves import home_place, places
from reel.web.rigs.models import Rig
from reel.web.stages import edits
from reel.web.stages.checks import check_rows, pairing_context, rows_after
from reel.web.stages.costs import shelf_problem
from reel.web.stages.forms import RollForm
from reel.web.stages.page import RigPage, StagePage, file_context, meters, to_stage
from reel.web.takes.models import TakeState
from reel.web.ui.typed import number_of


def _others_to_roll(page: RigPage) -> list[Rig]:
    """Return the other rigs that may roll at the same time: none of their devices is one of this rig's."""
    held = _identities(page.plan)
    found = []
    for rig in Rig.objects.exclude(pk=page.rig.pk).order_by("name"):
        with suppress(ReelError):  # one that can't be read
            if (
                rig.is_asked
                and not held & _identities(rig.plan)
                and not signal_chain(rig.plan.picture).signal_path.block
            ):
                found.append(rig)
    return found


def _identities(plan: RigSetup) -> set[str]:
    return {one.origin.identity for one in plan.inputs if one.origin.identity}


def context(page: RigPage) -> dict[str, object]:
    """Return how it rolls, what to see to before that, and where it is written."""
    return {
        "rolls_so": roll_words(page.plan.roll),
        "trial_s": TRIAL_S,
        "others_to_roll": _others_to_roll(page),
        "checks": check_rows(page.rig, page.plan, page.live),
        **(pairing_context(page, "roll") if page.planned.is_remote else {}),
        "shelf_problem": shelf_problem(page.rig),
        "shelves": places(),
        "framing": page.framing,
        "latest": page.rig.takes.kept().exclude(state=TakeState.ROLLING).first(),
        "forecast": forecast(page.file_plan, page.measured, page.picture_bits),
        **file_context(page),
        **meters(page),
    }


STAGE = StagePage(
    key="roll",
    context=context,
    form=lambda page, data: RollForm(data, roll=page.plan.roll),
    store=lambda page, wanted: edits.set_roll(page.rig, wanted, page.status),
)


@require_POST
def tick(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Tick a check of the list, or take the tick back."""
    rig = get_object_or_404(Rig, pk=rig_id)
    key, is_after = request.POST.get("key", "")[:60], bool(request.POST.get("after"))
    edits.tick(rig, key, done=not request.POST.get("was"))
    live = rig_status(glance(request), rig.pk)
    if request.POST.get("pairing"):
        page, stage = RigPage.of(request, rig), "roll" if request.POST.get("stage") == "roll" else "device"
        if getattr(request, "htmx", False):
            shown = {"rig": rig, "input": page.input, "chain": page.planned, "place": page.place, "stage": stage}
            return render(request, "stages/_pairing.html", shown | pairing_context(page, stage))
        return to_stage(request, rig, stage)
    rows = rows_after(rig) if is_after else check_rows(rig, rig.plan, live)
    if getattr(request, "htmx", False):
        return render(request, "stages/_checks.html", {"rig": rig, "checks": rows, "is_after": is_after})
    return redirect("stages:stage", rig_id=rig.pk, stage="roll")


@require_GET
def put_back(request: HttpRequest, rig_id: int, take_id: int) -> HttpResponse:
    """Return what must be put back after a cut, for the newest take of a rig; nothing for another."""
    rig = get_object_or_404(Rig, pk=rig_id)
    newest = rig.takes.first()
    try:
        rows = rows_after(rig) if newest is not None and newest.pk == take_id else []
    except BadValueError:  # the rig can't be read any more; its take can
        rows = []
    return render(request, "stages/_put_back.html", {"rig": rig, "checks": rows}) if rows else HttpResponse()


@require_POST
def shelf(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Have the rig's takes written to another shelf."""
    rig = get_object_or_404(Rig, pk=rig_id)
    place = get_object_or_404(ShelfPlace, pk=number_of(request.POST.get("shelf", "")) or 0)
    edits.set_shelf(rig, None if place == home_place() else place, glance(request))
    return redirect("stages:stage", rig_id=rig.pk, stage="roll")
