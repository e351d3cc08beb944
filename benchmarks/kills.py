"""Killing the recorder at random moments: how much of what had been rolled can't be read afterwards."""

import os
import random
import signal
import subprocess
import sys
import tempfile
import time
from dataclasses import replace
from pathlib import Path

import av

from benchmarks.stack import rig_setup
from reel.core.file import Container
from reel.core.line import RigSetup
from reel.recorder.client import Client
from reel.recorder.messages import Ask, RigToRoll, StartRoll, UnreachableError

# Containers of which a killed writer leaves what was written.
KILLED = (Container.MKV, Container.MP4, Container.TS)


def losses(kills: int) -> list[float]:
    """Give for each kill the seconds that were lost, in turn of MKV and MP4."""
    with tempfile.TemporaryDirectory(prefix="reel-kills-") as folder:
        home = Path(folder)
        environment = os.environ | {"REEL_HOME": folder, "DJANGO_SETTINGS_MODULE": "reel.web.settings"}
        subprocess.run([sys.executable, "-m", "django", "prepare", "--demo"], env=environment, check=True)
        setup = rig_setup(home)
        return [_kill_once(home, environment, _in(setup, KILLED[n % len(KILLED)])) for n in range(kills)]


def _in(setup: RigSetup, container: Container) -> RigSetup:
    return replace(setup, recipe=replace(setup.recipe, container=container))


def _kill_once(home: Path, environment: dict[str, str], setup: RigSetup) -> float:
    recorder = subprocess.Popen([sys.executable, "-m", "django", "recorder"], env=environment)
    client = Client(home / "run")
    while True:
        try:
            client.ask(StartRoll(rigs=(RigToRoll(rig_id=1, rig_name="bench", setup=setup),)), timeout_ms=3000)
            break
        except UnreachableError:
            time.sleep(0.05)
    time.sleep(random.uniform(1.0, 5.0))  # noqa: S311 - not a secret
    (roll,) = client.ask(Ask()).status.rolls
    recorder.send_signal(signal.SIGKILL)
    recorder.wait()
    (path,) = (home / "shelf").glob("*.rolling.*")
    readable_s = _readable_s(path)
    path.unlink()
    return max(0.0, roll.length_s - readable_s)


def _readable_s(path: Path) -> float:
    times: list[float] = []
    with av.open(str(path)) as container:
        for packet in container.demux(video=0):
            try:
                times += [frame.time for frame in packet.decode() if frame.time is not None]
            except av.error.InvalidDataError:
                break
    return times[-1] - times[0] if times else 0.0
