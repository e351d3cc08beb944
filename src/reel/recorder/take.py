"""Takes that roll, as the service sees them: what may be asked of each, its files, what is said of it."""

import os
import threading
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path

from reel.core.errors import ReelError
from reel.core.file import FilePlan
from reel.core.line import RigSetup
from reel.core.measure import Counts
from reel.core.media import Reserved, Shelf, beside, megabytes
from reel.core.signal import length_label, timecode
from reel.recorder.guard import attempt
from reel.recorder.journal import Closed, Rolled
from reel.recorder.messages import RefusedError, RollStatus
from reel.recorder.rigs import OpenRig
from reel.recorder.roll import MarkedMoment, Roll, RollState
from reel.recorder.source import Source

WARN_S = 600
NOT_ROLLING = "Nothing is rolling; the take was cut already."


@dataclass(slots=True, kw_only=True)
class Take:
    """A take from roll to close: what all kinds share, and what may be asked of each.

    `closed` is called once, on a thread of its own, when the file is in its place; `ended` is set after that. `ends_by`
    says why the recorder itself cuts it; None while it is the person who will. `is_cut` says that it was asked to end.
    """

    reserved: Reserved
    rolled: Rolled
    closed: Callable[["Take", Closed], None]
    take_id: int = 0
    ends_by: str | None = None
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

    def begin_together(self, at_ns: int) -> None:
        """Begin at an instant at which others do too, as nearly as it can."""

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

    def status(self) -> RollStatus:
        """Say how it stands."""
        raise NotImplementedError

    @property
    def setup(self) -> RigSetup:
        """What was asked when it began."""
        return self.rolled.setup

    @property
    def plan(self) -> FilePlan:
        """What its file is to hold."""
        return self.rolled.plan

    def status_of(
        self, *, ticks: int, counts: Counts, state: str, marks: int, room_bytes: int, ends_s: int | None = None,
        queue: int = 0, queue_limit: int = 0,
    ) -> RollStatus:  # fmt: skip
        """Say how it stands, from what each kind knows of it; `ends_s` is its length where the device sets one."""
        at_s = ticks / self.plan.tick_rate
        size, length_s = _size(self.reserved.rolling), float(at_s)
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
            warning=_warning(queue, queue_limit, left_s if ends_s is None else None),
        )


@dataclass(slots=True, kw_only=True)
class RollingTake(Take):
    """A take that Reel itself writes on the shelf; `rig` gives its open rig, None once that is gone."""

    shelf: Shelf
    reserve_bytes: int
    roll: Roll
    rig: Callable[[], OpenRig | None]
    _handle: int = field(default=-1)

    @property
    def is_ending(self) -> bool:
        """Whether it takes no more pictures."""
        return self.roll.state in (RollState.ENDING, RollState.ENDED)

    def begin(self) -> None:
        """Roll, from the next picture on; where its rig has gone meanwhile, end."""
        self.roll.lane.start()
        rig = self.rig()
        if rig is None or not rig.thread.is_alive():
            self.roll.abandon(0, "Its rig was closed before it began.")
            self.roll.lane.finish()
        else:
            rig.source.call(lambda: rig.source.begin(self.roll))

    def begin_together(self, at_ns: int) -> None:
        """Roll from the first picture that is shown at an instant or after it."""
        self.roll.begin_together(at_ns)

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
        """Have it end with what was shown by now."""
        rig = self.rig()
        if rig is None or not rig.thread.is_alive():  # nobody else touches the roll any more
            self.roll.abandon(now_ns)
            self.roll.lane.finish()
        else:
            rig.source.call(lambda: rig.source.cut(now_ns), after_ns=now_ns)

    def give_up(self) -> None:
        """Close the file with what was read."""
        if not self.is_ending:
            self.roll.lane.finish()

    def _source(self) -> Source:
        rig = self.rig()
        if rig is None or self.is_ending:
            raise RefusedError(NOT_ROLLING)
        return rig.source

    def watch_file(self) -> None:
        """Keep hold of the file that is written, so that it is noticed when somebody moves or deletes it."""
        self._handle = os.open(self.reserved.rolling, os.O_RDONLY | os.O_CLOEXEC)

    def close(self, error: ReelError | None) -> None:
        """Give the file its name and pass its end on; runs on the lane's thread once the part is closed."""
        failed = attempt("Closing the take", lambda: self._close(error))
        if failed is not None:
            self.closed(self, Closed(path=self.reserved.rolling, counts=self.roll.counts, problem=str(failed)))

    def _close(self, error: ReelError | None) -> None:
        problem = str(error) if error else self.roll.problem or self.ends_by
        path = self.reserved.rolling
        try:
            path = self.shelf.complete(self.reserved)
        except ReelError as naming:
            moved = self._place()
            path = moved or path
            problem = problem or str(naming)
        if problem is None and self.roll.counts.ticks == 0:
            problem = "It was cut before its first picture came; nothing was recorded."
        attempt("Letting the file go", self.let_go)
        self.closed(self, Closed(path=path, counts=self.roll.counts, problem=problem))

    def must_end(self) -> bool:
        """Say whether it can't go on; the reason is kept for the take."""
        self.ends_by = self._file_trouble() or self._room_trouble()
        return self.ends_by is not None

    def status(self) -> RollStatus:
        """Say how the roll stands."""
        roll = self.roll
        state = roll.state if roll.state is not RollState.ENDED else RollState.ENDING
        return self.status_of(
            ticks=roll.ticks,
            counts=roll.counts,
            state=state.value,
            marks=len(roll.marks),
            room_bytes=room_bytes(self.shelf, self.reserve_bytes),
            queue=roll.lane.waiting,
            queue_limit=roll.lane.limit,
        )

    def let_go(self) -> None:
        """Watch the file no longer."""
        if self._handle >= 0:
            os.close(self._handle)
            self._handle = -1

    def _place(self) -> Path | None:
        """Give where the file lies now; None when it was deleted, or that can't be told."""
        if self._handle < 0 or not os.fstat(self._handle).st_nlink:
            return None
        try:
            return Path(f"/proc/self/fd/{self._handle}").readlink()
        except OSError:
            return None

    def _file_trouble(self) -> str | None:
        if self._handle < 0:
            return None
        try:
            if os.path.samestat(self.reserved.rolling.stat(), os.fstat(self._handle)):
                return None
        except OSError:
            pass
        try:
            links = os.fstat(self._handle).st_nlink  # as it is now: it may have been deleted just before
        except OSError:  # it was closed just now
            return None
        if not links:
            return "Its file was deleted while it rolled; nothing of it is kept."
        return f"Its file was moved while it rolled; all until then lies at {self._place() or 'its new place'}."

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


def _warning(queue: int, queue_limit: int, room_s: int | None) -> str | None:
    """Say what will go wrong before it does; `room_s` are the seconds until the drive is full."""
    if room_s is not None and room_s < WARN_S:
        return f"The drive is full in {length_label(room_s)}"
    if queue_limit and queue > queue_limit // 2:
        return "The encoder falls behind; a lighter effort keeps up"
    return None


def _size(path: Path) -> int:
    """Give the bytes of a take's file and of what lies beside it."""
    found = 0
    with suppress(OSError):
        found = path.stat().st_size
        found += sum(file.stat().st_size for file in beside(path).glob("*"))
    return found
