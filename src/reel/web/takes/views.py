"""Pages of takes: the list, one take and its parts, two side by side, marks, renaming, deleting, playing."""

import re
from pathlib import Path

from django.contrib import messages
from django.core.paginator import Paginator
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from reel.core.errors import BadValueError, ReelError
from reel.core.measure import judge
from reel.web.takes import actions
from reel.web.takes.comparing import STILL_WORDS, compared, mark_row, others_to_compare
from reel.web.takes.models import STILLS, Mark, Part, Take, TakeState
from reel.web.takes.proving import path_of, playable_path, poster_path, shelf_of, sound_files_of, still_path
from reel.web.takes.ranges import file_response
from reel.web.ui.typed import number_of

PAGE = 24
_SECOND = re.compile(r"\d{1,7}(\.\d{0,20})?\Z", re.ASCII)


@require_GET
def index(request: HttpRequest) -> HttpResponse:
    """List the takes, newest first."""
    page = Paginator(Take.objects.with_parts(), PAGE).get_page(request.GET.get("page"))
    page.object_list = [take for take in page if take.all_parts]  # one without is being deleted
    return render(request, "takes/index.html", {"page": page, "room": "takes"})


@require_GET
def take(request: HttpRequest, take_id: int) -> HttpResponse:
    """Show a take, one part of it by `?part=`; what waits for the worker asks again by itself."""
    found = _whole(take_id)
    number = number_of(request.GET.get("part", "")) or 1
    parts = {one.number: one for one in found.all_parts}
    part = parts.get(number) or found.first
    return render(request, _template(request, "take"), _take_context(found, part))


def _whole(take_id: int) -> Take:
    """Read a take with its parts; raises Http404 for one that is not there, or is being deleted."""
    found = get_object_or_404(Take.objects.with_parts(), pk=take_id)
    if not found.all_parts:
        raise Http404
    return found


@require_http_methods(["GET", "POST"])
def rename(request: HttpRequest, take_id: int) -> HttpResponse:
    """Rename a take and its file; a refused name stays in the field."""
    found = _whole(take_id)
    typed, problem = request.POST.get("name", found.name), ""
    if request.method == "POST":
        try:
            file_name = actions.rename(found, typed)
        except ReelError as error:
            found = _whole(take_id)  # as it is, not as it was to be
            problem = str(error)
        else:
            messages.success(request, f"Renamed; the file is {file_name}.")
            return redirect("takes:take", take_id=found.pk)
    context = {
        "room": "takes",
        "take": found,
        "typed": typed,
        "problem": problem,
        "ending": found.first.file_name.rpartition(".")[2],
    }
    return render(request, "takes/rename.html", context, status=422 if problem else 200)


@require_http_methods(["GET", "POST"])
def delete(request: HttpRequest, take_id: int) -> HttpResponse:
    """Ask, then delete a take with its files."""
    found = _whole(take_id)
    if request.method == "POST":
        name = found.first.file_name if len(found.all_parts) == 1 else found.name
        actions.delete(found)
        messages.success(request, f"{name} is deleted.")
        return redirect("takes:index")
    paths = [shelf_of(found).path(name) for part in found.all_parts for name, _ in part.names]
    return render(request, "takes/delete.html", {"room": "takes", "take": found, "paths": paths})


@require_POST
def keep(request: HttpRequest, take_id: int) -> HttpResponse:
    """Keep a trial as a take."""
    found = _whole(take_id)
    actions.keep_trial(found)
    return redirect("takes:take", take_id=found.pk)


@require_POST
def forget(request: HttpRequest, take_id: int) -> HttpResponse:
    """Delete a trial with its file, without asking: it was made to be looked at; goes on to its rig."""
    found = get_object_or_404(Take, pk=take_id, is_trial=True)
    rig_id = found.rig_id
    actions.delete(found)
    messages.success(request, "The trial is forgotten.")
    return redirect(reverse("stages:stage", args=[rig_id, "roll"]) if rig_id else reverse("takes:index"))


@require_POST
def mark(request: HttpRequest, take_id: int) -> HttpResponse:
    """Note a moment of a take afterwards, where its part stands just now."""
    found = _whole(take_id)
    part = get_object_or_404(Part, take=found, number=number_of(request.POST.get("part", "")) or 1)
    actions.add_mark(found, part, _second(request.POST.get("at_s", "")), request.POST.get("label", ""))
    return redirect(_address(found, part))


@require_POST
def note(request: HttpRequest, take_id: int, mark_id: int) -> HttpResponse:
    """Say something else of a mark, or take it away."""
    found = get_object_or_404(Mark, pk=mark_id, take_id=take_id)
    if request.POST.get("remove"):
        found.delete()
    else:
        actions.note_mark(found, request.POST.get("label", ""))
    part = get_object_or_404(Part, take_id=take_id, number=number_of(request.POST.get("part", "")) or 1)
    return redirect(_address(part.take, part))


@require_GET
def compare(request: HttpRequest) -> HttpResponse:
    """Show two trials or takes side by side: what differs in what was asked, and in what came of it."""
    ids = [number_of(request.GET.get(key, "")) or 0 for key in ("one", "other")]
    one, other = (_whole(take_id) for take_id in ids)
    return render(request, "takes/compare.html", compared(one, other) | {"room": "takes"})


@require_POST
def repair_again(request: HttpRequest, take_id: int) -> HttpResponse:
    """Look once more for what a killed recorder left of a take, and have it repaired."""
    actions.repair_again(get_object_or_404(Take, pk=take_id))
    return redirect("takes:take", take_id=take_id)


@require_POST
def prove_again(request: HttpRequest, take_id: int) -> HttpResponse:
    """Have a take proved once more."""
    found = _whole(take_id)
    actions.prove_again(found)
    return redirect("takes:take", take_id=found.pk)


@require_GET
def video(request: HttpRequest, take_id: int, number: int) -> HttpResponseBase:
    """Play a part: its file, or the browser copy."""
    path = playable_path(get_object_or_404(Part, take_id=take_id, number=number, playable=True))
    if not path.exists():
        raise Http404
    return file_response(request, path, "video/webm" if path.suffix == ".webm" else "video/mp4")


@require_GET
def poster(request: HttpRequest, take_id: int, number: int) -> HttpResponseBase:
    """Return a part's poster frame."""
    return _jpeg(poster_path(get_object_or_404(Part, take_id=take_id, number=number)))


@require_GET
def still(request: HttpRequest, take_id: int, name: str) -> HttpResponseBase:
    """Return one of the pictures that are kept of a trial."""
    if name not in STILLS:
        raise Http404
    return _jpeg(still_path(get_object_or_404(Part, take_id=take_id, number=1), name))


def _jpeg(path: Path) -> HttpResponseBase:
    if not path.exists():
        raise Http404
    return HttpResponse(path.read_bytes(), content_type="image/jpeg", headers={"Cache-Control": "private, max-age=60"})


def _template(request: HttpRequest, name: str) -> str:
    return f"takes/_{name}.html" if getattr(request, "htmx", False) else f"takes/{name}.html"


def _address(found: Take, part: Part) -> str:
    address = reverse("takes:take", args=[found.pk])
    return f"{address}?part={part.number}" if part.number > 1 else address


def _second(typed: str) -> float:
    """Read a second; raises BadValueError."""
    if typed and not _SECOND.match(typed):
        raise BadValueError("Mark", typed[:20], "it lies at a second of the part")
    return float(typed or 0)


def _take_context(found: Take, part: Part) -> dict[str, object]:
    plan, job = found.plan, part.job
    part = get_object_or_404(Part, pk=part.pk)  # after its job: what a job that has ended made is in it
    proof = part.proved
    return {
        "take": found,
        "part": part,
        "plan": plan,
        "shown_s": found.length_s * plan.lapse if found.length_s and plan.lapse > 1 else None,
        "proof": proof,
        "judgement": judge(proof, part.counted) if proof is not None else None,
        "marks": [mark_row(mark, found, plan) for mark in found.marks.all()],
        "job": job,
        "path": path_of(part),
        "original": part.original_name and shelf_of(found).path(part.original_name),
        "sound_files": [path for path in sound_files_of(part) if path.exists()],
        "still_words": STILL_WORDS,
        "others": others_to_compare(found),
        "room": "takes",
        "rolling": found.state == TakeState.ROLLING,
    }
