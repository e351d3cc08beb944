"""The recorder for a command: the one that runs, or one of its own meanwhile."""

import threading
import time
from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from typing import Any

from django.conf import settings

from reel.core.media import OverlayAssets
from reel.options import FONTS
from reel.recorder.messages import Ask, UnreachableError
from reel.recorder.service.checkpoints import read_reached
from reel.recorder.service.lock import AlreadyRunningError, only_recorder
from reel.recorder.service.server import serve
from reel.web.live.recorder import client
from reel.web.roll.journal import DatabaseJournal
from reel.web.takes.actions import recover_interrupted

START_S = 20.0


def places() -> dict[str, Any]:
    """Return what a recorder of this home is told of its folders."""
    home = settings.HOME
    return {
        "run_folder": home.run,
        "shelf": home.shelf,
        "feeds": home.feeds,
        "devices": home.devices,
        "assets": OverlayAssets(fonts=FONTS, images=home.images),
        "reserve_bytes": settings.RESERVE_BYTES,
        "queue_bytes": settings.WAITING_BYTES,
    }


@contextmanager
def recorder_here() -> Iterator[bool]:
    """Use the running recorder, or run one in this process meanwhile; returns whether it is our own."""
    with ExitStack() as stack:
        try:
            stack.enter_context(only_recorder(settings.HOME.run))
        except AlreadyRunningError:
            _await_start()  # it may be starting, or busy
            yield False
            return
        recover_interrupted(read_reached(settings.HOME.run))
        stop = threading.Event()
        work = {**places(), "journal": DatabaseJournal(), "stop": stop}
        thread = threading.Thread(target=serve, kwargs=work, name="recorder")
        thread.start()
        try:
            _await_start()
            yield True
        finally:
            stop.set()
            thread.join()


def _await_start() -> None:
    deadline_s = time.monotonic() + START_S
    while True:
        try:
            client().ask(Ask(), timeout_ms=500)
        except UnreachableError:
            if time.monotonic() > deadline_s:
                raise
            threading.Event().wait(0.05)
        else:
            return
