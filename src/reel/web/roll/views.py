"""Rolling, holding, marking and cutting; and what streams to the page meanwhile."""

import asyncio
import json
import logging
import struct
import time
import uuid
from collections.abc import AsyncIterator
from contextlib import suppress
from dataclasses import replace
from fractions import Fraction

from django.contrib import messages
from django.http import HttpRequest, HttpResponse, StreamingHttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_GET, require_POST

from reel.core.errors import ReelError
from reel.core.roll import TRIAL_S
from reel.recorder.messages import (
    MAX_LABEL,
    MIX,
    AddMark,
    CarryOn,
    Cut,
    Hold,
    Leave,
    RefusedError,
    StartRoll,
    TestFields,
)
from reel.web.live.facts import live_facts
from reel.web.live.recorder import client, glance, place_of, rig_status
from reel.web.rigs.actions import refuse_slow_drive, refuse_unasked
from reel.web.rigs.context import cost_of
from reel.web.rigs.models import Rig
from reel.web.ui.typed import clean_name, number_of, numbers_of

log = logging.getLogger(__name__)
KEEP_OPEN_S = 2.0
SILENCE_MS = 1_500
# Each event costs the page a drawing: only meters need all of the recorder's twenty a second.
SELDOM_S = 0.08
BOUNDARY = "picture"


@require_POST
def start(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Roll a rig, and at the same instant those that are named `with` it; the page stays where it is."""
    asked = [rig_id, *numbers_of(request.POST.getlist("with"))]
    rigs = [get_object_or_404(Rig, pk=one) for one in dict.fromkeys(asked)]
    for rig in rigs:
        refuse_unasked(rig)
        refuse_slow_drive(rig, cost_of(rig))
    client().ask(StartRoll(rigs=tuple(rig.to_roll for rig in rigs)))
    return _done(request, reverse("rigs:stage", args=[rig_id, "roll"]))


@require_POST
def attempt(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Record a trial of a rig and go to it: it is cut by itself, and proved at once."""
    rig = get_object_or_404(Rig, pk=rig_id)
    refuse_unasked(rig)
    seconds = number_of(request.POST.get("seconds", "")) if request.POST.get("seconds") else TRIAL_S[2]
    length_s = Fraction(min(seconds, TRIAL_S[1] + 1) if seconds is not None else 0)
    done = client().ask(StartRoll(rigs=(rig.to_roll,), length_s=length_s, is_trial=True))
    return redirect("takes:take", take_id=done.takes[0])


@require_GET
def small(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Show a rig's state and the four actions alone, for a second screen or a phone's width."""
    return render(request, "roll/small.html", {"rig": get_object_or_404(Rig, pk=rig_id)})


@require_POST
def test_fields(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Begin a field test; its result comes with the live facts."""
    rig = get_object_or_404(Rig, pk=rig_id)
    client().ask(TestFields(rig_id=rig.pk, place=place_of(request)))
    return _done(request, reverse("rigs:stage", args=[rig.pk, "arrival"]))


@require_POST
def hold(request: HttpRequest) -> HttpResponse:
    """Hold takes, or carry on after a hold, as the form says."""
    takes = _takes(request)
    client().ask(CarryOn(takes=takes) if request.POST.get("carry_on") else Hold(takes=takes))
    return _done(request, _come_from(request))


@require_POST
def mark(request: HttpRequest) -> HttpResponse:
    """Note this moment."""
    label = request.POST.get("label", "").strip()
    client().ask(AddMark(takes=_takes(request), label=clean_name("Mark", label, MAX_LABEL) if label else ""))
    return _done(request, _come_from(request))


@require_POST
def cut(request: HttpRequest) -> HttpResponse:
    """End takes and go to them."""
    takes = client().ask(Cut(takes=_takes(request))).takes
    address = reverse("takes:take", args=takes) if len(takes) == 1 else reverse("takes:index")
    if getattr(request, "htmx", False):
        return HttpResponse(headers={"HX-Redirect": address})
    messages.success(request, "The take is on the shelf." if len(takes) == 1 else "The takes are on the shelf.")
    return redirect(address)


def _takes(request: HttpRequest) -> tuple[int, ...]:
    """Give the takes that a form names; raises RefusedError when it names none."""
    takes = numbers_of(request.POST.getlist("take"))
    if not takes:
        raise RefusedError("Nothing is rolling; the take was cut already.")
    return takes


@require_GET
def band(request: HttpRequest) -> HttpResponse:
    """Give the band anew, for when takes begin or end; `?rig=` is the page's own."""
    status, rig_id = glance(request), number_of(request.GET.get("rig", ""))
    live = live_facts(status, rig_status(status, rig_id) if rig_id is not None else None)
    return render(request, "roll/_band.html", {"rolls": live["rolls"], "live": live})


@require_GET
async def events(request: HttpRequest) -> StreamingHttpResponse:
    """Stream the status ten times a second, and keep the rig of `?rig=` open meanwhile; `?input=` is what is seen.

    With `?desk=1`, for meters, each status is given as it comes, with what is heard of all inputs.
    """
    rig_id = number_of(request.GET.get("rig", ""))
    return StreamingHttpResponse(
        _events(rig_id, place_of(request), desk=request.GET.get("desk") == "1"),
        content_type="text/event-stream",
        headers={"Cache-Control": "no-store"},
    )


@require_GET
async def picture(request: HttpRequest, rig_id: int) -> StreamingHttpResponse:
    """Stream a rig's framed picture as motion JPEG."""
    return StreamingHttpResponse(
        _pictures(rig_id),
        content_type=f"multipart/x-mixed-replace; boundary={BOUNDARY}",
        headers={"Cache-Control": "no-store"},
    )


@require_GET
async def sound(request: HttpRequest, rig_id: int, place: int | None = None) -> StreamingHttpResponse:
    """Stream what is heard of a rig: one input, or the mix of all that goes on a track."""
    what = MIX if place is None else str(place)
    return StreamingHttpResponse(
        _sounds(rig_id, what), content_type="application/octet-stream", headers={"Cache-Control": "no-store"}
    )


async def _events(rig_id: int | None, place: int, *, desk: bool) -> AsyncIterator[bytes]:
    """Give the status as it comes. The rig is kept open beside that, and let go when the page leaves."""
    lease = Lease(rig_id) if rig_id is not None else None
    keeping = asyncio.create_task(lease.keep()) if lease else None
    given_s = 0.0
    try:
        async for status in client().statuses(silence_ms=SILENCE_MS):
            if not desk and status is not None and time.monotonic() - given_s < SELDOM_S:
                continue
            given_s = time.monotonic()
            rig = rig_status(status, rig_id) if rig_id is not None else None
            facts = live_facts(status, rig, place, problem=lease.problem if lease else "", desk=desk)
            yield b"data: " + json.dumps(facts).encode() + b"\n\n"
    finally:
        if keeping is not None:
            keeping.cancel()


class Lease:
    """A page's hold on a rig. `problem` says why it can't be renewed just now, where the status does not say it."""

    def __init__(self, rig_id: int) -> None:
        self._rig_id, self._viewer = rig_id, uuid.uuid4().hex
        self.problem = ""

    async def keep(self) -> None:
        """Renew it until cancelled, whatever fails meanwhile; then say that this page has left."""
        try:
            while True:
                try:
                    await self._renew()
                    self.problem = ""
                except Exception as error:
                    if not isinstance(error, ReelError):  # what Reel raises is in the next status
                        self.problem = f"This rig can't be kept open just now ({error}). That is tried again by itself."
                        log.exception("Keeping rig %s open failed", self._rig_id)
                await asyncio.sleep(KEEP_OPEN_S)
        finally:
            with suppress(ReelError):
                leaving = Leave(rig_id=self._rig_id, viewer=self._viewer)
                await asyncio.shield(asyncio.to_thread(client().ask, leaving))

    async def _renew(self) -> None:
        rig = await Rig.objects.filter(pk=self._rig_id).afirst()
        if rig is not None and rig.is_asked:
            opening = replace(rig.opening, viewer=self._viewer)
            await asyncio.to_thread(client().ask, opening)


async def _pictures(rig_id: int) -> AsyncIterator[bytes]:
    yield f"--{BOUNDARY}\r\n".encode()
    async for picture in client().pictures(rig_id, silence_ms=SILENCE_MS):
        if picture is not None:
            yield _part(*picture)


async def _sounds(rig_id: int, what: str) -> AsyncIterator[bytes]:
    """Give blocks of 16-bit samples, each behind its length in bytes, its age in ms, its rate and channels (uint32)."""
    async for block in client().sounds(rig_id, what, silence_ms=SILENCE_MS):
        if block is not None:
            samples, at_ns, comes = block
            age_ms = max(0, time.monotonic_ns() - at_ns) // 1_000_000
            yield struct.pack("<4I", len(samples), age_ms, comes.rate_hz, comes.channels) + samples


def _part(jpeg: bytes, composed_ns: int) -> bytes:
    """Give one picture as a part of the stream, with the boundary after it: a browser shows it when it sees that."""
    head = f"Content-Type: image/jpeg\r\nReel-Composed-Ns: {composed_ns}\r\nContent-Length: {len(jpeg)}\r\n\r\n"
    return head.encode() + jpeg + f"\r\n--{BOUNDARY}\r\n".encode()


def _done(request: HttpRequest, address: str) -> HttpResponse:
    """Answer htmx with nothing, since the event stream shows what changed; send a plain form to a page."""
    return HttpResponse(status=204) if getattr(request, "htmx", False) else redirect(address)


def _come_from(request: HttpRequest) -> str:
    referrer = request.headers.get("Referer", "")
    ours = url_has_allowed_host_and_scheme(referrer, allowed_hosts={request.get_host()})
    return referrer if ours else reverse("rigs:index")
