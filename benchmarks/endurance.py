"""What takes its time: ten minutes live with a page open, hours on the virtual clock in parts, two rigs at once."""

import multiprocessing
import tempfile
import threading
import time
from contextlib import suppress
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
from websockets.exceptions import ConnectionClosed
from websockets.sync.client import connect

from benchmarks.stack import PORT, rig_setup, started
from reel.core.file import ConstantQuality, Recipe
from reel.core.frame import FrameSetup
from reel.core.line import DeviceKind, InputSetup, MediaFile, RigSetup, propose
from reel.core.line.devices import Feed
from reel.core.media import Shelf, probe
from reel.core.signal import Mode
from reel.core.sound import SoundSetup, TrackSetup
from reel.recorder.client import Client
from reel.recorder.messages import Ask, Cut, RigToRoll, StartRoll
from reel.recorder.virtual import record
from reel.standins.plain import opener

_LEAST = Mode.parse("64x64p24")


def live(minutes: float) -> dict[str, float]:
    """Roll 720p30 live, H.264 with two tracks, with a page open: frames lost, and how the recorder's memory grows."""
    with started() as home:
        client, setup = Client(home / "run"), rig_setup(home)
        sound = replace(setup.picture.sound, tracks=(1, 2))
        setup = replace(
            setup.with_input(0, replace(setup.picture, sound=sound)),
            tracks=(TrackSetup(name="game"), TrackSetup(name="again")),
        )
        stop = threading.Event()
        threading.Thread(target=_look, args=(stop,), daemon=True).start()
        time.sleep(3)
        (take,) = client.ask(StartRoll(rigs=(RigToRoll(rig_id=1, rig_name="bench", setup=setup),))).takes
        time.sleep(60)
        early, counts = _memory(home), client.ask(Ask()).status.rolls[0].counts
        while client.ask(Ask()).status.rolls[0].length_s < minutes * 60:
            time.sleep(1)
            counts = client.ask(Ask()).status.rolls[0].counts
        late = _memory(home)
        client.ask(Cut(takes=(take,)))
        stop.set()
        return {"live_lost": float(counts.lost), "live_memory_growth_mb": (late - early) / 1e6}


def _look(stop: threading.Event) -> None:
    """Take what a page takes."""
    with suppress(OSError, ConnectionClosed), connect(f"ws://127.0.0.1:{PORT}/live/?rig=1") as page:
        while not stop.is_set():
            page.recv()


def _memory(home: Path) -> int:
    """Give the resident bytes of a home's recorder."""
    from benchmarks.kills import _processes

    (process,) = _processes(home, "recorder")
    lines = Path(f"/proc/{process}/status").read_text().splitlines()
    return int(next(line for line in lines if line.startswith("VmRSS")).split()[1]) * 1024


def bursts(seconds: float) -> dict[str, float]:
    """Roll 720p30 live with a page open while other work takes 60 % of both cores for 3 s of every 10: frames lost."""
    with started() as home:
        client, setup = Client(home / "run"), rig_setup(home)
        stop = threading.Event()
        threading.Thread(target=_look, args=(stop,), daemon=True).start()
        time.sleep(3)
        (take,) = client.ask(StartRoll(rigs=(RigToRoll(rig_id=1, rig_name="bench", setup=setup),))).takes
        others = [multiprocessing.Process(target=_burst, args=(seconds,), daemon=True) for _ in range(2)]
        for other in others:
            other.start()
        most = 0
        while client.ask(Ask()).status.rolls[0].length_s < seconds:
            most = max(most, client.ask(Ask()).status.rolls[0].queue)
            time.sleep(0.2)
        counts = client.ask(Ask()).status.rolls[0].counts
        client.ask(Cut(takes=(take,)))
        stop.set()
        for other in others:
            other.terminate()
        return {"burst_lost": float(counts.lost), "burst_queue_most": float(most)}


def _burst(seconds: float) -> None:
    """Take 60 % of a core for 3 s of every 10, in slices of 10 ms."""
    began = time.perf_counter()
    while (passed := time.perf_counter() - began) < seconds:
        until = time.perf_counter() + (0.006 if passed % 10 < 3 else 0.0)
        while time.perf_counter() < until:
            pass
        time.sleep(0.004 if passed % 10 < 3 else 0.1)


def _grey(number: int) -> int:
    return 16 + number * 7 % 200


def hours(length_h: float) -> dict[str, float]:
    """Record hours on the virtual clock in parts of half an hour: frames that are missing, doubled or out of step.

    Each picture shows its number in a grey of its own, of 200 that follow each other, so that a frame that is lost or
    doubled between two parts is seen.
    """
    recipe = Recipe(effort="ultrafast", rate=ConstantQuality(quality=4), part_minutes=30)
    sound = SoundSetup(tracks=(1, 2))
    one = InputSetup(name="Feed", device=Feed(), origin=MediaFile(name="a.mp4"), sound=sound)
    tracks = (TrackSetup(name="game"), TrackSetup(name="again"))
    setup = RigSetup(inputs=(one,), frame=FrameSetup(mode=_LEAST), tracks=tracks, recipe=recipe)
    seconds = round(length_h * 3600)
    with tempfile.TemporaryDirectory() as folder:
        takes = record(
            setup,
            opener(mode=_LEAST, hz=440, grey=_grey, block=4800),
            Shelf(Path(folder)),
            rig_name="bench",
            rolled_s=[(0, seconds)],
        )
        number = wrong = 0
        apart = Fraction(0)
        for part in takes.parts:
            facts = probe(part.path)
            assert facts.video is not None
            apart = max(apart, *(abs(track.length_s - facts.video.length_s) for track in facts.sound))
            with av.open(str(part.path)) as container:
                for frame in container.decode(video=0):
                    wrong += round(float(frame.to_ndarray()[:64].mean())) != _grey(number)
                    number += 1
    return {
        "hours_parts": float(len(takes.parts)),
        "hours_frames_off": float(abs(number - seconds * 24)),
        "hours_frames_wrong": float(wrong),
        "hours_sound_off_frames": float(apart * 24),
    }


def pair(seconds: float) -> dict[str, float]:
    """Roll two rigs of 960×540 at 30 at once: frames lost, and how far apart they begin, in frames."""
    frame = FrameSetup(mode=Mode.parse("960x540p30"))
    recipe = Recipe(effort="ultrafast")
    setups = [
        replace(propose(kind, have, Mode.parse("1280x720p30")), frame=frame, recipe=recipe)
        for kind, have in ((DeviceKind.CONSOLE, {"hdmi-box"}), (DeviceKind.CAMERA, set()))
    ]
    with started() as home:
        client = Client(home / "run")
        rigs = tuple(
            RigToRoll(rig_id=place, rig_name=f"bench {place}", setup=setup)
            for place, setup in enumerate(setups, start=1)
        )
        takes = client.ask(StartRoll(rigs=rigs)).takes
        time.sleep(seconds)
        counts = [roll.counts for roll in client.ask(Ask()).status.rolls]
        client.ask(Cut(takes=takes))
    late = [one.began_late_ms or 0.0 for one in counts]
    return {
        "pair_lost": float(sum(one.lost for one in counts)),
        "pair_apart_frames": (max(late) - min(late)) * 30 / 1000,
    }
