"""Pages of takes: the list, one take and its parts, two side by side, marks, renaming, deleting, playing."""

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse, HttpResponseBase, JsonResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from reel import options
from reel.core.errors import BadValueError, ReelError
from reel.core.measure import judge
from reel.core.media import frame_at, frame_times
from reel.web.takes import actions, binning
from reel.web.takes.along import along
from reel.web.takes.choosing import add_tag, chosen, set_good
from reel.web.takes.choosing import note as note_take
from reel.web.takes.comparing import STILL_WORDS, compared, mark_row, others_to_compare
from reel.web.takes.listening import ask_for_track, reading_of
from reel.web.takes.listing import SORTS, Query, list_takes
from reel.web.takes.models import STILLS, Mark, Part, Take, TakeState
from reel.web.takes.pointing import point_to, where_it_is
from reel.web.takes.proving import (
    path_of,
    playable_path,
    poster_path,
    shelf_of,
    sound_files_of,
    still_path,
    track_path,
)
from reel.web.takes.ranges import file_response
from reel.web.takes.rewrapping import REWRAPS, ask_to_rewrap, rewraps_of
from reel.web.takes.typed import second
from reel.web.takes.verifying import ask_to_verify, verifying_of
from reel.web.ui.typed import number_of


@require_GET
def index(request: HttpRequest) -> HttpResponse:
    """List the takes that are asked for."""
    context = {
        "list": list_takes(Query.read(request.GET)),
        "containers": REWRAPS,
        "sorts": [(name, label) for name, (label, _) in SORTS.items()],
        "bin_days": options.bin_days(),
        "room": "takes",
    }
    return render(request, _template(request, "index"), context)


@require_POST
def several(request: HttpRequest) -> HttpResponse:
    """Do something to the chosen takes."""
    ids, doing = chosen(request.POST), request.POST.get("do", "")
    does: dict[str, Callable[[], str]] = {
        "good": lambda: f"{_takes(set_good(ids, is_good=True))} marked good.",
        "not-good": lambda: f"{_takes(set_good(ids, is_good=False))} not marked good any more.",
        "tag": lambda: f"{_takes(add_tag(ids, request.POST.get('tag', '')))} tagged.",
        "bin": lambda: f"{_takes(binning.to_bin(ids))} in the bin for {options.bin_days()} days.",
        "rewrap": lambda: f"{_takes(ask_to_rewrap(ids, request.POST.get('container', '')))} being rewrapped.",
        "put-back": lambda: f"{_takes(binning.put_back(ids))} put back.",
        "empty": lambda: f"{_takes(binning.empty(ids))} deleted.",
    }
    if doing not in does:
        raise BadValueError("Takes", doing[:20], f"what can be done is {', '.join(does)}")
    messages.success(request, does[doing]())
    query = Query.read(QueryDict(request.POST.get("query", "")[:2000]))
    take_id = number_of(request.POST.get("back_to", ""))
    if take_id and Take.objects.filter(pk=take_id).exists():
        return redirect("takes:take", take_id=take_id)
    return redirect(f"{reverse('takes:index')}?{query.link(page=query.page)}")


def _takes(count: int) -> str:
    return f"{count} take{'' if count == 1 else 's'}"


@require_POST
def describe(request: HttpRequest, take_id: int) -> HttpResponse:
    """Set a take's note and tags."""
    found = _whole(take_id)
    note_take(found, request.POST.get("note", ""), request.POST.get("tags", ""))
    return redirect("takes:take", take_id=found.pk)


@require_GET
def take(request: HttpRequest, take_id: int) -> HttpResponse:
    """Show a take, one part of it by `?part=`; what waits for the worker asks again by itself."""
    found = _whole(take_id)
    return render(request, _template(request, "take"), _take_context(found, _shown_part(request, found)))


def _whole(take_id: int) -> Take:
    """Read a take with its parts; raises Http404 for one that is not there, or is being deleted."""
    found = get_object_or_404(Take.objects.with_parts(), pk=take_id)
    if not found.all_parts:
        raise Http404
    return found


@require_GET
def in_time(request: HttpRequest, take_id: int) -> HttpResponse:
    """Draw a window of a take along its time, `?from=` and `?to=` in milliseconds."""
    found = _whole(take_id)
    part = _shown_part(request, found)
    window = (_millisecond(request.GET.get("from", "")), _millisecond(request.GET.get("to", "")))
    return render(request, "takes/_in_time.html", {"take": found, "part": part, **along(part, found, *window)})


def _shown_part(request: HttpRequest, found: Take) -> Part:
    number = number_of(request.GET.get("part", "")) or 1
    return next((one for one in found.all_parts if one.number == number), found.first)


def _millisecond(typed: str) -> int | None:
    return int(typed) if typed.isascii() and typed.isdecimal() and len(typed) <= 9 else None


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
    actions.add_mark(found, part, second(request.POST.get("at_s", "")), request.POST.get("label", ""))
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
def point(request: HttpRequest, take_id: int) -> HttpResponse:
    """Have a take's missing files be those of the same content where somebody points."""
    found = _whole(take_id)
    root = point_to(found, request.POST.get("path", ""))
    messages.success(request, f"Found by its content in {root}.")
    return redirect(found)


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


@require_POST
def verify(request: HttpRequest, take_id: int, number: int) -> HttpResponse:
    """Have an archive copy held against the hashes of its frames."""
    part = get_object_or_404(Part.objects.select_related("take"), take_id=take_id, number=number)
    ask_to_verify(part)
    return redirect(_address(part.take, part))


@require_GET
def video(request: HttpRequest, take_id: int, number: int) -> HttpResponseBase:
    """Play a part: its file, or the browser copy."""
    path = playable_path(get_object_or_404(Part, take_id=take_id, number=number, playable=True))
    if not path.exists():
        raise Http404
    return file_response(request, path, "video/webm" if path.suffix == ".webm" else "video/mp4")


@require_GET
def frame(request: HttpRequest, take_id: int, number: int) -> HttpResponse:
    """Say of the frame that is shown at `?at=` seconds: its number, how it is coded, its size, whether it is new."""
    part = get_object_or_404(Part.objects.select_related("take"), take_id=take_id, number=number)
    form = part.take.form
    found = frame_at(path_of(part), _moment(request), None if form.is_variable else form.rate)
    return render(request, "takes/_frame.html", {"frame": found, "at_s": float(found.at_s)})


@require_GET
def times(request: HttpRequest, take_id: int, number: int) -> HttpResponse:
    """Say when the frames around `?at=` seconds begin, in seconds: what steps go by where their distances vary."""
    part = get_object_or_404(Part.objects.select_related("take"), take_id=take_id, number=number)
    found = frame_times(path_of(part), _moment(request))
    return JsonResponse({"times": [round(float(one), 6) for one in found]})


@require_http_methods(["GET", "POST"])
def sound(request: HttpRequest, take_id: int, number: int, track: int) -> HttpResponseBase:
    """Play one sound track, from 0, that was read out of a part. POST has it read: 202 until it is there."""
    part = get_object_or_404(Part.objects.select_related("take"), take_id=take_id, number=number, playable=True)
    if track >= len(part.take.tracks):
        raise Http404
    if request.method == "POST":
        ask_for_track(part, track)
        return HttpResponse(status=200 if track_path(part, track).exists() else 202)
    if (path := track_path(part, track)).exists():
        return file_response(request, path, "audio/flac")
    job = reading_of(part, track)
    if job is not None and job.problem:
        return HttpResponse(job.problem, status=409, content_type="text/plain; charset=utf-8")
    return HttpResponse(status=202 if job is not None and job.is_open else 404)


def _moment(request: HttpRequest) -> Fraction:
    return Fraction(second(request.GET.get("at", ""))).limit_denominator(1_000_000)


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


def _take_context(found: Take, part: Part) -> dict[str, object]:
    form, job = found.form, part.job
    part = get_object_or_404(Part, pk=part.pk)  # after its job: what a job that has ended made is in it
    proof = part.proved
    return {
        "take": found,
        "part": part,
        "form": form,
        "shown_s": found.length_s * form.lapse if found.length_s and form.lapse > 1 else None,
        "proof": proof,
        "judgement": judge(proof, part.counted) if proof is not None else None,
        "marks": [mark_row(mark, found, form) for mark in found.marks.all()],
        **along(part, found),
        "job": job,
        "path": path_of(part),
        "missing": where_it_is(found),
        "made": list(part.made.all()),
        "rewraps": rewraps_of(found),
        "verifying": verifying_of(part),
        "containers": REWRAPS,
        "original": part.original_name and shelf_of(found).path(part.original_name),
        "sound_files": [path for path in sound_files_of(part) if path.exists()],
        "still_words": STILL_WORDS,
        "others": others_to_compare(found),
        "room": "takes",
        "rolling": found.state == TakeState.ROLLING,
    }
