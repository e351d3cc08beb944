"""The Sound stage: strips, tracks, and what inputs a rig has."""

from dataclasses import replace

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

from reel.core.errors import BadValueError
from reel.core.line import DeviceKind, RigSetup, Simulated, propose_input
from reel.core.sound import MAX_TRACKS
from reel.recorder.messages import TestSync
from reel.web.live.recorder import client, glance
from reel.web.rigs.models import Rig
from reel.web.stages import edits
from reel.web.stages.forms import StripForm, TracksForm
from reel.web.stages.page import INPUT_KINDS, RigPage, StagePage, answer, input_place, meters
from reel.web.stages.patch import draw_patch, tracks_shown
from reel.web.ui.forms import with_touched
from reel.web.ui.typed import free_name


def context(page: RigPage) -> dict[str, object]:
    """Return the strip of each input, and the tracks."""
    plan = page.plan
    rows = [
        {
            "place": place,
            "one": one,
            "form": StripForm(sound=one.sound),
            "sound": page.lives[place].sound if page.lives else None,
            "is_live": bool(page.lives),
        }
        for place, one in enumerate(plan.inputs)
    ]
    mixed = [number for number in range(1, len(plan.tracks) + 1) if _sources_of(plan, number) > 1]
    kinds, shown = {one.device.kind for one in plan.inputs}, tracks_shown(plan)
    seen = [place for place, one in enumerate(plan.inputs) if one.device.kind is DeviceKind.CAMERA] or [0]
    return {
        "strips": rows,
        "seen_by": [(place, plan.inputs[place].name) for place in seen],
        "synced": [row for row in rows if row["place"] in seen or not plan.inputs[int(str(row["place"]))].has_picture],
        "patch": draw_patch(plan),
        "track_numbers": range(1, (MAX_TRACKS if shown == 1 else shown) + 1),
        "track_rows": [
            (number, _track_name(plan, number), _sources_of(plan, number)) for number in range(1, shown + 1)
        ],
        "tracks_form": TracksForm(tracks=plan.tracks, mix_first=plan.mix_first),
        "mixed": mixed,
        "wants_microphone": DeviceKind.MICROPHONE not in kinds,
        **meters(page),
    }


STAGE = StagePage(key="sound", context=context)


def _sources_of(plan: RigSetup, number: int) -> int:
    return sum(number in one.sound.tracks for one in plan.inputs)


def _track_name(plan: RigSetup, number: int) -> str:
    return plan.tracks[number - 1].name if number <= len(plan.tracks) else ""


@require_POST
def strip(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Change how an input's sound is treated and where it goes; what is refused stays as it was typed."""
    rig = get_object_or_404(Rig, pk=rig_id)
    place = input_place(request, rig)
    sound = rig.plan.inputs[place].sound
    form = StripForm(with_touched(StripForm(sound=sound), request.POST), sound=sound)
    if not form.is_valid():
        return _answer(request, rig, {"refused": form, "refused_place": place}, status=422)
    edits.set_sound(rig, place, form.value, glance(request))
    return _answer(request, rig)


@require_POST
def tracks(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Name the tracks, take one out that nothing goes to, or put a mix of all before them."""
    rig = get_object_or_404(Rig, pk=rig_id)
    plan = rig.plan
    gone = request.POST.get("remove", "")
    if gone:
        edits.remove_track(rig, int(gone) if gone.isdecimal() and len(gone) < 3 else 0, glance(request))
        return _answer(request, rig)
    stored = TracksForm(tracks=plan.tracks, mix_first=plan.mix_first)
    form = TracksForm(with_touched(stored, request.POST), tracks=plan.tracks, mix_first=plan.mix_first)
    if not form.is_valid():
        return _answer(request, rig, {"tracks_form": form}, status=422)
    named, mix_first = form.value
    edits.set_tracks(rig, named, mix_first=mix_first, status=glance(request))
    return _answer(request, rig)


@require_POST
def add_input(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Add an input of a kind, with the best path that there is for it."""
    rig = get_object_or_404(Rig, pk=rig_id)
    asked = request.POST.get("kind", "")
    if asked not in INPUT_KINDS:
        raise BadValueError("Input", asked[:20], "it is one of " + ", ".join(INPUT_KINDS))
    kind = DeviceKind(asked)
    one = propose_input(kind)
    used = [other.origin.device for other in rig.plan.inputs if isinstance(other.origin, Simulated)]
    label = free_name(kind.label, used)
    if isinstance(one.origin, Simulated):
        one = replace(one, name=label, origin=replace(one.origin, device=label))
    edits.add_input(rig, one, glance(request))
    return _back(request, rig)


@require_POST
def remove_input(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Take an input out of a rig."""
    rig = get_object_or_404(Rig, pk=rig_id)
    edits.remove_input(rig, input_place(request, rig), glance(request))
    return _back(request, rig)


@require_POST
def rename_input(request: HttpRequest, rig_id: int) -> HttpResponse:
    rig = get_object_or_404(Rig, pk=rig_id)
    edits.rename_input(rig, input_place(request, rig), request.POST.get("name", ""), glance(request))
    return _back(request, rig)


@require_POST
def balance(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Set the game's level so that the voice is easy to follow, as measured just now."""
    rig = get_object_or_404(Rig, pk=rig_id)
    edits.balance(rig, glance(request))
    return _answer(request, rig)


@require_POST
def test_sync(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Begin a sync test on the picture of an input; what it finds comes with the page's events."""
    rig = get_object_or_404(Rig, pk=rig_id)
    client().ask(TestSync(rig_id=rig.pk, place=input_place(request, rig)))
    return HttpResponse(status=204) if getattr(request, "htmx", False) else _back(request, rig)


@require_POST
def sync(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Delay one input as the sync test measured, or all that it measured."""
    rig = get_object_or_404(Rig, pk=rig_id)
    edits.sync(rig, [input_place(request, rig)] if "input" in request.GET else None, glance(request))
    return _answer(request, rig)


def _back(request: HttpRequest, rig: Rig) -> HttpResponse:
    stage = request.POST.get("stage", "")
    return redirect("stages:stage", rig_id=rig.pk, stage=stage if stage in ("frame", "device") else "sound")


def _answer(request: HttpRequest, rig: Rig, more: dict[str, object] | None = None, status: int = 200) -> HttpResponse:
    return answer(request, rig, STAGE, more, place=0, status=status)
