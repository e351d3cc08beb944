"""Rolling, holding, marking and cutting."""

from fractions import Fraction

from django.contrib import messages
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.urls import reverse
from django.utils.http import url_has_allowed_host_and_scheme
from django.views.decorators.http import require_GET, require_POST

from reel.core.roll import TRIAL_S
from reel.recorder.messages import MAX_LABEL, AddMark, Cut, Pause, RefusedError, Resume, StartRoll, TestFields
from reel.web.live.facts import live_facts
from reel.web.live.recorder import client, glance, place_of, rig_status
from reel.web.rigs.actions import refuse_slow_drive, refuse_unasked
from reel.web.rigs.models import Rig
from reel.web.stages.costs import cost_of
from reel.web.ui.typed import clean_name, number_of, numbers_of


@require_POST
def start(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Roll a rig, and at the same instant those that are named `with` it; the page stays where it is."""
    asked = [rig_id, *numbers_of(request.POST.getlist("with"))]
    rigs = [get_object_or_404(Rig, pk=one) for one in dict.fromkeys(asked)]
    for rig in rigs:
        refuse_unasked(rig)
        refuse_slow_drive(rig, cost_of(rig))
    client().ask(StartRoll(rigs=tuple(rig.to_roll for rig in rigs)))
    return _done(request, reverse("stages:stage", args=[rig_id, "roll"]))


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
    return _done(request, reverse("stages:stage", args=[rig.pk, "arrival"]))


@require_POST
def hold(request: HttpRequest) -> HttpResponse:
    """Hold takes, or carry on after a hold, as the form says."""
    takes = _takes(request)
    client().ask(Resume(takes=takes) if request.POST.get("carry_on") else Pause(takes=takes))
    return _done(request, _come_from(request))


@require_POST
def mark(request: HttpRequest) -> HttpResponse:
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
    """Return the takes that a form names; raises RefusedError when it names none."""
    takes = numbers_of(request.POST.getlist("take"))
    if not takes:
        raise RefusedError("Nothing is rolling; the take was cut already.")
    return takes


@require_GET
def band(request: HttpRequest) -> HttpResponse:
    """Return the band anew, for when takes begin or end; `?rig=` is the page's own."""
    status, rig_id = glance(request), number_of(request.GET.get("rig", ""))
    live = live_facts(status, rig_status(status, rig_id) if rig_id is not None else None)
    return render(request, "roll/_band.html", {"rolls": live["rolls"], "live": live})


def _done(request: HttpRequest, address: str) -> HttpResponse:
    """Answer htmx with nothing, since the live facts show what changed; send a plain form to a page."""
    return HttpResponse(status=204) if getattr(request, "htmx", False) else redirect(address)


def _come_from(request: HttpRequest) -> str:
    referrer = request.headers.get("Referer", "")
    ours = url_has_allowed_host_and_scheme(referrer, allowed_hosts={request.get_host()})
    return referrer if ours else reverse("rigs:index")
