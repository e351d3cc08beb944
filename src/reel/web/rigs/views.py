"""The list of rigs, a new one, and what is done with a whole rig."""

from dataclasses import replace

from django.contrib import messages
from django.db.models import Count, OuterRef, Subquery
from django.db.models.functions import Coalesce
from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from reel.core.errors import ReelError
from reel.core.line import DeviceKind, line_stages, loss_message, propose_with, signal_chain, strands, word
from reel.recorder.messages import Status
from reel.web.live.recorder import glance, rig_status
from reel.web.recipes.actions import default_recipe
from reel.web.rigs import actions
from reel.web.rigs.drawing import draw_line, lives_of
from reel.web.rigs.forms import NewRigForm
from reel.web.rigs.models import Rig
from reel.web.takes.models import Part, Take
from reel.web.ui.exchange import give_file, take_file
from reel.web.ui.forms import form_status

# A rig is shown by the newest picture among so many of its takes.
PICTURED_OF = 50


@require_GET
def index(request: HttpRequest) -> HttpResponse:
    """List the rigs, each with its picture, its line in short and its state."""
    status = glance(request)
    newest = Take.objects.filter(rig=OuterRef(OuterRef("pk"))).order_by("-started_at", "-pk").values("pk")[:PICTURED_OF]
    shown = Part.objects.filter(number=1, playable=True, take__in=newest).order_by("-take__started_at", "-take_id")
    counted = (
        Take.objects.filter(rig=OuterRef("pk")).order_by().values("rig").annotate(count=Count("pk")).values("count")
    )
    rigs = Rig.objects.annotate(take_count=Coalesce(Subquery(counted), 0), pictured=Subquery(shown.values("take")[:1]))
    return render(request, "rigs/index.html", {"rows": [_row(rig, status) for rig in rigs], "room": "rigs"})


def _row(rig: Rig, status: Status | None) -> dict[str, object]:
    """Return a rig's row; one that can't be read is shown as such."""
    live = rig_status(status, rig.pk)
    try:
        plan = rig.plan
    except ReelError as error:
        return {"rig": rig, "kind": "can't be read", "state": "unreadable", "problem": str(error)}
    lives = lives_of(plan, live)
    stages = line_stages(plan, lives)
    block = signal_chain(plan.picture).signal_path.block
    rolling = bool(status and status.roll_of(rig_id=rig.pk))
    if rolling:
        state = "rolling"
    elif block is not None:
        state = f"blocked: {word(block)}"
    elif live is not None and live.picture.signal is not None:
        state = "signal present"
    else:
        state = "open" if live else "closed"
    line = draw_line(stages, strands(plan, lives), "")
    words = [word(loss) for stage in stages[:3] for loss in stage.losses][:2]
    return {
        "words": words,
        "rig": rig,
        "line": line,
        "kind": plan.picture.device.kind.label,
        "state": state,
        "rolling": rolling,
    }


@require_http_methods(["GET", "POST"])
def new(request: HttpRequest) -> HttpResponse:
    """Make a rig and go to its first stage."""
    form = NewRigForm(request.POST or None, initial={"kind": DeviceKind.CONSOLE.value})
    if request.method == "POST" and form.is_valid():
        try:
            plan = form.value
            rig = actions.make_rig(form.cleaned_data["name"], replace(plan, recipe=default_recipe() or plan.recipe))
        except ReelError as error:
            form.add_error("name", str(error))
        else:
            return redirect("stages:stage", rig_id=rig.pk, stage="device")
    context = {"form": form, "room": "rigs", **_proposed(form)}
    return render(request, "rigs/new.html", context, status=form_status(form))


@require_GET
def proposal(request: HttpRequest) -> HttpResponse:
    """Show what would be made of what is chosen so far."""
    form = NewRigForm(request.GET)
    return render(request, "rigs/_proposal.html", {"form": form, **_proposed(form)})


def _proposed(form: NewRigForm) -> dict[str, object]:
    """Return the line that is proposed, or why there is none."""
    if form.is_feed:
        return {"plan": None}
    try:
        plan = propose_with(form.chosen_kind, form.at_hand or None)
    except ReelError as error:
        return {"plan": None, "problem": str(error)}
    walked = signal_chain(plan.picture)
    losses = [loss_message(loss, plan.picture) for loss in walked.signal_path.losses]
    return {"plan": plan, "input": plan.picture, "chain": walked, "losses": losses}


@require_POST
def duplicate(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Make a second rig of one."""
    copy = actions.duplicate(get_object_or_404(Rig, pk=rig_id))
    messages.success(request, f"{copy.name} is set like the first one.")
    return redirect("rigs:index")


@require_POST
def allow(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Let an imported rig connect to its address."""
    rig = get_object_or_404(Rig, pk=rig_id)
    actions.allow_feed(rig)
    return redirect("stages:stage", rig_id=rig.pk, stage="device")


@require_http_methods(["GET", "POST"])
def rename(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Rename a rig; a refused name stays in the field."""
    rig = get_object_or_404(Rig, pk=rig_id)
    before, typed, problem = rig.name, request.POST.get("name", rig.name), ""
    if request.method == "POST":
        try:
            actions.rename(rig, typed, glance(request))
        except ReelError as error:
            problem = str(error)
        else:
            messages.success(request, f"{before} is called {rig.name} now.")
            return redirect("rigs:index")
    context = {"room": "rigs", "renamed": rig, "typed": typed, "problem": problem}
    return render(request, "rigs/rename.html", context, status=422 if problem else 200)


@require_http_methods(["GET", "POST"])
def delete(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Ask, then delete a rig; its takes stay."""
    rig = get_object_or_404(Rig.objects.annotate(take_count=Count("takes")), pk=rig_id)
    if request.method == "POST":
        actions.delete(rig, glance(request))
        messages.success(request, f"{rig.name} is deleted; its takes stay on the shelf.")
        return redirect("rigs:index")
    return render(request, "rigs/delete.html", {"doomed": rig, "room": "rigs"})


@require_GET
def export(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Return a rig as a file."""
    rig = get_object_or_404(Rig, pk=rig_id)
    return give_file(rig.name, "rig", actions.export_rig(rig))


@require_POST
def import_rig(request: HttpRequest) -> HttpResponse:
    """Make a rig of a file; a bad one is refused with the line and the reason."""
    rig = take_file(request, actions.import_rig)
    return redirect("rigs:index") if rig is None else redirect("stages:stage", rig_id=rig.pk, stage="device")
