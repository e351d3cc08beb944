"""Pages of takes: the list, one take, renaming, deleting, playing."""

from django.contrib import messages
from django.core.paginator import Paginator
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from reel.core.errors import ReelError
from reel.web.takes import actions
from reel.web.takes.models import Take, TakeState
from reel.web.takes.proving import playable_path, poster_path, shelf_of, sound_files_of
from reel.web.takes.ranges import file_response

PAGE = 24


@require_GET
def index(request: HttpRequest) -> HttpResponse:
    """List the takes, newest first."""
    page = Paginator(Take.objects.all(), PAGE).get_page(request.GET.get("page"))
    return render(request, "takes/index.html", {"page": page, "room": "takes"})


@require_GET
def take(request: HttpRequest, take_id: int) -> HttpResponse:
    """Show a take; the part that waits for the worker asks again by itself."""
    found = get_object_or_404(Take, pk=take_id)
    return render(request, _template(request, "take"), _take_context(found))


@require_http_methods(["GET", "POST"])
def rename(request: HttpRequest, take_id: int) -> HttpResponse:
    """Rename a take and its file; a refused name stays in the field."""
    found = get_object_or_404(Take, pk=take_id)
    typed, problem = request.POST.get("name", found.name), ""
    if request.method == "POST":
        try:
            actions.rename(found, typed)
        except ReelError as error:
            found = get_object_or_404(Take, pk=take_id)  # as it is, not as it was to be
            problem = str(error)
        else:
            messages.success(request, f"Renamed; the file is {found.file_name}.")
            return redirect("takes:take", take_id=found.pk)
    context = {
        "room": "takes",
        "take": found,
        "typed": typed,
        "problem": problem,
        "ending": found.file_name.rpartition(".")[2],
    }
    return render(request, "takes/rename.html", context, status=422 if problem else 200)


@require_http_methods(["GET", "POST"])
def delete(request: HttpRequest, take_id: int) -> HttpResponse:
    """Ask, then delete a take with its file."""
    found = get_object_or_404(Take, pk=take_id)
    if request.method == "POST":
        name = found.file_name
        actions.delete(found)
        messages.success(request, f"{name} is deleted.")
        return redirect("takes:index")
    return render(
        request, "takes/delete.html", {"room": "takes", "take": found, "path": shelf_of(found).path(found.file_name)}
    )


@require_POST
def prove_again(request: HttpRequest, take_id: int) -> HttpResponse:
    """Have a take proved once more."""
    found = get_object_or_404(Take, pk=take_id)
    actions.prove_again(found)
    return redirect("takes:take", take_id=found.pk)


@require_GET
def video(request: HttpRequest, take_id: int) -> HttpResponseBase:
    """Play a take: its file, or the browser copy."""
    found = get_object_or_404(Take, pk=take_id, playable=True)
    path = playable_path(found)
    if not path.exists():
        raise Http404
    return file_response(request, path, "video/webm" if path.suffix == ".webm" else "video/mp4")


@require_GET
def poster(request: HttpRequest, take_id: int) -> HttpResponseBase:
    """Give a take's poster frame."""
    path = poster_path(get_object_or_404(Take, pk=take_id))
    if not path.exists():
        raise Http404
    return HttpResponse(path.read_bytes(), content_type="image/jpeg", headers={"Cache-Control": "private, max-age=60"})


def _template(request: HttpRequest, name: str) -> str:
    return f"takes/_{name}.html" if getattr(request, "htmx", False) else f"takes/{name}.html"


def _take_context(found: Take) -> dict[str, object]:
    plan = found.plan
    marks = [
        {"at_s": float(mark.at_s(plan)), "code": mark.code(plan), "label": mark.label or f"Mark {number}"}
        for number, mark in enumerate(found.marks.all(), start=1)
    ]
    return {
        "take": found,
        "plan": plan,
        "proof": found.proved,
        "marks": marks,
        "job": found.job,
        "path": shelf_of(found).path(found.file_name),
        "sound_files": [path for path in sound_files_of(found) if path.exists()],
        "room": "takes",
        "rolling": found.state == TakeState.ROLLING,
    }
