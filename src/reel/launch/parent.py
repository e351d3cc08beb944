"""The parent: starts web, recorder and worker, watches them, brings back what died, and ends them."""

import ctypes
import fcntl
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass, field
from pathlib import Path

from reel.launch.prepared import StartError, django, prepare
from reel.options import Home
from reel.recorder.run_files import CLOSING, REQUESTS

WATCH_S = 0.2
# A computer that is busy, or slow, may take its time; one that is idle is up in two seconds.
READY_S = 120.0
END_S = 4.0
# While the recorder still closes files it is given more time, as long as it says so; its word holds for so long.
CLOSING_S = 5.0
# A child that dies is started again after these pauses; one that has lived for STEADY_S counts as healthy.
PAUSES_S = (0.2, 0.5, 1.0, 3.0, 10.0)
STEADY_S = 30.0
_PR_SET_PDEATHSIG = 1  # prctl(2), Linux


@dataclass(slots=True)
class Child:
    """One process and how often it died lately."""

    name: str
    command: list[str]
    log: Path
    process: subprocess.Popen[bytes] | None = None
    started_s: float = 0.0
    deaths: int = 0
    due_s: float = field(default=0.0)

    def start(self) -> None:
        """Start it in a session of its own, its output in its log; it ends when the parent is gone."""
        with self.log.open("ab") as log:
            self.process = subprocess.Popen(
                self.command, stdin=subprocess.DEVNULL, stdout=log, stderr=log, start_new_session=True,
                preexec_fn=_die_with_parent,
            )  # fmt: skip
        self.started_s = time.monotonic()

    def look(self, now_s: float) -> str | None:
        """Bring it back when it died; returns a sentence when something happened."""
        if self.process is None:
            if now_s >= self.due_s:
                self.start()
            return None
        code = self.process.poll()
        if code is None:
            return None
        self.deaths = 0 if now_s - self.started_s > STEADY_S else self.deaths
        pause = PAUSES_S[min(self.deaths, len(PAUSES_S) - 1)]
        self.deaths += 1
        self.process, self.due_s = None, now_s + pause
        how = f"signal {-code}" if code < 0 else f"status {code}"
        return f"the {self.name} process ended ({how}); starting it again. Its log is {self.log}"

    def end(self) -> None:
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()

    def reap(self, deadline_s: float, is_busy: Callable[[], bool] = lambda: False) -> None:
        """Wait for its end until the deadline, or as long as it `is_busy`; then kill it and what it left behind."""
        if self.process is None:
            return
        while self.process.poll() is None and (time.monotonic() < deadline_s or is_busy()):
            with suppress(subprocess.TimeoutExpired):
                self.process.wait(WATCH_S)
        if self.process.poll() is None:
            os.killpg(self.process.pid, signal.SIGKILL)
            self.process.wait()


def run(home: Home, port: int, *, demo: bool) -> int:
    """Run Reel until SIGINT or SIGTERM; raises StartError."""
    home.make()
    stop = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: stop.set())
    with _locked(home):
        _check_port(port)
        os.environ["DJANGO_SETTINGS_MODULE"] = "reel.web.settings"
        prepare(home, demo=demo)
        _watch(_children(home, port), home, port, stop)
    return 0


def _watch(children: list[Child], home: Home, port: int, stop: threading.Event) -> None:
    try:
        for child in children:
            child.start()
        ready_by_s, announced = time.monotonic() + READY_S, False
        while not stop.wait(WATCH_S):
            for child in children:
                if (event := child.look(time.monotonic())) is not None:
                    _say(event)
            if not announced and _is_ready(home, port):
                announced = True
                _say(f"ready at http://127.0.0.1:{port}  (home {home.root}; Ctrl-C ends it)")
            if not announced and time.monotonic() > ready_by_s:
                raise StartError(f"Reel did not come up within {READY_S:.0f} s; the logs in {home.logs} say why.")
    finally:
        _end(children, home.run / CLOSING)


def _end(children: list[Child], closing: Path) -> None:
    """End all children at once: the web goes, the recorder cuts what rolls and closes its files, however long it takes.

    `closing` is what it writes meanwhile. A signal that comes again ends it at once.
    """
    at_once = threading.Event()
    for number in (signal.SIGINT, signal.SIGTERM):
        signal.signal(number, lambda *_: at_once.set())
    deadline_s, said = time.monotonic() + END_S, ""

    def is_closing() -> bool:
        nonlocal said
        with suppress(OSError):
            is_new = time.time() - closing.stat().st_mtime < CLOSING_S
            if is_new and (names := closing.read_text()) != said:
                said = names
                _say(f"closing {names}; Ctrl-C again ends it at once, and leaves the rest to the next start")
            return is_new and not at_once.is_set()
        return False

    for child in children:
        child.end()
    for child in children:
        child.reap(deadline_s, is_closing if child.name == "recorder" else lambda: False)


def _children(home: Home, port: int) -> list[Child]:
    web = [sys.executable, "-m", "reel.web.server", str(port)]
    commands = {"recorder": django("recorder"), "worker": django("run_huey", "--quiet"), "web": web}
    return [Child(name, command, home.logs / f"{name}.log") for name, command in commands.items()]


@contextmanager
def _locked(home: Home) -> Iterator[None]:
    """Hold the home's lock: one Reel per home."""
    with (home.run / "lock").open("w") as file:
        try:
            fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise StartError(f"Another Reel is using {home.root}; end it first, or choose another --home.") from None
        yield


def _check_port(port: int) -> None:
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", port))
        except OSError as error:
            raise StartError(f"Port {port} can't be used ({error.strerror}); choose another with --port.") from error


def _is_ready(home: Home, port: int) -> bool:
    if not (home.run / REQUESTS).exists():
        return False
    with socket.socket() as probe:
        return probe.connect_ex(("127.0.0.1", port)) == 0


def _die_with_parent() -> None:
    ctypes.CDLL(None).prctl(_PR_SET_PDEATHSIG, signal.SIGTERM)


def _say(text: str) -> None:
    print(f"reel: {text}", flush=True)
