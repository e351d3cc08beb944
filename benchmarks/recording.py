"""The recorder on the virtual clock against a bare encoder loop, same settings and frames; the stand-in's share."""

import tempfile
import time
from fractions import Fraction
from pathlib import Path

from reel.core.file import Recipe
from reel.core.line import Connector, Console, Plugged, RigSetup
from reel.core.media import PartWriter, Shelf
from reel.core.signal import NS, Mode, Picture, SoundFormat
from reel.recorder.virtual import record
from reel.standins import Assembled, Play, assemble

SECONDS = 6
MODE = Mode.parse("1280x720p30")
# as it is drawn and as it is recorded, so that neither loop converts anything; by HDMI it could not be sent so
DEVICE = Console(mode=MODE, pixels="yuv420p", out=Connector.COMPONENT)
SETUP = RigSetup(device=DEVICE, origin=Plugged(device="Console"), recipe=Recipe(frame=MODE))


def _console(start_ns: int) -> Assembled:
    """Switch the console on, with nothing between it and the recorder."""
    return assemble(SETUP, Play(), start_ns=start_ns)


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
    """Give the recorder's time for a take divided by that of reading and encoding the same frames in a plain loop."""
    with tempfile.TemporaryDirectory() as folder:
        shelf = Shelf(Path(folder))
        bare, whole = [], []
        for _ in range(3):
            bare.append(_bare(Path(folder) / "bare.mkv"))
            started = time.perf_counter()
            record(SETUP, _console, shelf, rig_name="bench", rolled_s=[(0, SECONDS)])
            whole.append(time.perf_counter() - started)
        return min(whole) / min(bare)


def _bare(path: Path) -> float:
    started = time.perf_counter()
    console = _console(0)
    position = 0
    with PartWriter(path, SETUP.recipe, SoundFormat()) as writer:
        while (due_ns := console.due_ns() or 0) < SECONDS * NS:
            item = console.read(due_ns)
            if isinstance(item, Picture):
                writer.write_picture(item.frame, int(Fraction(item.at_ns, NS) * MODE.rate + Fraction(1, 2)))
            elif item is not None:
                writer.write_samples(item.data, position)
                position += item.data.shape[1]
    return time.perf_counter() - started
