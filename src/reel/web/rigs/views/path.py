"""Changing a path hop by hop, and mending what is lost: each gives the changed part of the page."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from reel.core.errors import BadValueError
from reel.core.line import STAGES
from reel.core.line.edit import Path, add_hop, move_hop, remove_hop, set_option, swap_hop
from reel.web.live.recorder import glance, rig_status
from reel.web.rigs import actions
from reel.web.rigs.context import check_rows, rows_after, stage_context
from reel.web.rigs.models import Rig
from reel.web.rigs.views.stages import input_place, to_stage

_MAX_PLACE = 99


@require_POST
def change(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Do one change to the path: add, remove, up, down, swap or option, as the button or field says."""
    rig = get_object_or_404(Rig, pk=rig_id)
    edit = _EDITS.get(request.POST.get("do", ""))
    if edit is None:
        raise BadValueError("Change", request.POST.get("do", ""), "it is one of " + ", ".join(_EDITS))
    place = input_place(request, rig)
    actions.set_path(rig, place, edit(rig.plan.inputs[place].path, request.POST), glance(request))
    return _answer(request, rig, "path")


@require_POST
def mend(request: HttpRequest, rig_id: int, stage: str) -> HttpResponse:
    """Do what a remedy's button says."""
    rig = get_object_or_404(Rig, pk=rig_id)
    actions.apply_remedy(rig, input_place(request, rig), request.POST.get("remedy", ""), glance(request))
    return _answer(request, rig, stage if stage in STAGES else "path")


@require_POST
def tick(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Tick a check of the list, or take the tick back."""
    rig = get_object_or_404(Rig, pk=rig_id)
    key, is_after = request.POST.get("key", "")[:60], bool(request.POST.get("after"))
    actions.tick(rig, key, done=not request.POST.get("was"))
    live = rig_status(glance(request), rig.pk)
    rows = rows_after(rig) if is_after else check_rows(rig, rig.plan, live)
    if getattr(request, "htmx", False):
        return render(request, "rigs/_checks.html", {"rig": rig, "checks": rows, "is_after": is_after})
    return redirect("rigs:stage", rig_id=rig.pk, stage="roll")


@require_GET
def put_back(request: HttpRequest, rig_id: int, take_id: int) -> HttpResponse:
    """Give what must be put back after a cut, for the newest take of a rig; nothing for another."""
    rig = get_object_or_404(Rig, pk=rig_id)
    newest = rig.takes.first()
    try:
        rows = rows_after(rig) if newest is not None and newest.pk == take_id else []
    except BadValueError:  # the rig can't be read any more; its take can
        rows = []
    return render(request, "rigs/_put_back.html", {"rig": rig, "checks": rows}) if rows else HttpResponse()


def _answer(request: HttpRequest, rig: Rig, stage: str) -> HttpResponse:
    """Give htmx the page's changed part with the line; send a plain form to the page."""
    if stage != "path" or not getattr(request, "htmx", False):
        return to_stage(request, rig, stage)
    return render(request, "rigs/_path_answer.html", stage_context(request, rig, "path"))


def _place(post: QueryDict) -> int:
    typed = post.get("place", "")
    if not typed.isdecimal() or int(typed[:4]) > _MAX_PLACE:
        raise BadValueError("Hop", typed, "it is a place in the path")
    return int(typed)


_EDITS: dict[str, Callable[[Path, QueryDict], Path]] = {
    "add": lambda path, post: add_hop(path, _place(post), post.get("model", "")),
    "remove": lambda path, post: remove_hop(path, _place(post)),
    "up": lambda path, post: move_hop(path, _place(post), -1),
    "down": lambda path, post: move_hop(path, _place(post), 1),
    "swap": lambda path, post: swap_hop(path, _place(post), post.get("model", "")),
    "option": lambda path, post: set_option(path, _place(post), post.get("option", "")),
}
