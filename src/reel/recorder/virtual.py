"""Recording without waiting: a whole take on the virtual clock."""

from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from reel.core.file import Recipe
from reel.core.line import RigSetup
from reel.core.measure import Counts
from reel.core.media import PartWriter, Shelf
from reel.core.signal import NS
from reel.recorder.clock import VirtualClock
from reel.recorder.lane import Lane
from reel.recorder.roll import MarkedMoment, Roll
from reel.recorder.source import Opener, Source


@dataclass(frozen=True, slots=True, kw_only=True)
class VirtualTake:
    """What was recorded: the file, what was counted, the marks."""

    path: Path
    counts: Counts
    marks: tuple[MarkedMoment, ...]


def record(
    setup: RigSetup,
    opener: Opener,
    shelf: Shelf,
    *,
    rig_name: str,
    rolled_s: Iterable[tuple[float, float]],
    marks_s: Iterable[tuple[float, str]] = (),
    clock: VirtualClock | None = None,
) -> VirtualTake:
    """Open a rig at 0 s and record the stretches `rolled_s` (from, to) into one take, holding in between.

    `marks_s` are (second, label) inside a stretch. Raises what the input, the shelf and the writer raise.
    """
    clock = clock or VirtualClock()
    recipe = setup.recipe
    source = Source(setup, opener, clock)
    source.run_until(-1)  # opens it, and reads nothing yet
    if source.error is not None:
        raise source.error
    reserved = shelf.reserve(recipe.name_pattern, rig=rig_name, date=clock.wall().date(), container=recipe.container)
    try:
        roll = _record(source, recipe, reserved.rolling, clock, rolled_s, sorted(marks_s))
    except BaseException:
        shelf.discard(reserved)
        raise
    finally:
        source.close()
    return VirtualTake(path=shelf.complete(reserved), counts=roll.counts, marks=tuple(roll.marks))


def _record(
    source: Source,
    recipe: Recipe,
    path: Path,
    clock: VirtualClock,
    rolled_s: Iterable[tuple[float, float]],
    marks: list[tuple[float, str]],
) -> Roll:
    """Write the stretches to `path`; the file is closed on return. Raises what the writer raised."""
    sound = source.reading.sound
    lane = Lane(PartWriter(path, recipe, sound), closed=lambda error: None)
    release = clock.settle_with(lane.settle)
    lane.start()
    roll = Roll(lane, recipe.tick_rate, sound, filled=not recipe.as_it_comes)
    try:
        _roll_stretches(source, roll, clock, rolled_s, marks)
    finally:
        source.cut(clock.now_ns())
        source.run_until(clock.now_ns() + NS)
        release()
        lane.ended.wait()
    if lane.error is not None:
        raise lane.error
    return roll


def _roll_stretches(
    source: Source,
    roll: Roll,
    clock: VirtualClock,
    rolled_s: Iterable[tuple[float, float]],
    marks: list[tuple[float, str]],
) -> None:
    """Record each stretch, and hold after it; `marks` are in the order of time."""
    for number, (start_s, end_s) in enumerate(rolled_s):
        source.run_until(round(start_s * NS) - 1)  # the picture of that very moment belongs to the take
        if number:
            source.carry_on()
        else:
            source.begin(roll)
        while marks and marks[0][0] <= end_s:
            moment_s, label = marks.pop(0)
            source.run_until(round(moment_s * NS))
            roll.mark(label)
        source.run_until(round(end_s * NS) - 1)
        source.hold(clock.now_ns())
        source.run_until(clock.now_ns() + NS // 20)  # the sound of the last frame is still on its way
