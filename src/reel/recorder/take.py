"""Takes that roll, as the service sees them: what may be asked of each, its files, what is said of it."""

import threading
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field, replace

from reel.core.errors import ReelError
from reel.core.file import FilePlan, lighter_effort
from reel.core.line import RigSetup
from reel.core.measure import Counts
from reel.core.media import Reserved, Shelf, megabytes
from reel.core.roll import CutBy, MarkKind, RollSetup, Standing, why_cut
from reel.core.signal import NS, timecode
from reel.recorder.clock import Clock
from reel.recorder.guard import attempt
from reel.recorder.journal import BegunPart, Closed, ClosedPart, Rolled
from reel.recorder.lane import Lane
from reel.recorder.messages import Behind, RefusedError, RollStatus
from reel.recorder.partfile import PartFile
from reel.recorder.rigs import OpenRig
from reel.recorder.roll import MarkedMoment, Roll, RollState
from reel.recorder.source import Source

WARN_S = 600
# So long a part with a lighter effort is given to catch up before another one begins.
LIGHTEN_NS = 4 * NS
NOT_ROLLING = "Nothing is rolling; the take was cut already."


@dataclass(slots=True, kw_only=True)
class Take:
    """A take from roll to close: what all kinds share, and what may be asked of each.

    `closed` is called once, on a thread of its own, when the file is in its place; `ended` is set after that. `ends_by`
    says why the recorder itself cuts it, `cut_by` which rule of the rig does; None while it is the person who will.
    `is_cut` says that it was asked to end.
    """

    reserved: Reserved
    rolled: Rolled
    closed: Callable[["Take", Closed], None]
    take_id: int = 0
    ends_by: str | None = None
    cut_by: CutBy | None = None
    is_cut: bool = False
    ended: threading.Event = field(default_factory=threading.Event)

    @property
    def is_ending(self) -> bool:
        """Whether it takes no more pictures."""
        return self.is_cut

    @property
    def why_busy(self) -> str:
        """Why its rig can't roll again just now."""
        if self.is_ending:
            return f"{self.rolled.rig_name} still closes its last take; roll again in a moment."
        return f"{self.rolled.rig_name} is rolling already; cut it first."

    def begin(self) -> None:
        """Roll."""
        raise NotImplementedError

    def begin_at(self, at_ns: int, *, together: bool) -> None:
        """Begin at an instant, as nearly as it can; `together` says that others do too."""

    def hold(self, now_ns: int) -> None:
        """Pause; raises RefusedError."""
        raise NotImplementedError

    def carry_on(self) -> None:
        """Go on after a hold; raises RefusedError."""
        raise NotImplementedError

    def mark(self, label: str, now_ns: int) -> MarkedMoment:
        """Note a moment; raises RefusedError."""
        raise NotImplementedError

    def cut(self, now_ns: int) -> None:
        """Have it end; returns at once."""
        raise NotImplementedError

    def give_up(self) -> None:
        """Close what was read without waiting for its input, which hangs."""

    def must_end(self) -> bool:
        """Say whether it can't go on; the reason is kept in `ends_by`."""
        raise NotImplementedError

    @property
    def noted(self) -> "deque[MarkedMoment]":
        """The marks that it made by itself, and that are not stored yet."""
        return deque()

    def look_after(self) -> None:
        """Do what is due while it rolls."""

    def status(self) -> RollStatus:
        """Say how it stands."""
        raise NotImplementedError

    def size_bytes(self) -> int:
        """Give the bytes of what is written."""
        raise NotImplementedError

    @property
    def ticks(self) -> int:
        """Frames so far."""
        raise NotImplementedError

    @property
    def length_s(self) -> float:
        """Seconds so far."""
        return float(self.ticks / self.plan.tick_rate)

    @property
    def setup(self) -> RigSetup:
        """What was asked when it began."""
        return self.rolled.setup

    @property
    def plan(self) -> FilePlan:
        """What its file is to hold."""
        return self.rolled.plan

    def status_of(
        self, *, counts: Counts, state: str, marks: int, room_bytes: int, ends_s: int | None = None,
        queue: int = 0, queue_limit: int = 0, part: int = 1, starts_in_s: float = 0.0,
        behind: Behind | None = None,
    ) -> RollStatus:  # fmt: skip
        """Say how it stands, from what each kind knows of it; `ends_s` is its length where the device sets one."""
        at_s = self.ticks / self.plan.tick_rate
        size, length_s = self.size_bytes(), float(at_s)
        bitrate = round(size * 8 / length_s) if length_s > 0.5 else 0
        left_s = room_bytes * 8 // bitrate if bitrate else None
        if ends_s is not None:
            left_s = max(0, round(ends_s - length_s))
        return RollStatus(
            take_id=self.take_id,
            rig_id=self.rolled.rig_id,
            rig_name=self.rolled.rig_name,
            name=self.rolled.name,
            path=str(self.reserved.final),
            state=state,
            timecode=timecode(at_s, self.plan.frame.rate),
            length_s=length_s,
            size_bytes=size,
            bitrate_bps=bitrate,
            counts=counts,
            queue=queue,
            queue_limit=queue_limit,
            free_bytes=room_bytes,
            seconds_left=left_s,
            marks=marks,
            part=part,
            starts_in_s=starts_in_s,
            is_trial=self.rolled.is_trial,
            behind=behind,
            lighter=lighter.effort if (lighter := lighter_effort(self.plan.recipe)) else "",
            full_in_s=left_s if ends_s is None and left_s is not None and left_s < WARN_S else None,
        )


@dataclass(slots=True, kw_only=True)
class RollingTake(Take):
    """A take that Reel itself writes on the shelf; `rig` gives its open rig, None once that is gone."""

    shelf: Shelf
    reserve_bytes: int
    roll: Roll
    rig: Callable[[], OpenRig | None]
    files: list[PartFile]
    clock: Clock
    conduct: RollSetup
    part_began: Callable[[int, BegunPart], None]
    _lock: threading.Lock = field(default_factory=threading.Lock)
    _problem: str | None = None
    _is_told: bool = False
    _is_called_off: bool = False
    _gone_ns: int | None = None
    _lighten_ns: int = 0
    _next_plan: FilePlan = field(init=False)

    def __post_init__(self) -> None:
        self._next_plan = self.plan

    @property
    def is_ending(self) -> bool:
        """Whether it takes no more pictures."""
        return self.roll.state in (RollState.ENDING, RollState.ENDED)

    def begin(self) -> None:
        """Roll, from the next picture on; where its rig has gone meanwhile, end."""
        self.roll.parts.start()
        rig = self.rig()
        if rig is None or not rig.thread.is_alive():
            self.roll.abandon(0, "Its rig was closed before it began.")
            self.roll.parts.finish()
        else:
            reaches_back = self.conduct.reach_back_s > 0
            rig.source.call(lambda: rig.source.begin(self.roll, reaches_back=reaches_back))

    def begin_at(self, at_ns: int, *, together: bool) -> None:
        """Roll from the first picture that is shown at an instant or after it."""
        self.roll.begin_at(at_ns, together=together)

    def hold(self, now_ns: int) -> None:
        """Pause; what was shown before belongs to it."""
        source = self._source()
        if self.roll.state is RollState.HOLDING:
            raise RefusedError(f"{self.rolled.name} is on hold already.")
        source.answer(lambda: source.hold(now_ns), after_ns=now_ns)

    def carry_on(self) -> None:
        """Go on with the next picture."""
        source = self._source()
        if self.roll.state is not RollState.HOLDING:
            raise RefusedError(f"{self.rolled.name} is not on hold.")
        source.answer(source.carry_on)

    def mark(self, label: str, now_ns: int) -> MarkedMoment:
        """Note the moment of the last picture that was shown by now."""
        source = self._source()
        marked = source.answer(lambda: source.mark(label), after_ns=now_ns)
        if marked is None:
            raise RefusedError(NOT_ROLLING)
        return marked

    def cut(self, now_ns: int) -> None:
        """Have it end with what was shown by now; one that still counts down is called off."""
        self._is_called_off = self.roll.counts_down(now_ns) > 0
        rig = self.rig()
        if rig is None or not rig.thread.is_alive():  # nobody else touches the roll any more
            self.roll.abandon(now_ns)
            self.roll.parts.finish()
        else:
            rig.source.call(lambda: rig.source.cut(now_ns), after_ns=now_ns)

    def give_up(self) -> None:
        """Close the file with what was read."""
        if not self.is_ending:
            self.roll.parts.finish()

    def _source(self) -> Source:
        rig = self.rig()
        if rig is None or self.is_ending:
            raise RefusedError(NOT_ROLLING)
        return rig.source

    def open_part(self, number: int, first_tick: int) -> Lane:
        """Give the lane of another part, which opens its file on its own thread; where the take ends, the last one."""
        with self._lock:
            if self._is_told:
                return self.roll.parts.lanes[-1]
            file = PartFile(
                self.shelf, self.reserved, self._next_plan, number=number, first_tick=first_tick, opened=self._note_part
            )
            self.files.append(file)
        return Lane(file, closed=lambda error: self.part_closed(file, error))

    def _note_part(self, file: PartFile) -> None:
        """Have a part stored."""
        begun = BegunPart(number=file.number, first_tick=file.first_tick, rolling=file.path)
        self.part_began(self.take_id, begun)

    def part_closed(self, file: PartFile, error: ReelError | None) -> None:
        """Give a part its name, and with the last one pass the end of the take on; runs on the part's thread."""
        failed = attempt("Closing the take", lambda: self._name(file, error))
        with self._lock:
            file.closed.set()
            self._problem = self._problem or (str(failed) if failed else None)
            is_over = self.roll.parts.is_finished or self.roll.parts.error is not None
            if not is_over or self._is_told or not all(one.closed.is_set() for one in self.files):
                return
            self._is_told = True
        self._tell()

    def _name(self, file: PartFile, error: ReelError | None) -> None:
        if self._is_called_off:
            file.discard()
            return
        naming = file.complete()
        if error or (naming and not self._said()):
            self._problem = self._problem or str(error or naming)

    def _said(self) -> str | None:
        return self.roll.problem or self.ends_by

    def _tell(self) -> None:
        problem = self._problem or self._said()
        if problem is None and not self.roll.ticks and not self._is_called_off:
            problem = "It was cut before its first picture came; nothing was recorded."
        parts = tuple(
            ClosedPart(path=file.path, first_tick=file.first_tick, counts=self.roll.counts_of(file.number))
            for file in self.files
            if file.is_there
        )
        self.closed(
            self,
            Closed(
                path=self.files[0].path,
                counts=self.roll.counts,
                problem=problem,
                parts=parts,
                ended_by=self._ended_by(problem),
                is_called_off=self._is_called_off,
            ),
        )

    def _ended_by(self, problem: str | None) -> CutBy:
        if problem is not None:
            return CutBy.TROUBLE
        return self.roll.ended_by or self.cut_by or CutBy.PERSON

    def must_end(self) -> bool:
        """Say whether it can't go on, or is not to; the reason is kept for the take."""
        self.ends_by = self._file_trouble() or self._room_trouble()
        if self.ends_by is None and self.roll.state is RollState.ROLLING:
            self.cut_by = why_cut(self.conduct, self._standing())
        return self.ends_by is not None or self.cut_by is not None

    def _standing(self) -> Standing:
        """Say how it stands, as far as that may end it."""
        now_ns, began, rig = self.clock.now_ns(), self.rolled.started_at, self.rig()
        now = self.clock.wall()
        if rig is None:
            return Standing(began=began, now=now)
        first = rig.source.readings[0]
        if first.problem is None:
            self._gone_ns = None
        elif self._gone_ns is None:
            self._gone_ns = now_ns
        is_there = self._gone_ns is None
        longest_s = float(self.roll.ticks / self.roll.rate) * self.plan.lapse  # what was before it does not count
        return Standing(
            began=began,
            now=now,
            size_bytes=self.size_bytes(),
            gone_s=0.0 if self._gone_ns is None else (now_ns - self._gone_ns) / NS,
            black_s=min(longest_s, first.watched.black_s) if is_there else 0.0,
            still_s=min(longest_s, first.watched.still_s) if is_there else 0.0,
            has_event=first.event is not None,
        )

    @property
    def noted(self) -> "deque[MarkedMoment]":
        """The marks that the roll made by itself, and that are not stored yet."""
        return self.roll.noted

    def look_after(self) -> None:
        """Have the next part begin when this one is as large as it may be, or with less work when it falls behind."""
        most, rig = self.plan.part_bytes, self.rig()
        if rig is None or self.roll.state is not RollState.ROLLING:
            return
        if most is not None and self.files[-1].size_bytes() >= most:
            rig.source.call(rig.source.split)
        now_ns = self.clock.now_ns()
        if self.conduct.may_lighten and self._behind() is Behind.ENCODER and now_ns >= self._lighten_ns:
            lighter = lighter_effort(self._next_plan.recipe)
            if lighter is not None:
                self._next_plan = replace(self._next_plan, recipe=lighter)
                self._lighten_ns = now_ns + LIGHTEN_NS
                rig.source.call(lambda: rig.source.split(lighter=True))

    def _behind(self) -> Behind | None:
        """Say what can't keep up: pictures queue up, and most of the time goes to encoding, or to the drive."""
        parts, rig = self.roll.parts, self.rig()
        lane = parts.lanes[-1]
        if parts.waiting > lane.usual // 2:
            return Behind.DISK if lane.disk_s > lane.busy_s / 2 else Behind.ENCODER
        return Behind.INPUT if rig is not None and rig.source.is_behind else None

    def status(self) -> RollStatus:
        """Say how the roll stands."""
        roll = self.roll
        state = roll.state if roll.state is not RollState.ENDED else RollState.ENDING
        starts_in_s = roll.counts_down(self.clock.now_ns())
        return self.status_of(
            counts=roll.counts,
            state=(RollState.COUNTING if starts_in_s else state).value,
            marks=sum(mark.kind is MarkKind.PERSON for mark in list(roll.marks)),
            starts_in_s=starts_in_s,
            room_bytes=room_bytes(self.shelf, self.reserve_bytes),
            queue=roll.parts.waiting,
            queue_limit=roll.parts.limit,
            part=roll.parts.count,
            behind=self._behind(),
        )

    @property
    def ticks(self) -> int:
        """Frames so far."""
        return self.roll.ticks

    def size_bytes(self) -> int:
        """Give the bytes of all its parts."""
        return sum(file.size_bytes() for file in list(self.files))

    def _file_trouble(self) -> str | None:
        return next((said for file in list(self.files) if (said := file.trouble())), None)

    def _room_trouble(self) -> str | None:
        try:
            free = self.shelf.free_bytes()
        except ReelError as error:
            return f"{error} What was written until then is there."
        if free > self.reserve_bytes:
            return None
        kept = megabytes(self.reserve_bytes)
        return f"It was cut because only the reserve of {kept} was left on the drive; all until then is kept."


def room_bytes(shelf: Shelf, reserve_bytes: int = 0) -> int:
    """Bytes until a reserve is reached; 0 when the shelf can't be reached."""
    try:
        return max(0, shelf.free_bytes() - reserve_bytes)
    except ReelError:
        return 0
