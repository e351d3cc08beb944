"""Runs the recorder process."""

import signal
import threading
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand

from reel.core.media import Materials
from reel.options import FONTS
from reel.recorder.lock import only_recorder
from reel.recorder.reached import read_reached
from reel.recorder.server import serve
from reel.web.roll.journal import DatabaseJournal
from reel.web.takes.actions import recover_interrupted


class Command(BaseCommand):
    """Owns the signals and writes takes until it is told to end; then it cuts what rolls."""

    help = "Run the recorder: it reads the open rigs' inputs and writes takes."

    def handle(self, *args: object, **options: object) -> None:
        """Serve until SIGTERM or SIGINT."""
        stop = threading.Event()
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, lambda *_: stop.set())
        with only_recorder(settings.HOME.run):
            recover_interrupted(read_reached(settings.HOME.run))
            serve(**places(), journal=DatabaseJournal(), stop=stop)


def places() -> dict[str, Any]:
    """Give what a recorder of this home is told of its folders."""
    home = settings.HOME
    return {
        "run_folder": home.run,
        "shelf": home.shelf,
        "feeds": home.feeds,
        "devices": home.devices,
        "materials": Materials(fonts=FONTS, images=home.images),
        "reserve_bytes": settings.RESERVE_BYTES,
    }
