"""One change of a rig at a time: each reads what the one before has stored, and sees what its page saw."""

import hashlib
import json
from collections.abc import Callable
from functools import wraps
from typing import Any

from django.db import transaction
from django.http import HttpRequest, HttpResponse

from reel.core.errors import ReelError
from reel.core.frame import Piece
from reel.core.line import RigSetup
from reel.recorder.messages import RefusedError
from reel.web.rigs.models import Rig

# What a page says that it saw, and what an answer says that is so now.
FIELD, HEADER = "rig_shape", "X-Rig-Shape"
View = Callable[..., HttpResponse]


def shape_of(plan: RigSetup) -> str:
    """Return what tells apart rigs whose inputs, pieces or tracks stand at other places in their lists."""
    pieces = [[_named(piece) for piece in arrangement.pieces] for arrangement in plan.frame.arrangements]
    shape = [[one.name for one in plan.inputs], pieces, len(plan.tracks)]
    return hashlib.sha256(json.dumps(shape).encode()).hexdigest()[:12]


def _named(piece: Piece) -> str:
    return piece.input if piece.overlay is None else type(piece.overlay).__name__


def serial(view: View) -> View:
    """Have a view that changes a rig run while no other does.

    A transaction is immediate: it holds the database's one write lock, so that what was read is what is changed. Where
    the page says what it saw, and inputs, pieces or tracks have others' places by now, it raises RefusedError.
    """

    @wraps(view)
    def alone(request: HttpRequest, rig_id: int, **more: Any) -> HttpResponse:
        if request.method != "POST":
            return view(request, rig_id=rig_id, **more)
        with transaction.atomic():
            _check(request, rig_id)
            response = view(request, rig_id=rig_id, **more)
        if (shape := _shape(rig_id)) is not None:
            response[HEADER] = shape
        return response

    return alone


def _shape(rig_id: int) -> str | None:
    """Return a rig's shape as it is stored; None for one that is gone or can't be read."""
    rig = Rig.objects.filter(pk=rig_id).first()
    try:
        return shape_of(rig.plan) if rig is not None else None
    except ReelError:
        return None


def _check(request: HttpRequest, rig_id: int) -> None:
    seen, now = request.POST.get(FIELD, ""), _shape(rig_id)
    if seen and now is not None and seen != now:
        raise RefusedError(
            "This rig was changed in another window meanwhile. Load the page again; nothing was changed."
        )
