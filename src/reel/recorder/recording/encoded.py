"""A take that Reel encodes: its session, its parts, and how they end."""

import threading
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from functools import partial

from reel.core.errors import ReelError
from reel.core.file import FilePlan, lighter_effort
from reel.core.media import PartWriter
from reel.core.roll import CutBy, MarkedMoment, MarkKind
from reel.core.signal import NS
from reel.recorder.guard import attempt
from reel.recorder.journal import BegunPart, Closed, ClosedPart
from reel.recorder.messages import Behind, RefusedError, RollStatus
from reel.recorder.recording.encoder_queue import EncoderQueue, queue_limit
from reel.recorder.recording.live import LiveSource
from reel.recorder.recording.part_file import PartFile
from reel.recorder.recording.parts import Parts
from reel.recorder.recording.session import RecordingSession, SessionState
from reel.recorder.recording.take import NOT_ROLLING, LocalTake

# So long a part with a lighter effort is given to catch up before another one begins.
LIGHTEN_NS = 4 * NS


@dataclass(slots=True, kw_only=True)
class EncodedTake(LocalTake):
    """A take that Reel itself encodes, part by part."""

    files: list[PartFile[PartWriter]]
    make_session: Callable[[Parts], RecordingSession]
    queue_bytes: int
    part_began: Callable[[int, BegunPart], None]
    _lock: threading.Lock = field(default_factory=threading.Lock)
    _problem: str | None = None
    _is_told: bool = False
    _is_called_off: bool = False
    # the number of the part that was begun for its size or its effort last: it is not ended before it has begun
    _split_part: int = 0
    _lighten_ns: int = 0
    _next_plan: FilePlan = field(init=False)
    session: RecordingSession = field(init=False)

    def __post_init__(self) -> None:
        LocalTake.__post_init__(self)  # super() does not find a dataclass with slots, which is made twice
        self._next_plan = self.plan
        self.session = self.make_session(Parts(self._queue_of(self.files[0]), self.plan, self.open_part))

    @property
    def is_ending(self) -> bool:
        """Whether it takes no more pictures."""
        return self.session.state in (SessionState.ENDING, SessionState.ENDED)

    @property
    def is_rolling(self) -> bool:
        """Whether pictures go into it just now."""
        return self.session.state is SessionState.ROLLING

    def begin(self) -> None:
        """Roll, from the next picture on; where its rig has gone meanwhile, end."""
        LocalTake.begin(self)
        self.session.parts.start()
        rig = self.rig()
        if rig is None or not rig.thread.is_alive():
            self.session.abandon(0, "Its rig was closed before it began.")
            self.session.parts.finish()
        else:
            with_pre_record = self.conduct.reach_back_s > 0
            rig.source.call(lambda: rig.source.begin(self.session, with_pre_record=with_pre_record))

    def begin_at(self, at_ns: int, *, together: bool) -> None:
        """Roll from the first picture that is shown at an instant or after it."""
        self.session.begin_at(at_ns, together=together)

    def pause(self, now_ns: int) -> None:
        """Pause; what was shown before belongs to it."""
        source = self._source()
        if self.session.state is SessionState.HOLDING:
            raise RefusedError(f"{self.rolled.name} is on hold already.")
        source.answer(lambda: source.pause(now_ns), after_ns=now_ns)

    def resume(self) -> None:
        """Go on with the next picture."""
        source = self._source()
        if self.session.state is not SessionState.HOLDING:
            raise RefusedError(f"{self.rolled.name} is not on hold.")
        source.answer(source.resume)

    def mark(self, label: str, now_ns: int) -> MarkedMoment:
        """Note the moment of the last picture that was shown by now."""
        source = self._source()
        marked = source.answer(lambda: source.mark(label), after_ns=now_ns)
        if marked is None:
            raise RefusedError(NOT_ROLLING)
        return marked

    def cut(self, now_ns: int) -> None:
        """Have it end with what was shown by now; one that still counts down is called off."""
        self._is_called_off = self.session.counts_down(now_ns) > 0
        rig = self.rig()
        if rig is None or not rig.thread.is_alive():  # nobody else touches the roll any more
            self.session.abandon(now_ns)
            self.session.parts.finish()
        else:
            rig.source.call(lambda: rig.source.cut(now_ns), after_ns=now_ns)

    def give_up(self) -> None:
        """Close the file with what was read."""
        if not self.is_ending:
            self.session.parts.finish()

    def _source(self) -> LiveSource:
        rig = self.rig()
        if rig is None or self.is_ending:
            raise RefusedError(NOT_ROLLING)
        return rig.source

    def open_part(self, number: int, first_tick: int) -> EncoderQueue:
        """The queue of another part, which opens its file on its own thread; the last one where the take ends."""
        with self._lock:
            if self._is_told:
                return self.session.parts.queues[-1]
            file = PartFile(
                self.shelf,
                self.reserved,
                self._next_plan,
                PartWriter,
                number=number,
                first_tick=first_tick,
                opened=self._note_part,
            )
            self.files.append(file)
        return self._queue_of(file)

    def _queue_of(self, file: PartFile[PartWriter]) -> EncoderQueue:
        limit = queue_limit(self._next_plan, self.queue_bytes)
        return EncoderQueue(file, closed=partial(self.part_closed, file), limit=limit)

    def _note_part(self, file: PartFile[PartWriter]) -> None:
        self.part_began(self.take_id, file.begun)

    def part_closed(self, file: PartFile[PartWriter], error: ReelError | None) -> None:
        """Give a part its name, and with the last one pass the end of the take on; runs on the part's thread."""
        failed = attempt("Closing the take", lambda: self._name(file, error))
        with self._lock:
            file.closed.set()
            self._problem = self._problem or (str(failed) if failed else None)
            is_over = self.session.parts.is_finished or self.session.parts.error is not None
            if not is_over or self._is_told or not all(one.closed.is_set() for one in self.files):
                return
            self._is_told = True
        self._tell()

    def _name(self, file: PartFile[PartWriter], error: ReelError | None) -> None:
        if self._is_called_off:
            file.discard()
            return
        naming = file.complete()
        if error or (naming and not self._said()):
            self._problem = self._problem or str(error or naming)

    def _said(self) -> str | None:
        return self.session.problem or self.ends_by

    def _tell(self) -> None:
        problem = self._problem or self._said()
        if problem is None and not self.session.ticks and not self._is_called_off:
            problem = "It was cut before its first picture came; nothing was recorded."
        parts = tuple(
            ClosedPart(
                path=file.path,
                first_tick=file.first_tick,
                counts=replace(self.session.counts_of(file.number), written=file.facts),
            )
            for file in self.files
            if file.is_there
        )
        self.closed(
            self,
            Closed(
                path=self.files[0].path,
                counts=self.session.counts,
                problem=problem,
                parts=parts,
                ended_by=self._ended_by(problem),
                is_called_off=self._is_called_off,
            ),
        )

    def _ended_by(self, problem: str | None) -> CutBy:
        if problem is not None:
            return CutBy.TROUBLE
        return self.session.ended_by or self.cut_by or CutBy.PERSON

    @property
    def noted(self) -> "deque[MarkedMoment]":
        """The marks that the session made by itself, and that are not stored yet."""
        return self.session.noted

    def look_after(self) -> None:
        """Have the next part begin when this one is as large as it may be, or with less work when it falls behind."""
        most, rig = self.plan.part_bytes, self.rig()
        if rig is None or self.session.state is not SessionState.ROLLING:
            return
        newest, now_ns = self.files[-1], self.clock.now_ns()
        if newest.number < self._split_part or not newest.is_there:
            self._lighten_ns = now_ns + LIGHTEN_NS
            return
        if most is not None and self.drive.sizes.get(newest.number, 0) >= most:
            self._split_part = newest.number + 1
            rig.source.call(rig.source.split)
        elif self.conduct.may_lighten and self._behind() is Behind.ENCODER and now_ns >= self._lighten_ns:
            lighter = lighter_effort(self._next_plan.recipe)
            if lighter is not None:
                self._next_plan = replace(self._next_plan, recipe=lighter)
                self._split_part = newest.number + 1
                rig.source.call(lambda: rig.source.split(lighter=True))

    def _behind(self) -> Behind | None:
        """Say what can't keep up: pictures queue up, and most of the time goes to encoding, or to the drive."""
        parts, rig = self.session.parts, self.rig()
        queue = parts.queues[-1]
        if parts.waiting > queue.base_limit // 3:
            return Behind.DISK if queue.disk_s > queue.busy_s / 2 else Behind.ENCODER
        return Behind.INPUT if rig is not None and rig.source.is_behind else None

    def status(self) -> RollStatus:
        session = self.session
        state = session.state if session.state is not SessionState.ENDED else SessionState.ENDING
        starts_in_s = session.counts_down(self.clock.now_ns())
        return self.status_of(
            counts=session.counts,
            state=(SessionState.COUNTING if starts_in_s else state).value,
            marks=sum(mark.kind is MarkKind.PERSON for mark in list(session.marks)),
            starts_in_s=starts_in_s,
            room_bytes=self.drive.room_bytes,
            queue=session.parts.waiting,
            queue_limit=session.parts.limit,
            part=session.parts.count,
            behind=self._behind(),
        )

    def moved(self) -> object:
        """Return something that changes as long as its files are still written or closed."""
        return self.size_bytes(), self.session.parts.written

    @property
    def ticks(self) -> int:
        return self.session.ticks
