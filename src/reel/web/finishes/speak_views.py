"""The page on which somebody speaks over a take, and what its script asks for."""

from dataclasses import dataclass
from datetime import timedelta
from fractions import Fraction
from typing import Any

import numpy as np
from django.http import Http404, HttpRequest, HttpResponse, JsonResponse
from django.http.response import HttpResponseBase
from django.shortcuts import get_object_or_404, redirect, render
from django.utils import timezone
from django.views.decorators.http import require_GET, require_POST

from reel.core.errors import BadValueError
from reel.core.media.commentary import RATES_HZ
from reel.core.signal import length_label, timecode
from reel.core.sound import round_trip
from reel.web.finishes import speaking
from reel.web.finishes.editing import Opened, opened
from reel.web.finishes.models import CommentaryTry
from reel.web.finishes.pages import beside_sound
from reel.web.finishes.views import take_of
from reel.web.takes.ranges import file_response
from reel.web.ui.typed import number_of

# What is heard of the clicks that measure how late a microphone is: some seconds.
_MAX_HEARD_BYTES, _MAX_CLICKS = 4 << 20, 40


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """A try as the page shows it."""

    number: int
    stored: CommentaryTry
    begin: str
    length: str
    is_whole: bool
    is_spoken_now: bool
    is_chosen: bool


@require_GET
def page(request: HttpRequest, take_id: int) -> HttpResponse:
    """Show the take with what was spoken over it, and where that is done."""
    take = take_of(take_id)
    now = opened(take)
    if now is None:
        return redirect("finishes:stage", take_id=take.pk, name="sound")
    return render(request, "finishes/speak.html", _context(now))


def _context(now: Opened) -> dict[str, Any]:
    rows = [_row(now, number, one) for number, one in enumerate(now.take.tries.all(), start=1)]
    return beside_sound(now) | {"rows": rows, "chosen": next((row for row in rows if row.is_chosen), None)}


def _row(now: Opened, number: int, one: CommentaryTry) -> Row:
    is_whole = bool(one.file_name)
    came_at = timezone.now() - timedelta(seconds=speaking.BROKEN_OFF_S)
    return Row(
        number=number,
        stored=one,
        begin=timecode(Fraction(one.at_s), now.rate),
        length=length_label(one.length_s),
        is_whole=is_whole,
        is_spoken_now=not is_whole and one.heard_at > came_at,
        is_chosen=is_whole and now.finish.commentary == one.file_name,
    )


@require_POST
def late(request: HttpRequest, take_id: int) -> HttpResponse:
    """Say how late a microphone hears: `?rate_hz=` and `?played=`, the frames at which clicks were played, of the raw
    frames that are sent."""
    rate_hz = number_of(request.GET.get("rate_hz", "")) or 0
    if not RATES_HZ[0] <= rate_hz <= RATES_HZ[1]:
        raise BadValueError("Rate", rate_hz, f"it is from {RATES_HZ[0]} to {RATES_HZ[1]} Hz")
    played = [number_of(one) for one in request.GET.get("played", "")[:1000].split(",")[:_MAX_CLICKS]]
    data = request.read(_MAX_HEARD_BYTES)
    heard = np.frombuffer(data[: len(data) // speaking.FRAME_BYTES * speaking.FRAME_BYTES], dtype="<i2")[::2]
    samples = heard.astype(np.float32) / np.float32(32768)
    found = round_trip(samples[None], rate_hz, [one for one in played if one is not None])
    if found is None:
        problem = "The clicks were not heard. Turn the sound up and hold the microphone to it."
        return JsonResponse({"problem": problem}, status=422)
    return JsonResponse({"late_ms": round(found.late_ms, 1), "within_ms": round(found.within_ms, 1)})


@require_POST
def begin(request: HttpRequest, take_id: int) -> HttpResponse:
    """Begin a try; says where its pieces go."""
    one = speaking.begin(take_of(take_id), speaking.BeginForm(request.POST))
    return JsonResponse({"number": one.pk})


def _try(take_id: int, try_id: int) -> CommentaryTry:
    return get_object_or_404(CommentaryTry.objects.select_related("take", "into"), pk=try_id, take_id=take_id)


@require_POST
def piece(request: HttpRequest, take_id: int, try_id: int) -> HttpResponse:
    """Take a piece from `?at=` bytes on; the try's first sample lies at `?at_s=` of the take. Says how much is here."""
    data = request.read(speaking.MAX_PIECE_BYTES)
    at_byte, form = number_of(request.GET.get("at", "")), speaking.AtForm(request.GET)
    here = speaking.add(_try(take_id, try_id), -1 if at_byte is None else at_byte, data, form)
    return JsonResponse({"at": here})


@require_POST
def end(request: HttpRequest, take_id: int, try_id: int) -> HttpResponse:
    """Make a file of what was spoken."""
    speaking.end(_try(take_id, try_id))
    return redirect("finishes:speak", take_id=take_id)


@require_POST
def choose(request: HttpRequest, take_id: int) -> HttpResponse:
    """Make a try a track of the finish; none takes it out."""
    number = number_of(request.POST.get("try", ""))
    one = _try(take_id, number) if number is not None else None
    speaking.choose(take_of(take_id), request.POST.get("seen", ""), one)
    return redirect("finishes:speak", take_id=take_id)


@require_POST
def delete(request: HttpRequest, take_id: int, try_id: int) -> HttpResponse:
    """Delete a try."""
    now = opened(take_of(take_id))
    if now is None:
        raise Http404
    speaking.delete(_try(take_id, try_id), now.finish)
    return redirect("finishes:speak", take_id=take_id)


@require_GET
def sound(request: HttpRequest, take_id: int, try_id: int) -> HttpResponseBase:
    """Play a try."""
    one = _try(take_id, try_id)
    path = speaking.folder() / (one.file_name or "none")
    if not path.is_file():
        raise Http404
    return file_response(request, path, "audio/flac")
