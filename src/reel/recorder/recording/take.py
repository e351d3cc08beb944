"""Takes that roll, as the service sees them: what may be asked of each, its files, what is said of it."""

import threading
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Any

from reel.core.errors import ReelError
from reel.core.file import FilePlan, crash_cost_s, lighter_effort
from reel.core.line import RigSetup
from reel.core.measure import Counts
from reel.core.media import Reserved, Shelf
from reel.core.roll import CutBy, MarkedMoment, RollSetup, StopFacts, stop_reason
from reel.core.signal import NS, timecode
from reel.recorder.clock import Clock
from reel.recorder.journal import Closed, Rolled
from reel.recorder.messages import Behind, RollStatus, StartRoll
from reel.recorder.recording.drive_watch import DriveWatch
from reel.recorder.recording.live import LiveRig
from reel.recorder.recording.part_file import PartFile

WARN_S = 600
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
    def can_hold(self) -> bool:
        return True

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
        raise NotImplementedError

    def begin_at(self, at_ns: int, *, together: bool) -> None:
        """Begin at an instant, as nearly as it can; `together` says that others do too."""

    def pause(self, now_ns: int) -> None:
        """Pause; raises RefusedError."""
        raise NotImplementedError

    def resume(self) -> None:
        """Go on after a hold; raises RefusedError."""
        raise NotImplementedError

    def mark(self, label: str, now_ns: int) -> MarkedMoment:
        """Note a moment; raises RefusedError."""
        raise NotImplementedError

    def cut(self, now_ns: int) -> None:
        """Have it end; returns at once."""
        raise NotImplementedError

    @property
    def goes_on(self) -> StartRoll | None:
        """What is to be rolled now that it has ended; None for nothing."""
        return None

    def let_go(self) -> None:
        """Let go of what was needed only while it rolled; it is closed."""

    def give_up(self) -> None:
        """Close what was read without waiting for its input, which hangs."""

    def must_end(self) -> bool:
        """Return whether it can't go on; the reason is kept in `ends_by`."""
        raise NotImplementedError

    @property
    def noted(self) -> "deque[MarkedMoment]":
        """The marks that it made by itself, and that are not stored yet."""
        return deque()

    def look_after(self) -> None:
        """Do what is due while it rolls."""

    def status(self) -> RollStatus:
        raise NotImplementedError

    def size_bytes(self) -> int:
        raise NotImplementedError

    def moved(self) -> object:
        """Return something that changes as long as its files are still written or closed."""
        return self.size_bytes()

    @property
    def ticks(self) -> int:
        raise NotImplementedError

    @property
    def length_s(self) -> float:
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
        left_s = int(room_bytes * 8 / bitrate * self.plan.lapse) if bitrate else None
        cost_s = crash_cost_s(self.plan, queue)
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
            can_hold=self.can_hold,
            crash_s=None if cost_s is None else float(cost_s),
            lapse=float(self.plan.lapse),
            behind=behind,
            lighter=lighter.effort if (lighter := lighter_effort(self.plan.recipe)) else "",
            full_in_s=left_s if ends_s is None and left_s is not None and left_s < WARN_S else None,
        )


@dataclass(slots=True, kw_only=True)
class LocalTake(Take):
    """A take whose files are written on the shelf; `rig` gives its open rig, None once that is gone.

    `conduct` says what ends it by itself.
    """

    shelf: Shelf
    reserve_bytes: int
    rig: Callable[[], LiveRig | None]
    files: Sequence[PartFile[Any]]
    clock: Clock
    conduct: RollSetup
    drive: DriveWatch = field(init=False)
    _gone_ns: int | None = None

    def __post_init__(self) -> None:
        self.drive = DriveWatch(self.shelf, self.reserve_bytes, lambda: self.files)

    def begin(self) -> None:
        self.drive.start()

    def let_go(self) -> None:
        self.drive.stop()

    @property
    def is_rolling(self) -> bool:
        """Whether pictures go into it just now."""
        raise NotImplementedError

    def must_end(self) -> bool:
        """Return whether it can't go on, or is not to; the reason is kept for the take."""
        self.ends_by = self.drive.trouble
        if self.ends_by is None and self.is_rolling:
            self.cut_by = stop_reason(self.conduct, self._stop_facts())
        return self.ends_by is not None or self.cut_by is not None

    def _stop_facts(self) -> StopFacts:
        """Say how it stands, as far as that may end it."""
        now_ns, began, rig = self.clock.now_ns(), self.rolled.started_at, self.rig()
        now = self.clock.wall()
        if rig is None:
            return StopFacts(began=began, now=now)
        first = rig.source.readings[0]
        if first.problem is None:
            self._gone_ns = None
        elif self._gone_ns is None:
            self._gone_ns = now_ns
        is_there = self._gone_ns is None
        longest_s = self.length_s * self.plan.lapse  # what was before it does not count
        return StopFacts(
            began=began,
            now=now,
            size_bytes=self.size_bytes(),
            gone_s=0.0 if self._gone_ns is None else (now_ns - self._gone_ns) / NS,
            black_s=min(longest_s, first.watched.black_s) if is_there else 0.0,
            still_s=min(longest_s, first.watched.still_s) if is_there else 0.0,
            has_event=first.event is not None,
        )

    def size_bytes(self) -> int:
        """Return the bytes of all its parts, as the drive said last."""
        return self.drive.size_bytes


def room_bytes(shelf: Shelf, reserve_bytes: int = 0) -> int:
    """Bytes until a reserve is reached; 0 when the shelf can't be reached."""
    try:
        return max(0, shelf.free_bytes() - reserve_bytes)
    except ReelError:
        return 0
