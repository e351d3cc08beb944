"""What a person waits for, on a started Reel: roll click to first frame, picture to page, a long list."""

import json
import os
import re
import signal
import struct
import subprocess
import sys
import tempfile
import time
import urllib.parse
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from websockets.sync.client import connect

from reel.core.line import RigSetup
from reel.core.wire import from_plain
from reel.options import ROOT
from reel.recorder.client import Client
from reel.recorder.messages import Ask, Cut, Open, RigToRoll, StartRoll

PORT = 8147
TAKES = 10_000
_FILL = f"""
from django.utils import timezone
from reel.web.takes.models import Part, Take
first = Take.objects.first()
takes = Take.objects.bulk_create([Take(rig=first.rig, rig_name=first.rig_name, name=f'Take {{n}}', state='closed',
    started_at=timezone.now(), asked=first.asked) for n in range({TAKES})], batch_size=500)
Part.objects.bulk_create([Part(take=take, file_name=f't{{n}}.mkv', size_bytes=n, length_ms=n * 10)
    for n, take in enumerate(takes)], batch_size=500)
"""


@contextmanager
def started() -> Iterator[Path]:
    """Run a demo Reel; gives its home."""
    with tempfile.TemporaryDirectory(prefix="reel-bench-") as folder:
        environment = os.environ | {
            "REEL_HOME": folder,
            "DJANGO_SETTINGS_MODULE": "reel.web.settings",
            "REEL_MEASURE": "0",
            "REEL_DEMO_SHELF": "0",
        }
        command = [sys.executable, "-m", "reel", "demo", "--home", folder, "--port", str(PORT)]
        parent = subprocess.Popen(command, env=environment, cwd=ROOT, stdout=subprocess.PIPE, text=True)
        assert parent.stdout is not None
        for line in parent.stdout:
            if "ready at" in line:
                break
        try:
            yield Path(folder)
        finally:
            parent.send_signal(signal.SIGINT)
            parent.wait(15)


def measure() -> dict[str, float]:
    """Give seconds for each of the waits."""
    with started() as home:
        client, setup = Client(home / "run"), rig_setup(home)
        client.ask(Open(rig_id=1, setup=setup))
        time.sleep(1.5)
        return {
            "roll_to_first_frame_s": _roll_to_first_frame(client, setup),
            "picture_to_page_s": _picture_to_page(client, setup),
            "path_change_s": _path_change(),
            "takes_page_s": _page("takes/", 5),
            f"takes_page_{TAKES}_s": _long_list(home),
        }


def rig_setup(home: Path) -> RigSetup:
    """Give the setup of a demo home's console."""
    command = [sys.executable, "-m", "reel", "rigs", "--json", "--home", str(home)]
    rigs = json.loads(subprocess.run(command, capture_output=True, text=True, check=True).stdout)
    return next(from_plain(rig["setup"], RigSetup) for rig in rigs if rig["id"] == 1)


def _roll_to_first_frame(client: Client, setup: RigSetup) -> float:
    waits = []
    for _ in range(5):
        started = time.perf_counter()
        client.ask(StartRoll(rigs=(RigToRoll(rig_id=1, rig_name="bench", setup=setup),)))
        while not ((rolls := client.ask(Ask()).status.rolls) and rolls[0].length_s > 0):
            time.sleep(0.002)
        waits.append(time.perf_counter() - started)
        client.ask(Cut(takes=(rolls[0].take_id,)))
    return sorted(waits)[2]


def _picture_to_page(client: Client, setup: RigSetup) -> float:
    """Give the median time from a picture's composing in the recorder to its last byte in the page's WebSocket."""
    client.ask(Open(rig_id=1, setup=setup))
    delays: list[float] = []
    with connect(f"ws://127.0.0.1:{PORT}/live/?rig=1") as page:
        while len(delays) < 60:
            message = page.recv(timeout=10)
            if isinstance(message, bytes) and message[:1] == b"P":
                (composed_ns,) = struct.unpack_from("<Q", message, 1)
                delays.append((time.monotonic_ns() - composed_ns) / 1e9)
    return sorted(delays)[len(delays) // 2]


def _path_change() -> float:
    """Give the median time from a change of a hop on the Path page to the last byte of its answer, line and all.

    Each change makes a line that was not walked before.
    """
    with urllib.request.urlopen(f"http://127.0.0.1:{PORT}/rigs/3/path/", timeout=10) as response:
        cookie = response.headers["Set-Cookie"].partition(";")[0]
        token = re.search(rb'name="csrfmiddlewaretoken" value="(\w+)"', response.read())
    assert token is not None
    waits = []
    models = (
        ("hdmi-2.0", "hdmi-2.1", "hdmi-1.4"),
        ("hdmi-stick", "hdmi-scaler", "hdmi-box"),
        ("usb-3-gen-2", "usb-3", "usb-2"),
    )
    for number in range(18):
        place = number % 3
        fields = {"do": "swap", "place": str(place), "model": models[place][number // 3 % 3]}
        data = urllib.parse.urlencode(fields | {"csrfmiddlewaretoken": token[1].decode()}).encode()
        headers = {"HX-Request": "true", "Cookie": cookie, "Referer": f"http://127.0.0.1:{PORT}/"}
        request = urllib.request.Request(f"http://127.0.0.1:{PORT}/rigs/3/change/", data, headers)
        started = time.perf_counter()
        urllib.request.urlopen(request, timeout=10).read()  # noqa: S310  # our own address
        waits.append(time.perf_counter() - started)
    return sorted(waits)[len(waits) // 2]


def _page(path: str, times: int) -> float:
    waits = []
    for _ in range(times):
        started = time.perf_counter()
        urllib.request.urlopen(f"http://127.0.0.1:{PORT}/{path}", timeout=30).read()
        waits.append(time.perf_counter() - started)
    return sorted(waits)[times // 2]


def _long_list(home: Path) -> float:
    environment = os.environ | {"REEL_HOME": str(home), "DJANGO_SETTINGS_MODULE": "reel.web.settings"}
    subprocess.run([sys.executable, "-m", "django", "shell", "-v", "0", "-c", _FILL], env=environment, check=True)
    return _page("takes/", 5)
