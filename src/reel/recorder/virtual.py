"""Recording without waiting: a whole take on the virtual clock."""

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from functools import partial
from pathlib import Path

from reel.core.file import FilePlan
from reel.core.line import RigSetup
from reel.core.measure import Counts
from reel.core.media import PartWriter, Reserved, Shelf
from reel.core.roll import MarkedMoment
from reel.core.signal import NS
from reel.recorder.clock import VirtualClock
from reel.recorder.inputs.reader import Opener
from reel.recorder.journal import ClosedPart
from reel.recorder.recording.encoder_queue import EncoderQueue
from reel.recorder.recording.part_file import PartFile
from reel.recorder.recording.parts import Parts
from reel.recorder.recording.session import RecordingSession, SessionState
from reel.recorder.rig.source import Source

# So many pictures may wait to be encoded while time moves: the encoder works beside what draws. As many more have room.
AHEAD, ROOM = 8, 30

Deed = Callable[[Source], object]


@dataclass(frozen=True, slots=True, kw_only=True)
class VirtualTake:
    """What was recorded: the files, what each was to hold, what was counted, the marks."""

    parts: tuple[ClosedPart, ...]
    plan: FilePlan
    counts: Counts
    marks: tuple[MarkedMoment, ...]

    @property
    def path(self) -> Path:
        """The first file."""
        return self.parts[0].path


def record(
    setup: RigSetup,
    openers: Opener | Sequence[Opener],
    shelf: Shelf,
    *,
    rig_name: str,
    rolled_s: Iterable[tuple[float, float]],
    marks_s: Iterable[tuple[float, str]] = (),
    does_s: Iterable[tuple[float, Deed]] = (),
    begins_s: float | None = None,
    clock: VirtualClock | None = None,
) -> VirtualTake:
    """Open a rig's inputs at 0 s and record the stretches `rolled_s` (from, to) into one take, holding in between.

    `openers` open the inputs in their order; one alone opens the only one. `marks_s` are (second, label) inside a
    stretch, `does_s` (second, what is done to the source then). `begins_s` is the second at which other takes begin
    too. Raises what the inputs, the shelf and the writer raise.
    """
    clock = clock or VirtualClock()
    recipe = setup.recipe
    source = Source(setup, (openers,) if callable(openers) else openers, clock)
    source.run_until(-1)  # opens it, and reads nothing yet
    if source.error is not None:
        raise source.error
    reserved = shelf.reserve(recipe.name_pattern, source.plan().named(rig_name, clock.wall()), recipe.suffix)
    files = [PartFile(shelf, reserved, source.plan(), PartWriter)]
    try:
        files[0].open()
        session = _record(source, shelf, reserved, files, clock, begins_s, rolled_s, _in_order(marks_s, does_s))
        for file in files:
            if (problem := file.complete()) is not None:
                raise problem
    except BaseException:
        for file in files:
            file.discard()
        raise
    finally:
        source.close()
    parts = tuple(
        ClosedPart(
            path=file.path,
            first_tick=file.first_tick,
            counts=replace(session.counts_of(file.number), written=file.facts),
        )
        for file in files
    )
    return VirtualTake(parts=parts, plan=source.plan(), counts=session.counts, marks=tuple(session.marks))


def _in_order(marks_s: Iterable[tuple[float, str]], does_s: Iterable[tuple[float, Deed]]) -> list[tuple[float, Deed]]:
    marks = [(second, lambda source, label=label: source.mark(label)) for second, label in marks_s]
    return sorted([*marks, *does_s], key=lambda one: one[0])


def _record(
    source: Source,
    shelf: Shelf,
    reserved: Reserved,
    files: list[PartFile[PartWriter]],
    clock: VirtualClock,
    begins_s: float | None,
    rolled_s: Iterable[tuple[float, float]],
    deeds: list[tuple[float, Deed]],
) -> RecordingSession:
    """Write the stretches to `files`, to which later parts are added; all are closed on return.

    Raises what a writer raised.
    """
    plan = source.plan()

    def queue_of(file: PartFile[PartWriter]) -> EncoderQueue:
        return EncoderQueue(file, closed=lambda error: None, limit=ROOM + AHEAD)

    def open_next(number: int, first_tick: int) -> EncoderQueue:
        files.append(PartFile(shelf, reserved, plan, PartWriter, number=number, first_tick=first_tick))
        return queue_of(files[-1])

    parts = Parts(queue_of(files[0]), plan, open_next)
    release = clock.settle_with(partial(parts.settle, ROOM))
    parts.start()
    session = source.make_session(parts)
    if begins_s is not None:
        session.begin_at(round(begins_s * NS), together=True)
    try:
        _roll_stretches(source, session, clock, rolled_s, deeds)
    finally:
        source.cut(clock.now_ns())
        last_ns = clock.now_ns() + 2 * NS
        while session.state is not SessionState.ENDED and clock.now_ns() < last_ns:
            source.run_until(clock.now_ns() + NS // 20)
        release()
        parts.wait()
    if parts.error is not None:
        raise parts.error
    return session


def _roll_stretches(
    source: Source,
    session: RecordingSession,
    clock: VirtualClock,
    rolled_s: Iterable[tuple[float, float]],
    deeds: list[tuple[float, Deed]],
) -> None:
    """Record each stretch, and hold between two; `deeds` are in the order of time."""
    stretches = list(rolled_s)
    for number, (start_s, end_s) in enumerate(stretches, start=1):
        source.run_until(round(start_s * NS) - 1)  # the picture of that very moment belongs to the take
        if number > 1:
            source.resume()
        else:
            source.begin(session)
        while deeds and deeds[0][0] <= end_s:
            moment_s, deed = deeds.pop(0)
            source.run_until(round(moment_s * NS))
            deed(source)
        source.run_until(round(end_s * NS) - 1)
        if number == len(stretches):
            return
        source.pause(clock.now_ns())
        source.run_until(
            clock.now_ns() + NS // 20 + source.patience_ns
        )  # the sound of the last frame is still on its way
