"""Runs the recorder process."""

import signal
import threading

from django.conf import settings
from django.core.management.base import BaseCommand

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
        home = settings.HOME
        recover_interrupted()
        serve(
            run_folder=home.run,
            shelf=home.shelf,
            feeds=home.feeds,
            devices=home.devices,
            journal=DatabaseJournal(),
            stop=stop,
            reserve_bytes=settings.RESERVE_BYTES,
        )
