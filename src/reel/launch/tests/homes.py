"""Real homes and real processes for the tests of survival."""

import atexit
import contextlib
import json
import os
import shutil
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
import unittest
from dataclasses import replace
from pathlib import Path

from reel.core.file import Recipe
from reel.core.frame import FrameSetup
from reel.core.line import DeviceKind, propose
from reel.core.signal import Mode
from reel.options import ROOT, Home
from reel.recorder.client import Client
from reel.recorder.messages import Ask, Cut, RigToRoll, StartRoll, UnreachableError

FRAME = Mode.parse("640x360p30")
# The camera's small picture is drawn and encoded with little work, and so is there at once.
SETUP = replace(
    propose(DeviceKind.CAMERA, mode=Mode.parse("640x480p30")),
    frame=FrameSetup(mode=FRAME),
    recipe=Recipe(effort="ultrafast"),
)
# Runs each command, as a process of its own would, and tells how it ended.
_EACH = """
import contextlib, io, json, sys
from reel.launch.cli import main
told = []
for arguments in json.loads(sys.argv[1]):
    out, errors = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(errors):
        try:
            code = main(arguments)
        except SystemExit as end:
            code = end.code
    if isinstance(code, str):
        code = print(code, file=errors) or 1
    told.append((code or 0, out.getvalue(), errors.getvalue()))
print(json.dumps(told))
"""
_PREPARE = """
from reel.launch.prepared import prepare
from reel.options import Home
prepare(Home.from_environment(), demo=True)
"""
_template: Path | None = None


def demo_home() -> Path:
    """Return a demo home that was prepared once for the run; to be copied, not used."""
    global _template
    if _template is None:
        folder = Path(tempfile.mkdtemp(prefix="reel-template-"))
        atexit.register(shutil.rmtree, folder, ignore_errors=True)
        _template = folder
        run(folder, "-c", _PREPARE, REEL_MEASURE="0", REEL_DEMO_SHELF="0")
    return _template


def environment(home: Path, **more: str) -> dict[str, str]:
    kept = {key: value for key, value in os.environ.items() if not key.startswith("REEL_")}
    ours = {"REEL_HOME": str(home), "PYTHONPATH": str(ROOT / "src"), "DJANGO_SETTINGS_MODULE": "reel.web.settings"}
    return kept | ours | more


def run(home: Path, *arguments: str, code: int = 0, **more: str) -> subprocess.CompletedProcess[str]:
    done = subprocess.run(
        [sys.executable, *arguments], env=environment(home, **more), capture_output=True, text=True, timeout=900
    )
    if done.returncode != code:
        raise AssertionError(f"{arguments} gave {done.returncode}: {done.stdout}{done.stderr}")
    return done


def run_each(home: Path, *commands: tuple[str, ...]) -> list[tuple[int, str, str]]:
    """Run commands of `reel` one after another in one process; returns the code, output and errors of each."""
    return json.loads(run(home, "-c", _EACH, json.dumps(commands)).stdout)


class HomeTestCase(unittest.TestCase):
    """A demo home of its own for each test, and processes on it that are ended with it."""

    tags = frozenset({"live"})

    def setUp(self):
        folder = tempfile.TemporaryDirectory(prefix="reel-home-")
        self.addCleanup(folder.cleanup)
        self.home = Path(folder.name) / "home"
        shutil.copytree(demo_home(), self.home)
        Home(self.home).make()
        self.client = Client(self.home / "run")

    def start(self, *arguments, **more):
        log = self.home / "logs" / "test.log"
        with log.open("ab") as output:
            process = subprocess.Popen(
                [sys.executable, *arguments], env=environment(self.home, **more), stdout=output, stderr=output,
                stdin=subprocess.DEVNULL, start_new_session=True,
            )  # fmt: skip
        self.addCleanup(self.end, process)
        return process

    def start_recorder(self, **more):
        process = self.start("-m", "django", "recorder", **more)
        self.wait_for(self.answers, "the recorder")
        return process

    def answers(self):
        try:
            return self.client.ask(Ask(), timeout_ms=300).status
        except UnreachableError:
            return None

    def start_roll(self, setup=SETUP):
        return self.client.ask(StartRoll(rigs=(RigToRoll(rig_id=1, rig_name="Moss & Stone", setup=setup),))).takes[0]

    def cut(self):
        """Cut all that rolls."""
        rolls = self.client.ask(Ask()).status.rolls
        return self.client.ask(Cut(takes=tuple(roll.take_id for roll in rolls))).takes

    def wait_for(self, is_so, what, within_s=240):
        deadline = time.monotonic() + within_s
        while not (found := is_so()):
            self.assertLess(time.monotonic(), deadline, what)
            time.sleep(0.02)
        return found

    def roll_is_long(self, seconds):
        def is_so():
            status = self.answers()
            return status and status.rolls and status.rolls[0].length_s >= seconds and status.rolls[0]

        return is_so

    @staticmethod
    def end(process, number=signal.SIGTERM):
        if process.poll() is None:
            process.send_signal(number)
        try:
            process.wait(10)
        except subprocess.TimeoutExpired:
            os.killpg(process.pid, signal.SIGKILL)
            process.wait()

    def stored(self, query, *values):
        """Return the first value that a query of the home's database gives: for states that are waited for."""
        with contextlib.closing(sqlite3.connect(f"file:{Home(self.home).database}?mode=ro", uri=True)) as database:
            return database.execute(query, values).fetchone()[0]

    def takes(self):
        """Return what `reel takes` says, which starts a process."""
        return json.loads(run(self.home, "-m", "reel", "takes", "--json").stdout)
