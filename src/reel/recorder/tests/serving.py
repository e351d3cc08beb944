"""A recorder in a thread, asked over its sockets as the web asks it."""

import tempfile
import threading
import time
import unittest
from dataclasses import replace
from pathlib import Path

from reel.core.file import Recipe
from reel.core.frame import FrameSetup
from reel.core.line import DeviceKind, propose
from reel.core.signal import Mode
from reel.recorder.client import Client
from reel.recorder.messages import (
    Ask,
    Cut,
    Open,
    RigToRoll,
    StartRoll,
)  # fmt: skip
from reel.recorder.run_files import REQUESTS
from reel.recorder.service.server import serve
from reel.standins import Scenario

QUICK, SMALL = Recipe(effort="ultrafast"), FrameSetup(mode=Mode.parse("640x360p30"))
CONSOLE = replace(propose(DeviceKind.CONSOLE), recipe=QUICK, frame=SMALL)
# A small picture that is drawn and encoded with little work, and so is there at once.
LIGHT = replace(propose(DeviceKind.CAMERA, mode=Mode.parse("640x480p30")), recipe=QUICK, frame=SMALL)
PLAIN = Scenario()


class MemoryJournal:
    def __init__(self):
        self.takes, self.parts, self.marks, self.ends = [], [], [], {}

    def rolled(self, rolled):
        self.takes.append(rolled)
        return len(self.takes)

    def marked(self, take_id, mark):
        self.marks.append((take_id, mark))

    def part_began(self, take_id, part):
        self.parts.append((take_id, part))

    def closed(self, take_id, closed):
        self.ends[take_id] = closed


def to_roll(setup, rig_id=1, scenario=PLAIN):
    return RigToRoll(rig_id=rig_id, rig_name="Moss & Stone", setup=setup, scenarios=(scenario,))


class ServerTestCase(unittest.TestCase):
    """A recorder on a folder of its own, asked over its sockets."""

    tags = frozenset({"live"})
    rolled = CONSOLE

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder, self.journal, self.stop = Path(folder.name), MemoryJournal(), threading.Event()
        self.thread = threading.Thread(
            target=serve,
            kwargs={
                "run_folder": self.folder, "shelf": self.folder, "feeds": self.folder,
                "devices": self.folder / "devices", "journal": self.journal, "stop": self.stop,
            },
        )  # fmt: skip
        self.thread.start()
        self.addCleanup(self.end)
        self.client = Client(self.folder)
        deadline = time.monotonic() + 90
        while not (self.folder / REQUESTS).exists() and time.monotonic() < deadline:
            self.stop.wait(0.01)

    def end(self):
        self.stop.set()
        self.thread.join(15)
        self.assertFalse(self.thread.is_alive())

    def start_roll(self, setup=None, rig_id=1, scenario=PLAIN):
        return self.start_rolls(to_roll(setup or self.rolled, rig_id, scenario))[0]

    def start_rolls(self, *rigs):
        return self.client.ask(StartRoll(rigs=rigs)).takes

    def cut(self):
        """Cut all that rolls."""
        rolls = self.client.ask(Ask()).status.rolls
        return self.client.ask(Cut(takes=tuple(roll.take_id for roll in rolls))).takes

    def wait_seen(self, rig_id, setup):
        """Keep a rig open, as a page does, until its picture comes."""

        def is_seen(_):
            status = self.client.ask(Open(rig_id=rig_id, setup=setup, viewer="page")).status
            return [rig for rig in status.rigs if rig.rig_id == rig_id and rig.picture.watched.per_s]

        return self.wait_for(is_seen)

    def wait_for(self, is_so):
        deadline = time.monotonic() + 90
        while not is_so(status := self.client.ask(Ask()).status):
            self.assertLess(time.monotonic(), deadline, status)
            self.stop.wait(0.02)  # the recorder shares this interpreter: who asks without a pause holds it up
        return status
