"""The recorder as the web process reaches it."""

from contextlib import suppress

from django.conf import settings
from django.http import HttpRequest

from reel.core.errors import ReelError
from reel.recorder.client import Client
from reel.recorder.messages import Ask, Open, RigStatus, Status

GLANCE_MS = 1000


def client() -> Client:
    """Return a client of this home's recorder."""
    return Client(settings.HOME.run)


def glance(request: HttpRequest) -> Status | None:
    """Return the recorder's status, asked once a request; None when it does not answer at once, or can't be understood.

    Where a page has failed nobody is asked: what failed may be just that.
    """
    if not hasattr(request, "_recorder_status"):
        status: Status | None = None
        if not hasattr(request, "has_failed"):
            with suppress(ReelError):
                status = client().ask(Ask(), timeout_ms=GLANCE_MS).status
        request._recorder_status = status  # type: ignore[attr-defined]  # a cache for one request
    return request._recorder_status  # type: ignore[attr-defined,no-any-return]


def place_of(request: HttpRequest) -> int:
    """Return which of a rig's inputs a page is about, by its address: `?input=1` is the second."""
    asked = request.GET.get("input", "")
    return int(asked) if asked.isdecimal() and len(asked) < 3 else 0


def show_at_once(request: HttpRequest, opening: Open) -> None:
    """Have an open rig take up what was just changed, without waiting for its page to ask again.

    The next glance is a new one: what arrived before may be of a device that is set otherwise now.
    """
    if rig_status(glance(request), opening.rig_id) is not None:
        with suppress(ReelError):  # then the page asks, in a moment
            client().ask(opening, timeout_ms=GLANCE_MS)
        del request._recorder_status  # type: ignore[attr-defined]  # glance has set it


def rig_status(status: Status | None, rig_id: int) -> RigStatus | None:
    """Return what is said of one rig; None while it is closed."""
    return next((rig for rig in status.rigs if rig.rig_id == rig_id), None) if status else None
