"""Pages and files by which takes are handed on."""

import json
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from urllib.parse import quote

from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from reel.core.errors import BadValueError
from reel.core.handing import chapters_of, moments_table, timeline, webvtt
from reel.core.media import frame_png
from reel.web.takes.choosing import chosen
from reel.web.takes.files import Made, MadeKind
from reel.web.takes.handing import handed, log_sheet, log_table, moments_of
from reel.web.takes.making import ask_for_file, forget_file, path_of_made
from reel.web.takes.models import Part, Take, TakeOrigin
from reel.web.takes.proving import path_of
from reel.web.takes.ranges import file_response
from reel.web.takes.report import report
from reel.web.takes.typed import second

# So many takes are told of in one table or timeline.
MAX_TOLD = 2000


def _part(take_id: int, number: int) -> Part:
    return get_object_or_404(Part.objects.select_related("take"), take_id=take_id, number=number)


def _attached(text: str | bytes, content_type: str, name: str) -> HttpResponse:
    """Return what was made for the answer, to be kept as a file."""
    response = HttpResponse(text, content_type=content_type)
    response["Content-Disposition"] = _disposition(name)
    return response


def _kept_file(request: HttpRequest, path: Path) -> HttpResponseBase:
    """Return a file of a shelf to be kept; raises Http404 where it is gone."""
    if not path.is_file():
        raise Http404
    response = file_response(request, path, "application/octet-stream")
    response["Content-Disposition"] = _disposition(path.name)
    return response


def _disposition(name: str) -> str:
    """Return the header of a file to be kept under a name that may hold any letters (RFC 6266)."""
    return f"attachment; filename*=UTF-8''{quote(name)}"


@require_GET
def download(request: HttpRequest, take_id: int, number: int) -> HttpResponseBase:
    """Give a part's file as it is."""
    return _kept_file(request, path_of(_part(take_id, number)))


@require_GET
def chapters(request: HttpRequest, take_id: int, number: int) -> HttpResponse:
    """Give a part's chapters as WebVTT."""
    part = _part(take_id, number)
    made = chapters_of(moments_of(part, part.take), Fraction(part.length_ms or 0, 1000))
    return _attached(webvtt(made), "text/vtt; charset=utf-8", f"{path_of(part).stem}.vtt")


@require_GET
def moments(request: HttpRequest, take_id: int, number: int) -> HttpResponse:
    """Give a part's marks and what was found in it as a table."""
    part = _part(take_id, number)
    text = moments_table(moments_of(part, part.take), part.take.form.rate)
    return _attached(text, "text/csv; charset=utf-8", f"{path_of(part).stem}.csv")


@require_GET
def png(request: HttpRequest, take_id: int, number: int) -> HttpResponse:
    """Give the frame that is shown at `?at=` seconds as a PNG."""
    part, at_s = _part(take_id, number), second(request.GET.get("at", ""))
    name = f"{path_of(part).stem}_{at_s:.3f}.png"
    return _attached(frame_png(path_of(part), Fraction(at_s).limit_denominator(1_000_000)), "image/png", name)


@require_GET
def otio(request: HttpRequest, take_id: int) -> HttpResponse:
    """Give a take, with those that were begun by the same press, as a timeline."""
    take = get_object_or_404(Take.objects.with_parts(), pk=take_id)
    together = [take]
    if take.counted.began_late_ms is not None:
        others = Take.objects.with_parts().kept().exclude(pk=take.pk).exclude(origin=TakeOrigin.MADE)
        together += [one for one in others.filter(started_at=take.started_at) if one.counted.began_late_ms is not None]
    return _timeline(take.name, together)


def _timeline(name: str, takes: Sequence[Take]) -> HttpResponse:
    return _attached(timeline(name, handed(takes)), "application/json", f"{path_of(takes[0].first).stem}.otio")


@require_http_methods(["GET", "POST"])
def facts(request: HttpRequest) -> HttpResponse:
    """Give the facts of the chosen takes: a page to print, CSV, JSON, or a timeline."""
    ids = chosen(request.POST if request.method == "POST" else request.GET)
    if len(ids) > MAX_TOLD:
        raise BadValueError("Takes", f"{len(ids)} of them", f"{MAX_TOLD} are told of at once; narrow the list")
    takes = list(Take.objects.with_parts().prefetch_related("marks").filter(pk__in=ids).order_by("started_at", "pk"))
    form = request.POST.get("as", "") or request.GET.get("as", "")
    if not takes:
        raise Http404
    if form == "csv":
        return _attached(log_table(takes), "text/csv; charset=utf-8", "log-sheet.csv")
    if form == "json":
        told = json.dumps([report(take) for take in takes], indent=2)
        return _attached(told, "application/json", "takes.json")
    if form == "otio":
        return _timeline(takes[0].name if len(takes) == 1 else f"{len(takes)} takes", takes)
    return render(request, "takes/sheet.html", {"rows": log_sheet(takes), "takes": takes, "room": "takes"})


@require_POST
def make(request: HttpRequest, take_id: int, number: int) -> HttpResponse:
    """Ask for a file to be made of a part."""
    part, kind = _part(take_id, number), request.POST.get("what", "")
    if kind not in MadeKind.values:
        raise BadValueError("File", kind[:20], f"what can be made is {', '.join(MadeKind.values)}")
    track = request.POST.get("track", "0")
    ask_for_file(part, MadeKind(kind), int(track) if track.isdecimal() and len(track) < 3 else 0)
    return redirect(f"{part.take.get_absolute_url()}?part={number}#hand-on")


@require_GET
def made(request: HttpRequest, made_id: int) -> HttpResponseBase:
    """Give a file that was made."""
    found = get_object_or_404(Made.objects.select_related("part__take"), pk=made_id, is_whole=True)
    return _kept_file(request, path_of_made(found))


@require_POST
def forget(request: HttpRequest, made_id: int) -> HttpResponse:
    """Delete a file that was made, or call off its making."""
    found = get_object_or_404(Made.objects.select_related("part__take"), pk=made_id)
    take = found.part.take
    forget_file(found)
    return redirect(f"{take.get_absolute_url()}?part={found.part.number}#hand-on")
