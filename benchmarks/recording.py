"""The recorder on the virtual clock against a bare encoder loop, same settings and frames; the stand-in's share."""

import tempfile
import time
from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from functools import partial
from pathlib import Path

import av

from reel.core.file import Recipe
from reel.core.frame import FrameSetup
from reel.core.line import Connector, Console, InputSetup, RigSetup, Simulated, file_plan
from reel.core.media import JpegEncoder, PartWriter, Shelf
from reel.core.signal import NS, Mode, Picture
from reel.core.sound import TrackSetup
from reel.recorder.clock import VirtualClock
from reel.recorder.recording.encoder_queue import EncoderQueue
from reel.recorder.recording.parts import Parts
from reel.recorder.rig.source import Source
from reel.recorder.virtual import AHEAD, ROOM, record
from reel.standins import Assembled, Scenario, assemble

SECONDS = 6
MODE = Mode.parse("1280x720p30")
# as it is drawn and as it is recorded, so that neither loop converts anything; by HDMI it could not be sent so
DEVICE = Console(mode=MODE, pixels="yuv420p", out=Connector.COMPONENT)
CONSOLE = InputSetup(name="Console", device=DEVICE, origin=Simulated(device="Console"))
SETUP = RigSetup(inputs=(CONSOLE,), frame=FrameSetup(mode=MODE), recipe=Recipe())


def _console(start_ns: int) -> Assembled:
    """Switch the console on, with nothing between it and the recorder."""
    return assemble(CONSOLE, Scenario(), start_ns=start_ns)


def standin_share() -> float:
    """Give the part of a core that the console needs at 1280×720 at 30, sound included."""
    console = _console(0)
    while console.read(console.due_ns() or 0) is None or (console.due_ns() or 0) < NS // 10:
        pass  # what is drawn and sounded once for all is there before the clock starts
    used, started = time.process_time, time.process_time()
    while (due_ns := console.due_ns() or 0) <= SECONDS * NS:
        console.read(due_ns)
    return (used() - started) / SECONDS


def recorder_against_bare_loop() -> float:
    """Give the recorder's processor time for a take, divided by that of a plain loop that reads and encodes alike."""
    with tempfile.TemporaryDirectory() as folder:
        shelf = Shelf(Path(folder))
        bare, whole = [], []
        for _ in range(6):  # the least of each: others use the machine too
            bare.append(_bare(Path(folder) / "bare.mkv"))
            started = time.process_time()
            record(SETUP, _console, shelf, rig_name="bench", rolled_s=[(0, SECONDS)])
            whole.append(time.process_time() - started)
        return min(whole) / min(bare)


def _bare(path: Path) -> float:
    started = time.process_time()
    console = _console(0)
    with PartWriter(path, file_plan(SETUP)) as writer:
        while (due_ns := console.due_ns() or 0) < SECONDS * NS:
            item = console.read(due_ns)
            if isinstance(item, Picture):
                writer.write_picture(item.frame, int(Fraction(item.at_ns, NS) * MODE.rate + Fraction(1, 2)))
            elif item is not None:
                writer.write_samples(0, item.data)
    return time.process_time() - started


def throughput_against_bare_loop() -> float:
    """Give how fast a whole take is made on the virtual clock, against a plain loop: two tracks, a page looking on.

    Both encode H.264 veryfast with two tracks; the take's page gets ten pictures a second as JPEG, and its meters.
    """
    sound = replace(CONSOLE.sound, tracks=(1, 2))
    setup = RigSetup(
        inputs=(replace(CONSOLE, sound=sound),),
        frame=FrameSetup(mode=MODE),
        tracks=(TrackSetup(name="one"), TrackSetup(name="two")),
        recipe=Recipe(effort="veryfast"),
    )
    with tempfile.TemporaryDirectory() as folder:
        bare, whole = [], []
        for _ in range(5):  # the least of each: others use the machine too
            bare.append(_timed(partial(_bare_two, setup, Path(folder) / "bare.mp4")))
            whole.append(_timed(partial(_watched, setup, Path(folder))))
        return min(bare) / min(whole)


def _timed(work: Callable[[], None]) -> float:
    started = time.perf_counter()
    work()
    return time.perf_counter() - started


def _bare_two(setup: RigSetup, path: Path) -> None:
    console = _console(0)
    with PartWriter(path, file_plan(setup)) as writer:
        while (due_ns := console.due_ns() or 0) < SECONDS * NS:
            item = console.read(due_ns)
            if isinstance(item, Picture):
                writer.write_picture(item.frame, int(Fraction(item.at_ns, NS) * MODE.rate + Fraction(1, 2)))
            elif item is not None:
                for track in (0, 1):
                    writer.write_samples(track, item.data)


def _watched(setup: RigSetup, folder: Path) -> None:
    """Record with somebody looking on, as the recorder's process does it."""
    clock, jpeg, shown = VirtualClock(), JpegEncoder(960), [0]

    def wanted() -> bool:
        if clock.now_ns() - shown[0] < NS // 10:
            return False
        shown[0] = clock.now_ns()
        return True

    def show(frame: av.VideoFrame) -> None:
        jpeg.encode(frame)

    source = Source(setup, (_console,), clock, wanted=wanted, watched=lambda: True, show=show)
    source.run_until(-1)
    plan = source.plan()
    parts = Parts(
        EncoderQueue(PartWriter(folder / "take.mp4", plan), closed=lambda error: None, limit=ROOM + AHEAD), plan
    )
    release = clock.settle_with(partial(parts.settle, ROOM))
    parts.start()
    source.begin(source.make_session(parts))
    source.run_until(SECONDS * NS)
    source.cut(clock.now_ns())
    source.run_until(clock.now_ns() + 2 * NS)
    release()
    parts.wait()
    source.close()
