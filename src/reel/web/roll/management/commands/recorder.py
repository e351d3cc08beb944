"""Runs the recorder process."""

import signal
import threading

from django.conf import settings
from django.core.management.base import BaseCommand

from reel.core.memory import keep_loaded
from reel.recorder.service.checkpoints import read_reached
from reel.recorder.service.lock import only_recorder
from reel.recorder.service.server import serve
from reel.web.roll.here import places
from reel.web.roll.journal import DatabaseJournal
from reel.web.takes.actions import look_for_left, recover_interrupted


class Command(BaseCommand):
    """Owns the signals and writes takes until it is told to end; then it cuts what rolls."""

    help = "Run the recorder: it reads the open rigs' inputs and writes takes."

    def handle(self, *args: object, **options: object) -> None:
        stop = threading.Event()
        for number in (signal.SIGTERM, signal.SIGINT):
            signal.signal(number, lambda *_: stop.set())
        keep_loaded()
        with only_recorder(settings.HOME.run):
            recover_interrupted(read_reached(settings.HOME.run))
            look_for_left()
            serve(**places(), journal=DatabaseJournal(), stop=stop)
