"""The Path stage: changing a path hop by hop, and mending what is lost."""

from collections.abc import Callable

from django.http import HttpRequest, HttpResponse, QueryDict
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_POST

from reel.core.errors import BadValueError
from reel.core.line import FELT_MS, HOPS, HopKind, label_of
from reel.core.line.edit import Path, add_hop, alternatives, move_hop, remove_hop, swap_hop
from reel.web.live.recorder import glance
from reel.web.rigs.models import Rig
from reel.web.stages import edits
from reel.web.stages.edits import grouped_losses
from reel.web.stages.page import RigPage, StagePage, answer, input_place, sent_and_received


def context(page: RigPage) -> dict[str, object]:
    """Return the rows of the path's table, what can be added, the losses with their remedies, and advice."""
    one, planned = page.input, page.planned
    way = planned.signal_path
    rows = [
        {
            "place": place,
            "setup": step.setup,
            "hop": step.setup.hop,
            "others": [(key, label_of(HOPS[key])) for key in alternatives(step.setup.model)],
            "passes": step.passes,
            "harms": step.losses,
        }
        for place, step in enumerate(way.steps)
    ]
    kinds = {kind: [(hop.key, label_of(hop)) for hop in HOPS.values() if hop.kind is kind] for kind in HopKind}
    late = planned.carried.latency_ms if planned.carried else 0
    return {
        "hop_rows": rows,
        "end_place": len(rows),
        "addable": [(kind.value.capitalize(), hops) for kind, hops in kinds.items()],
        "groups": grouped_losses(one),
        "latency_ms": late,
        "felt_ms": FELT_MS if late > FELT_MS else 0,
        "can_watch": any(getattr(setup.hop, "has_pass_through", False) for setup in one.path),
        "splits": any(setup.hop.kind is HopKind.SPLITTER for setup in one.path),
        **sent_and_received(page),
    }


STAGE = StagePage(key="path", context=context)


_MAX_PLACE = 99


@require_POST
def change(request: HttpRequest, rig_id: int) -> HttpResponse:
    """Do one change to the path: add, remove, up, down, swap or option, as the button or field says."""
    rig = get_object_or_404(Rig, pk=rig_id)
    edit = _EDITS.get(request.POST.get("do", ""))
    if edit is None:
        raise BadValueError("Change", request.POST.get("do", ""), "it is one of " + ", ".join(_EDITS))
    place = input_place(request, rig)
    edits.set_path(rig, place, edit(rig.plan.inputs[place].path, request.POST), glance(request))
    return answer(request, rig, STAGE)


def _place(post: QueryDict) -> int:
    typed = post.get("place", "")
    if not typed.isdecimal() or int(typed[:4]) > _MAX_PLACE:
        raise BadValueError("Hop", typed, "it is a place in the path")
    return int(typed)


_EDITS: dict[str, Callable[[Path, QueryDict], Path]] = {
    "add": lambda path, post: add_hop(path, _place(post), post.get("model", "")),
    "remove": lambda path, post: remove_hop(path, _place(post)),
    "up": lambda path, post: move_hop(path, _place(post), -1),
    "down": lambda path, post: move_hop(path, _place(post), 1),
    "swap": lambda path, post: swap_hop(path, _place(post), post.get("model", "")),
}
