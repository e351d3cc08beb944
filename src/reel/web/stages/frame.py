"""The Frame stage: pieces of the picture, arrangements, black bars; and undoing."""

from collections.abc import Callable
from dataclasses import replace

from django.conf import settings
from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404, redirect
from django.views.decorators.http import require_POST

from reel.core.errors import BadValueError, ReelError
from reel.core.frame import Caption, Clock, FrameSetup, Image, Overlay
from reel.core.frame import edit as pieces
from reel.core.line import LossKind, LossMessage, RigSetup, loss_message
from reel.core.media import Stroke, keep_image
from reel.core.media.overlay import MAX_IMAGE_BYTES
from reel.core.wire import from_json
from reel.recorder.messages import Arrange, Draw, FindBars, Pen, Toggle
from reel.web.live.recorder import client, glance
from reel.web.rigs.models import Rig
from reel.web.stages import edits
from reel.web.stages.edits import grouped_losses
from reel.web.stages.forms import FrameForm
from reel.web.stages.forms.frame import SIZES, shapes_of
from reel.web.stages.framing import FramePage, measured, piece_form, size_of, square_size
from reel.web.stages.page import RigPage, StagePage, answer
from reel.web.ui.forms import form_status, with_touched


def context(page: RigPage) -> dict[str, object]:
    """Return the pieces of the picture, what can be added, and what is lost here."""
    plan, comes, framing = page.plan, page.signal or page.expected, page.framing
    losses = next(stage.losses for stage in page.stages if stage.key == "frame")
    return {
        "framing": framing,
        "piece_form": piece_form(framing.piece),
        "others": [one for one in plan.inputs if one.has_picture],
        "is_squeezed": [group for group in grouped_losses(plan.picture, "arrival") if is_shape(group[0])],
        "goes_on": page.input.arrival.signal_of(comes) if comes else None,
        "framed": page.file_plan.signal,
        "file_plan": page.file_plan,
        "sizes": SIZES,
        "shapes": [
            (label, f"{size[0]}x{size[1]}", size == plan.frame.size) for label, size in shapes_of(plan.frame.size)
        ],
        "frame_losses": [loss_message(loss, plan.picture) for loss in losses],
    }


STAGE = StagePage(
    key="frame",
    context=context,
    form=lambda page, data: FrameForm(data, frame=page.plan.frame),
    store=lambda page, wanted: edits.set_frame(page.rig, wanted, page.status),
)


def is_shape(told_losses: list[LossMessage]) -> bool:
    """Return whether losses are of a picture that arrives squeezed."""
    return any(one.loss.kind is LossKind.SQUEEZED_SHAPE for one in told_losses)


@require_POST
def piece(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Change the chosen piece; what is refused stays as it was typed."""
    rig = get_object_or_404(Rig, pk=rig_id)
    page = FramePage.of(request, rig.plan)
    form = piece_form(page.piece, with_touched(piece_form(page.piece), request.POST))
    if form.is_valid():
        frame = pieces.set_piece(rig.plan.frame, page.arrangement, page.number, measured(form.value))
        edits.set_frame(rig, frame, glance(request))
    return _answer(request, rig, {"piece_form": form}, status=form_status(form))


@require_POST
def arrange(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Do one change to what is in the picture, as the button says."""
    rig = get_object_or_404(Rig, pk=rig_id)
    page = FramePage.of(request, rig.plan)
    edit = _EDITS.get(request.POST.get("do", ""))
    if edit is None:
        raise BadValueError("Change", request.POST.get("do", "")[:20], "it is one of " + ", ".join(_EDITS))
    edits.set_frame(rig, edit(rig.plan, page, request.POST), glance(request))
    return _answer(request, rig, chosen=_chosen_after(request.POST["do"], page))


@require_POST
def touches(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Have the device of the chosen piece mark touches in its picture, or no longer."""
    rig = get_object_or_404(Rig, pk=rig_id)
    page = FramePage.of(request, rig.plan)
    if page.touches is None:
        raise BadValueError("Touch marks", page.facts["name"], "a phone or a tablet draws them")
    place = rig.plan.index_of(page.piece.input)
    one = rig.plan.inputs[place]
    edits.set_device(rig, place, (one.device.set(touches=not page.touches), one.origin), glance(request))
    return _answer(request, rig)


@require_POST
def lay_over(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Lay a caption, a clock or an uploaded image over the chosen arrangement."""
    rig = get_object_or_404(Rig, pk=rig_id)
    page = FramePage.of(request, rig.plan)
    sent = request.FILES.get("image")
    if sent is not None:
        name, size = keep_image(sent.read(MAX_IMAGE_BYTES + 1), settings.HOME.images)
        title = "".join(letter for letter in str(sent.name)[:60] if letter.isprintable())
        overlay: Overlay = Image(name=name, title=title)
    else:
        wanted = request.POST.get("do", "")
        overlay = Clock() if wanted == "clock" else Caption(text=request.POST.get("text", "").strip() or "Words")
        size = size_of(overlay)
    edits.set_frame(rig, pieces.add_overlay(rig.plan.frame, page.arrangement, overlay, size), glance(request))
    return _answer(request, rig, chosen=_chosen_after("add", page))


@require_POST
def draw(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Draw on the live picture, or undo what was drawn: a stroke is sent as JSON."""
    does = request.POST.get("do", "add")
    if does not in set(Pen):
        raise BadValueError("Pen", does[:20], "it is one of " + ", ".join(Pen))
    stroke = from_json(request.POST.get("stroke", "").encode(), Stroke) if does == Pen.ADD else None
    client().ask(Draw(rig_id=rig_id, does=Pen(does), stroke=stroke))
    return HttpResponse(status=204)


@require_POST
def show(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Switch to an arrangement, live and on the page; while a take rolls it is a cut, and marked."""
    rig = get_object_or_404(Rig, pk=rig_id)
    page = FramePage.of(request, rig.plan)
    try:
        client().ask(Arrange(rig_id=rig.pk, place=page.arrangement))
    except ReelError:
        if glance(request) is not None and request.POST.get("stage") == "roll":
            raise
    if request.POST.get("stage") == "roll":
        return HttpResponse(status=204)
    return _answer(request, rig)


@require_POST
def toggle(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Show or hide the pictures that have a key, live and in what is recorded."""
    client().ask(Toggle(rig_id=rig_id, key=request.POST.get("key", "")[:1]))
    return _asked(request, rig_id)


@require_POST
def find_bars(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Look for black bars in what arrives; what is found comes with the live facts."""
    client().ask(FindBars(rig_id=rig_id))
    return _asked(request, rig_id)


@require_POST
def take_advice(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Frame the picture as was proposed."""
    rig = get_object_or_404(Rig, pk=rig_id)
    page = FramePage.of(request, rig.plan, glance(request), rig.pk)
    found = [one for one in page.proposals if one.advice.value == request.POST.get("advice")]
    if not found:
        raise BadValueError("Proposal", request.POST.get("advice", "")[:20], "it is no longer made; look again")
    edits.set_frame(rig, found[0].frame, glance(request))
    return _answer(request, rig)


def _add(plan: RigSetup, page: FramePage, post: QueryDict) -> FrameSetup:
    name = post.get("input", "")
    one = next((one for one in plan.inputs if one.name == name and one.has_picture), None)
    if one is None:
        raise BadValueError("Picture", name[:40], "no input of this rig has a picture and that name")
    given = "" if one is plan.picture else one.name
    return pieces.add_piece(plan.frame, page.arrangement, given, square_size(one))


def _beside(plan: RigSetup, page: FramePage, post: QueryDict) -> FrameSetup:
    sources = [("" if one is plan.picture else one.name, square_size(one)) for one in plan.inputs if one.has_picture]
    return pieces.side_by_side(plan.frame, page.arrangement, sources)


def _rename(plan: RigSetup, page: FramePage, post: QueryDict) -> FrameSetup:
    arrangement = pieces.arrangement_at(plan.frame, page.arrangement)
    return pieces.with_arrangement(
        plan.frame, page.arrangement, replace(arrangement, name=post.get("name", "").strip())
    )


def _other_eye(plan: RigSetup, page: FramePage, post: QueryDict) -> FrameSetup:
    if not page.has_two_eyes:
        raise BadValueError("Other eye", plan.picture.name, "it shows two eyes side by side; set that in Device")
    return pieces.add_other_eye(plan.frame, page.arrangement, page.source_size())


_EDITS: dict[str, Callable[[RigSetup, FramePage, QueryDict], FrameSetup]] = {
    "add": _add,
    "beside": _beside,
    "eye": _other_eye,
    "rename": _rename,
    "remove": lambda plan, page, post: pieces.remove_piece(plan.frame, page.arrangement, page.number),
    "up": lambda plan, page, post: pieces.move_piece(plan.frame, page.arrangement, page.number, 1),
    "down": lambda plan, page, post: pieces.move_piece(plan.frame, page.arrangement, page.number, -1),
    "keep": lambda plan, page, post: pieces.keep_arrangement(
        plan.frame, page.arrangement, post.get("name", "").strip() or f"Arrangement {len(plan.frame.arrangements) + 1}"
    ),
    "forget": lambda plan, page, post: pieces.remove_arrangement(plan.frame, page.arrangement),
}


def _chosen_after(edit: str, page: FramePage) -> str:
    """Return the query of what is looked at after an edit: what was added is topmost, what was moved goes along."""
    if edit == "keep":  # what is done next is done to the new one
        return f"arrangement={len(page.plan.frame.arrangements)}"
    topmost = len(page.arranged.pieces)
    number = {"add": topmost, "eye": topmost, "up": page.number + 1, "down": max(0, page.number - 1)}
    return f"arrangement={page.arrangement}&piece={number.get(edit, page.number)}"


def _asked(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Answer what only the recorder was asked for: the live facts bring what comes of it."""
    if getattr(request, "htmx", False):
        return HttpResponse(status=204)
    return redirect("stages:stage", rig_id=rig_id, stage="frame")


def _answer(
    request: HttpRequest, rig: Rig, more: dict[str, object] | None = None, status: int = 200, chosen: str = ""
) -> HttpResponse:
    """Answer a change, with what is `chosen` after it."""
    if chosen:
        request.GET = QueryDict(chosen)
    query = FramePage.of(request, rig.plan).query
    return answer(request, rig, STAGE, more, place=0, status=status, query=query)


@require_POST
def fit_frame(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Record the picture as it arrives."""
    rig = get_object_or_404(Rig, pk=rig_id)
    edits.fit_frame(rig, glance(request))
    return _answer(request, rig)
