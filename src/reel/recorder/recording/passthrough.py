"""A take that is recorded as it is sent: a feed's packets, from a keyframe on, as they came."""

import threading
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field

from reel.core.errors import ReelError
from reel.core.measure import Counts
from reel.core.media import Follows, SentFacts, SentWriter
from reel.core.roll import CutBy, MarkedMoment
from reel.core.signal import NS, Sent, SentPacket
from reel.recorder.guard import attempt, guarded
from reel.recorder.journal import Closed, ClosedPart
from reel.recorder.messages import RefusedError, RollStatus
from reel.recorder.recording.part_file import PartFile
from reel.recorder.recording.session import SessionState
from reel.recorder.recording.take import NOT_ROLLING, LocalTake

NO_HOLD = "What is recorded as it is sent can't be held: packets would be missing. Cut, and roll again."
# As many packets wait at most; a drive that is so far behind loses some, which ends the take.
MAX_WAITING = 4000


@dataclass(slots=True, kw_only=True)
class PassthroughTake(LocalTake):
    """A take of what `sent` sends; it ends where that ends: what comes after it is another stream.

    Where the sender's stamps begin anew it goes on in another part, which `open_part` gives by its number and first
    tick. Its length is that of what came, whatever the stamps say.
    """

    files: list[PartFile[SentWriter]]
    sent: Sent
    open_part: Callable[[int, int], PartFile[SentWriter]]
    length_ticks: int = 0
    marks: list[MarkedMoment] = field(default_factory=list)
    _waiting: deque[SentPacket] = field(default_factory=deque)
    _wake: threading.Event = field(default_factory=threading.Event)
    _ending: threading.Event = field(default_factory=threading.Event)
    _facts: list[SentFacts] = field(default_factory=list)
    _closing_problem: ReelError | None = None
    _ticks: int = 0
    _begins_ns: int = 0
    _problem: str | None = None
    _is_called_off: bool = False

    @property
    def is_ending(self) -> bool:
        """Whether it takes no more packets."""
        return self._ending.is_set()

    @property
    def is_rolling(self) -> bool:
        return self._ticks > 0 and not self.is_ending

    def begin(self) -> None:
        """Take packets, from the next keyframe on."""
        LocalTake.begin(self)
        guarded("Writing the take", self._write, self._failed).start()
        self.sent.attach(self._take)

    def begin_at(self, at_ns: int, *, together: bool) -> None:
        """Begin with the first keyframe that comes after an instant."""
        self._begins_ns = at_ns

    @property
    def can_hold(self) -> bool:
        """It can't: packets would be missing."""
        return False

    def pause(self, now_ns: int) -> None:
        raise RefusedError(NO_HOLD)

    def resume(self) -> None:
        """Refuse: it can't be held."""
        raise RefusedError(NO_HOLD)

    def mark(self, label: str, now_ns: int) -> MarkedMoment:
        """Note the moment of what was written last."""
        if self.is_ending:
            raise RefusedError(NOT_ROLLING)
        moment = MarkedMoment(tick=max(0, self._ticks - 1), label=label)
        self.marks.append(moment)
        return moment

    def cut(self, now_ns: int) -> None:
        """Have it end with what came by now; before its first keyframe it is called off."""
        self._is_called_off = now_ns < self._begins_ns
        self.sent.detach()
        self._ending.set()
        self._wake.set()

    def must_end(self) -> bool:
        """Return whether it can't go on, or is not to; where the sender stopped it ends at once."""
        rig = self.rig()
        if not self.is_ending and (rig is None or rig.source.sent is not self.sent):
            self.ends_by = "The sender stopped; what it sends after that is another stream. Roll again for that."
            return True
        if self.length_ticks and self._ticks >= self.length_ticks:
            self.cut_by = CutBy.LENGTH
            return True
        return LocalTake.must_end(self)

    def status(self) -> RollStatus:
        starts_in_s = 0.0 if self._ticks else max(0, self._begins_ns - self.clock.now_ns()) / NS
        state = SessionState.ROLLING if self._ticks else SessionState.WAITING
        if starts_in_s:
            state = SessionState.COUNTING
        return self.status_of(
            counts=Counts(ticks=self._ticks),
            state=(SessionState.ENDING if self.is_ending else state).value,
            marks=len(self.marks),
            starts_in_s=starts_in_s,
            room_bytes=self.drive.room_bytes,
            queue=len(self._waiting),
            queue_limit=MAX_WAITING,
            part=len(self.files),
        )

    @property
    def ticks(self) -> int:
        """Pictures so far, by the frame's rate."""
        return self._ticks

    def _take(self, packet: SentPacket) -> None:
        """Take a packet; called on the feed's thread."""
        if self.is_ending or self.clock.now_ns() < self._begins_ns:
            return
        if len(self._waiting) >= MAX_WAITING:
            self._problem = f"The drive fell behind by {MAX_WAITING} packets; all until then is kept."
            self._ending.set()
        else:
            self._waiting.append(packet)
        self._wake.set()

    def _write(self) -> None:
        error = attempt("Writing the take", self._write_all)
        if error is not None and not self.is_ending:
            self.sent.detach()
            self._ending.set()
        self._close(error)

    def _write_all(self) -> None:
        while self._write_part(self.files[-1]):
            if self._problem is None:
                self.files.append(self.open_part(len(self.files) + 1, self._ticks))

    def _write_part(self, file: PartFile[SentWriter]) -> bool:
        """Write what comes into a part; says whether another one is to follow."""
        first_tick = self._ticks
        try:
            with file as writer:
                try:
                    while (packet := self._next()) is not None:
                        how = writer.follows(packet)
                        if how is Follows.OTHER:
                            self._end_for_others()
                        if how is not Follows.TIME:
                            return how is Follows.ANEW
                        self._waiting.popleft()
                        writer.write(packet)
                        self._ticks = first_tick + round(writer.length_s * self.plan.tick_rate)
                finally:
                    self._facts.append(writer.facts)
            return False
        finally:
            if not self._is_called_off:
                self._closing_problem = self._closing_problem or file.complete()

    def _next(self) -> SentPacket | None:
        """Return the packet that came next, and leave it; None once no more will come."""
        while not self._waiting:
            if self.is_ending:
                return None
            self._wake.wait(1)
            self._wake.clear()
        return self._waiting[0]

    def _end_for_others(self) -> None:
        """End it: the sender sends other pictures than those that it began with."""
        self._problem = "The sender changed the size or the form of its picture; all until then is kept. Roll again."
        self.sent.detach()
        self.sent.renew()
        self._ending.set()
        self._waiting.clear()

    def _close(self, error: ReelError | None) -> None:
        if self._is_called_off and not self._ticks:
            self.files[0].discard()
        said = error or self._problem or self.ends_by or self._closing_problem
        problem = str(said) if said else None
        if problem is None and not self._ticks:
            problem = "It was cut before a keyframe came; nothing was recorded."
        ends = [*(file.first_tick for file in self.files[1:]), self._ticks]
        parts = tuple(
            ClosedPart(
                path=file.path,
                first_tick=file.first_tick,
                counts=Counts(ticks=end - file.first_tick, sent=facts),
            )
            for file, end, facts in zip(
                self.files, ends, [*self._facts, *[SentFacts()] * len(self.files)], strict=False
            )
            if file.is_there
        )
        closed = Closed(
            path=self.files[0].path,
            counts=Counts(ticks=self._ticks, sent=self._facts[0] if self._facts else None),
            problem=problem,
            ended_by=CutBy.TROUBLE if problem else self.cut_by or CutBy.PERSON,
            parts=parts,
            is_called_off=self._is_called_off,
        )
        self.closed(self, closed)

    def _failed(self, error: ReelError) -> None:
        self.sent.detach()
        self._ending.set()
        self.closed(self, Closed(path=self.files[0].path, counts=Counts(), problem=str(error), ended_by=CutBy.TROUBLE))
