"""Pages of finishes: the stages of one, what is done to it, making it, the finishes that are kept."""

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

from django.contrib import messages
from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.views.decorators.http import require_GET, require_POST

from reel.core.errors import BadValueError
from reel.core.finish import Finish, Source
from reel.core.measure.looking import look_at
from reel.core.media import MediaError, still
from reel.core.media.cuts import still_of, wave_of
from reel.web.finishes.claps import ask_to_find
from reel.web.finishes.drawing import STAGES
from reel.web.finishes.editing import Opened, change, opened, planned, undo
from reel.web.finishes.encodings import encoded
from reel.web.finishes.keeping import EDITS, least_s, prepare
from reel.web.finishes.making import ask_to_finish, ask_to_make, keep_finish
from reel.web.finishes.models import KeptFinish
from reel.web.finishes.pages import context_of
from reel.web.finishes.picturing import PictureForm, looked_at, with_picture, with_remedy
from reel.web.finishes.proposals import Rule, Rules
from reel.web.finishes.reading import ask_to_read
from reel.web.finishes.tracks import SlideForm, TrackForm, slid, with_track
from reel.web.takes.choosing import chosen
from reel.web.takes.models import Take
from reel.web.takes.proving import path_of
from reel.web.ui.typed import number_of

SHOWN = STAGES[1:]


@require_GET
def stage(request: HttpRequest, take_id: int, name: str) -> HttpResponse:
    """Show a stage of a take's finish; while its files are read, that."""
    if name not in SHOWN:
        raise Http404
    return _page(request, take_of(take_id), name)


def take_of(take_id: int) -> Take:
    """Return a take that has files; raises Http404."""
    found = get_object_or_404(Take.objects.with_parts(), pk=take_id)
    if not found.all_parts:
        raise Http404
    return found


def _page(request: HttpRequest, take: Take, name: str) -> HttpResponse:
    now = opened(take)
    if now is None:
        job = ask_to_read(take, waits=bool(request.GET.get("waits")))
        shown = {"take": take, "job": job, "stage": name, "room": "takes"}
        return render(request, "finishes/reading.html", shown)
    if request.GET.get("waits"):
        return HttpResponse(headers={"HX-Refresh": "true"})
    asked = request.POST if request.method == "POST" else request.GET
    number = number_of(asked.get("part", "")) or 1
    part = next((one for one in take.all_parts if one.number == number), take.first)
    return render(request, "finishes/finish.html", context_of(now, name, part, _least_s(asked.get("least_s", ""))))


def _least_s(typed: str) -> Fraction:
    try:
        return least_s(typed)
    except BadValueError:
        return Fraction(2)


def _changed(request: HttpRequest, take: Take, name: str) -> HttpResponse:
    """Answer a change: htmx gets the page as it is now, a plain form is sent to it."""
    if getattr(request, "htmx", False):
        return _page(request, take_of(take.pk), name)
    return redirect("finishes:stage", take_id=take.pk, name=name)


@require_POST
def keep(request: HttpRequest, take_id: int) -> HttpResponse:
    """Do something to what is kept."""
    take, doing = take_of(take_id), request.POST.get("do", "")
    if doing not in EDITS:
        raise BadValueError("Keep", doing[:20], f"what can be done is {', '.join(EDITS)}")
    words, edit = EDITS[doing]
    prepare(doing, request.POST)
    change(take, request.POST.get("seen", ""), lambda now: edit(now, request.POST), words)
    return _changed(request, take, "keep")


@require_POST
def picture_do(request: HttpRequest, take_id: int) -> HttpResponse:
    """Say what becomes of the picture: all of it, or `only` what the button beside something that was found sets."""
    take = take_of(take_id)

    def edit(now: Opened) -> Finish:
        if only := request.POST.get("only"):
            return with_remedy(now, only, PictureForm(request.POST))
        return with_picture(now, PictureForm(request.POST))

    change(take, request.POST.get("seen", ""), edit, "picture")
    return _changed(request, take, "picture")


@require_GET
def looks(request: HttpRequest, take_id: int) -> HttpResponse:
    """Show what frames of a take's first file say of its range, black bars and fields."""
    take = take_of(take_id)
    now = opened(take)
    if now is None:
        raise Http404
    shown: dict[str, object] = {"take": take, "seen": now.seen, "finish": now.finish}
    try:
        found = look_at(path_of(take.first), take.form.rate)
    except MediaError as error:
        shown["problem"] = str(error)
    else:
        shown["looked"] = looked_at(found, now.sources[0].pictures[0], now.finish.picture)
    return render(request, "finishes/_looks.html", shown)


@require_POST
def sound(request: HttpRequest, take_id: int) -> HttpResponse:
    """Say what becomes of a track."""
    take, number = take_of(take_id), number_of(request.POST.get("track", "")) or 0
    form = TrackForm(request.POST)
    change(take, request.POST.get("seen", ""), lambda now: with_track(now, number, form), f"track {number}")
    return _changed(request, take, "sound")


@require_POST
def slide(request: HttpRequest, take_id: int, track: int) -> HttpResponse:
    """Slide a track, and leave what else is said of it."""
    take, form = take_of(take_id), SlideForm(request.POST)
    change(take, request.POST.get("seen", ""), lambda now: slid(now, track, form), f"track {track} slid")
    return redirect("finishes:stage", take_id=take.pk, name="sound")


@require_POST
def claps(request: HttpRequest, take_id: int) -> HttpResponse:
    """Have claps looked for in a take."""
    take = take_of(take_id)
    ask_to_find(take)
    return _changed(request, take, "sound")


@require_POST
def file(request: HttpRequest, take_id: int) -> HttpResponse:
    """Choose how it is encoded, or the container of what stays as it is."""
    take, typed = take_of(take_id), [request.POST.get(name, "") for name in ("how", "container", "size_mb", "quality")]
    change(take, request.POST.get("seen", ""), lambda now: encoded(now, *typed), "file")
    return _changed(request, take, "file")


@require_POST
def history(request: HttpRequest, take_id: int, name: str) -> HttpResponse:
    """Undo the last change, or redo what was undone."""
    if name not in SHOWN:
        raise Http404
    take = take_of(take_id)
    undo(take, request.POST.get("seen", ""), again=bool(request.POST.get("again")))
    return _changed(request, take, name)


@require_POST
def make(request: HttpRequest, take_id: int) -> HttpResponse:
    """Have the finish made; raises BadValueError where it can't be."""
    take = take_of(take_id)
    now = opened(take)
    if now is None:
        return redirect("finishes:stage", take_id=take.pk, name="make")
    planned(now.finish, now.sources)
    ask_to_make(take, now.finish)
    return redirect("finishes:stage", take_id=take.pk, name="make")


@require_GET
def picture(request: HttpRequest, take_id: int, tick: int) -> HttpResponse:
    """Return the frame of a take at a tick of its picture, as a JPEG."""
    now = opened(take_of(take_id))
    if now is None:
        raise Http404
    return _picture(now, tick, "image/jpeg", lambda path, _, at: still(path, Fraction(2 * at + 1, 2) / now.rate))


@require_GET
def compared(request: HttpRequest, take_id: int, tick: int, which: str) -> HttpResponse:
    """Return the frame of a take at a tick as its finish makes it (`after`), or as that frames it alone, as a JPEG; its
    waveform as a PNG."""
    now, (side, _, kind) = opened(take_of(take_id)), which.partition("-")
    if now is None or side not in ("before", "after") or kind not in ("", "wave"):
        raise Http404
    asked = now.finish.picture if side == "after" else now.finish.picture.framed
    if kind:
        return _picture(now, tick, "image/png", lambda path, source, at: wave_of(path, source, asked, at))
    return _picture(now, tick, "image/jpeg", lambda path, source, at: still_of(path, source, asked, at))


def _picture(now: Opened, tick: int, kind: str, make: Callable[[Path, Source, int], bytes]) -> HttpResponse:
    """Answer with a picture that is made of the file that a tick of the take lies in, and of its tick there."""
    for part, source in zip(now.parts, now.sources, strict=True):
        if source.packets is not None and tick < source.packets.length:
            try:
                found = make(path_of(part), source, tick)
            except MediaError as error:
                raise Http404 from error
            return HttpResponse(found, content_type=kind, headers={"Cache-Control": "private, max-age=3600"})
        tick -= source.packets.length if source.packets is not None else 0
    raise Http404


@require_POST
def keep_as(request: HttpRequest, take_id: int) -> HttpResponse:
    """Keep the finish under a name, with the rules by which what is kept is found in other takes."""
    take = take_of(take_id)
    now = opened(take)
    if now is None:
        return redirect("finishes:stage", take_id=take.pk, name="file")
    wanted = [one for one in request.POST.getlist("rule") if one in set(Rule)]
    rules = Rules(rules=tuple(Rule(one) for one in wanted), least_s=least_s(request.POST.get("least_s", "2")))
    kept = keep_finish(request.POST.get("name", ""), now, rules)
    messages.success(request, f"Kept as {kept.name}. Choose takes in the list to finish them so.")
    return redirect("finishes:stage", take_id=take.pk, name="file")


@require_POST
def forget(request: HttpRequest, kept_id: int) -> HttpResponse:
    """Forget a finish that was kept."""
    kept = get_object_or_404(KeptFinish, pk=kept_id)
    kept.delete()
    messages.success(request, f"{kept.name} is not kept any more. What was made by it stays.")
    take_id = number_of(request.POST.get("take", ""))
    return redirect(reverse("finishes:stage", args=[take_id, "file"]) if take_id else reverse("takes:index"))


@require_GET
def dock(request: HttpRequest) -> HttpResponse:
    """Offer the finishes that are kept, for the takes that are chosen in the list."""
    return render(request, "finishes/_dock.html", {"kept": KeptFinish.objects.all()})


@require_POST
def several(request: HttpRequest) -> HttpResponse:
    """Finish the chosen takes by a finish that is kept."""
    name = request.POST.get("finish", "")
    count = ask_to_finish(chosen(request.POST), name)
    messages.success(request, f"{count} take{'' if count == 1 else 's'} being finished as {name}.")
    return redirect("takes:index")
