"""Killing recorder, web and worker at random moments while a take rolls: what is lost, and whether any take is."""

import json
import os
import random
import re
import signal
import subprocess
import sys
import time
from collections.abc import Callable, Iterator
from dataclasses import replace
from pathlib import Path

import av

from benchmarks.stack import rig_setup, started
from reel.core.errors import ReelError
from reel.core.file import Container
from reel.core.line import RigSetup
from reel.recorder.client import Client
from reel.recorder.messages import Ask, Cut, Open, RigToRoll, StartRoll

# Containers of which a killed writer leaves what was written.
KILLED = (Container.MKV, Container.MP4, Container.TS)
# Each process by a word of its command line.
VICTIMS = ("recorder", "reel.web.server", "run_huey")
_PATIENCE_S = 60.0


def losses(kills: int) -> dict[str, float]:
    """Kill each process in turn, so many times in all, each second time with what was before the press.

    Gives the seconds lost with the recorder, by how much that is more than File says, and the takes lost.
    """
    lost_s: list[float] = []
    over_s: list[float] = []
    with started() as home:
        client, setup = Client(home / "run"), rig_setup(home)
        for number in range(kills):
            victim, container = VICTIMS[number % 3], KILLED[number // 3 % 3]
            before_s = 2 * (number // 3 % 2)
            lost, said = _kill_once(home, client, _in(setup, container, before_s), victim)
            if victim == "recorder":
                lost_s.append(lost)
                over_s.append(max(0.0, lost - said))
        missing = _takes_lost(home, kills)
    lost_s.sort()
    return {
        "kill_lost_median_s": lost_s[len(lost_s) // 2],
        "kill_lost_worst_s": lost_s[-1],
        "kill_over_said_s": max(over_s),
        "kill_takes_lost": missing,
    }


def _in(setup: RigSetup, container: Container, before_s: int) -> RigSetup:
    recipe, roll = replace(setup.recipe, container=container), replace(setup.roll, reach_back_s=before_s)
    return replace(setup, recipe=recipe, roll=roll)


def _kill_once(home: Path, client: Client, setup: RigSetup, victim: str) -> tuple[float, float]:
    """Roll, and kill; gives the seconds that were lost, and those that may be."""
    before = set((home / "shelf").iterdir())
    for _ in range(10):  # a page looks on for two seconds, in which something is kept
        _wait(lambda: client.ask(Open(rig_id=1, setup=setup, viewer="bench")))
        time.sleep(0.2)
    _wait(lambda: client.ask(StartRoll(rigs=(RigToRoll(rig_id=1, rig_name="bench", setup=setup),))))
    time.sleep(random.uniform(1.0, 4.0))  # noqa: S311 - not a secret
    roll = client.ask(Ask()).status.rolls[0]
    for process in _processes(home, victim):
        os.kill(process, signal.SIGKILL)
    if victim != "recorder":
        time.sleep(1)
        client.ask(Cut(takes=(roll.take_id,)))
        return 0.0, 0.0
    (rolling,) = (path for path in set((home / "shelf").iterdir()) - before if ".rolling" in path.name)
    return max(0.0, roll.length_s - _readable_s(rolling)), roll.crash_s or 0.0


def _processes(home: Path, word: str) -> Iterator[int]:
    """Give the processes of a home that have a word in their command line."""
    for folder in Path("/proc").glob("[0-9]*"):
        try:
            command = (folder / "cmdline").read_bytes().decode().split("\0")
            settings = (folder / "environ").read_bytes().decode(errors="replace").split("\0")
        except OSError:
            continue
        if f"REEL_HOME={home}" in settings and any(re.search(rf"\b{re.escape(word)}\b", part) for part in command[1:4]):
            yield int(folder.name)


def _wait(work: Callable[[], object]) -> None:
    """Try until it succeeds: what was killed is brought back meanwhile."""
    deadline_s = time.monotonic() + _PATIENCE_S
    while True:
        try:
            work()
        except ReelError:
            if time.monotonic() > deadline_s:
                raise
            time.sleep(0.1)
        else:
            return


def _takes_lost(home: Path, kills: int) -> float:
    """Count the takes that are not in the list, or whose file can't be read, once all were proved."""
    deadline_s = time.monotonic() + 2 * _PATIENCE_S
    while True:
        command = [sys.executable, "-m", "reel", "takes", "--json", "--home", str(home)]
        takes = json.loads(subprocess.run(command, capture_output=True, text=True, check=True).stdout)
        rolled = [take for take in takes if take["name"].startswith("bench")]
        proved = [take for take in rolled if take["length_s"] and take["state"] != "rolling"]
        if len(proved) >= kills or time.monotonic() > deadline_s:
            return float(kills - len(proved))
        time.sleep(1)


def _readable_s(path: Path) -> float:
    times: list[float] = []
    try:
        container = av.open(str(path))
    except (av.error.InvalidDataError, av.error.EOFError):
        return 0.0  # nothing of it was written yet
    with container:
        for packet in container.demux(video=0):
            try:
                times += [frame.time for frame in packet.decode() if frame.time is not None]
            except av.error.InvalidDataError:
                break
    return times[-1] - times[0] if times else 0.0
