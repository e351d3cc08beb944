"""The recorder: the open rigs, the takes that roll, and what may be asked of them."""

import threading
from collections.abc import Callable, Sequence
from contextlib import ExitStack
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Any

from reel.core.line import signal_chain
from reel.core.measure import Counts
from reel.core.media import OverlayAssets, Shelf
from reel.core.signal import NS
from reel.recorder.clock import Clock
from reel.recorder.guard import attempt, readable
from reel.recorder.journal import Closed, Journal
from reel.recorder.messages import (
    AddMark,
    Arrange,
    Ask,
    Cut,
    Done,
    Draw,
    FindBars,
    Leave,
    NotNowError,
    Open,
    Pause,
    RefusedError,
    Request,
    Resume,
    RigToRoll,
    RollStatus,
    Simulate,
    StartRoll,
    Status,
    TakeSample,
    TestFields,
    TestSync,
    Toggle,
)
from reel.recorder.recording.encoder_queue import QUEUE_BYTES
from reel.recorder.recording.take import NOT_ROLLING, Take
from reel.recorder.rig.open_rigs import OpenRigs, Screen
from reel.recorder.rig.sample import Samplings, take_sample
from reel.recorder.rig.source import Source
from reel.recorder.service.checkpoints import Reached
from reel.recorder.service.journal_queue import JournalQueue
from reel.recorder.service.making import TakeMaker
from reel.recorder.service.rig_requests import RigRequests

OPEN_S = 15.0
PACE_S = 1.5
CLOSE_S = 4.0
# At the end files are waited for until nothing was written for so long.
STILL_S, LOOK_S = 10.0, 0.2
LEAVE_S = 0.5
# So long it is said on every page why a take ended by itself; its own page says it for good.
NOTICE_NS = 600 * NS
# Takes that are to begin together do so this long after the last of them is ready.
SOON_NS = NS // 5


@dataclass(slots=True)
class Recorder:
    """Answers requests, several at a time, each on the thread that asks; nothing waits under its lock.

    Each open rig runs on a thread of its own, each part is written on another. Takes are known by their ids.
    """

    clock: Clock
    shelf: Shelf
    feeds: Path
    devices: Path
    journal: Journal
    screen: Screen
    assets: OverlayAssets = field(default_factory=OverlayAssets)
    reserve_bytes: int = 0
    queue_bytes: int = QUEUE_BYTES
    reached: Reached | None = None
    _lock: threading.RLock = field(default_factory=threading.RLock)
    _rigs: OpenRigs = field(init=False)
    _queue: JournalQueue = field(init=False)
    _maker: TakeMaker = field(init=False)
    _takes: dict[int, Take] = field(default_factory=dict)
    _starting: set[int] = field(default_factory=set)
    _asked: RigRequests = field(init=False)
    _samplings: Samplings = field(default_factory=Samplings)
    _is_closing: bool = False
    _freed: threading.Event = field(default_factory=threading.Event)
    # why the last take of a rig ended by itself, by the rig's id, and until when that is said
    _notices: dict[int, tuple[str, int]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        self._rigs = OpenRigs(self.clock, self.feeds, self.screen, self._is_held, self.assets)
        self._asked = RigRequests(self.clock, self._rigs)
        self._queue = JournalQueue(self.journal)
        self._maker = TakeMaker(
            clock=self.clock,
            shelf=self.shelf,
            devices=self.devices,
            reserve_bytes=self.reserve_bytes,
            queue_bytes=self.queue_bytes,
            rig_of=self._rigs.get,
            closed=self._on_closed,
            part_began=self._queue.part_began,
        )

    def answer(self, request: Request) -> Done:
        """Do what is asked; raises RefusedError and what the rooms below raise."""
        done: dict[type[Request], Callable[[Any], tuple[int, ...] | None]] = {
            Open: self._open,
            Leave: self._leave,
            TestFields: self._asked.test_fields,
            FindBars: self._asked.find_bars,
            Simulate: self._rigs.simulate,
            TestSync: self._asked.test_sync,
            TakeSample: self._take_sample,
            StartRoll: self._start,
            Pause: lambda asked: self._of_each(asked.takes, lambda take, now_ns: take.pause(now_ns)),
            Resume: lambda asked: self._of_each(asked.takes, lambda take, _: take.resume()),
            AddMark: lambda asked: self._of_each(asked.takes, partial(self._mark, label=asked.label)),
            Arrange: self._arrange,
            Toggle: self._asked.toggle,
            Draw: self._asked.draw,
            Cut: self._cut,
            Ask: lambda _: None,
        }
        takes = done[type(request)](request) or ()
        return Done(status=self.status(), takes=takes)

    def status(self) -> Status:
        """Say how everything stands; may be called from any thread."""
        now_ns = self.clock.now_ns()
        notices = [text for text, until_ns in list(self._notices.values()) if now_ns < until_ns]
        said = [*notices, self._queue.problem]
        return Status(
            rigs=self._rigs.statuses(),
            rolls=tuple(
                found
                for take in list(self._takes.values())
                if (found := readable("Saying how a take stands", take.status, RollStatus))
            ),
            notice=" ".join(one for one in said if one) or None,
        )

    def look_after(self) -> None:
        """Do what nobody asks for: cut takes that can't go on, close rigs whose lease has run out."""
        for take in list(self._takes.values()):
            attempt("Looking after a take", partial(self._look_after, take))
        if self.reached is not None and self._takes:
            self.reached.note({take.take_id: take.length_s for take in list(self._takes.values())}, self.clock.now_ns())
        with self._lock:
            self._rigs.look_after()

    def _look_after(self, take: Take) -> None:
        if take.ends_by is None and take.cut_by is None and take.must_end():
            take.cut(self.clock.now_ns())
        elif not take.is_ending:
            take.look_after()
        self._note_marks(take)

    def shut_down(self, closing: Callable[[str], None] = lambda said: None) -> None:
        """Cut what rolls, wait for the files as long as they move on, close every rig.

        `closing` is told again and again what is still being closed. What stands still is left to the next start.
        """
        with self._lock:
            self._is_closing = True
        until_ns = self.clock.now_ns() + round(OPEN_S * NS)
        while self._starting and self.clock.now_ns() < until_ns:  # a series may just be going on
            self._freed.wait(LOOK_S / 4)
        takes, now_ns = list(self._takes.values()), self.clock.now_ns()
        for take in takes:
            attempt("Cutting the take", partial(take.cut, now_ns))
        self._wait_closed(takes, closing)
        self._queue.stop()
        with self._lock:
            self._rigs.shut_down(LEAVE_S)

    def _take_of(self, rig_id: int) -> Take | None:
        return next((take for take in list(self._takes.values()) if take.rolled.rig_id == rig_id), None)

    def _is_held(self, rig_id: int) -> bool:
        """Return whether a rig has to stay as it is open."""
        return rig_id in self._samplings or self._is_rolling(rig_id)

    def _is_rolling(self, rig_id: int) -> bool:
        return rig_id in self._starting or self._take_of(rig_id) is not None

    def _open(self, request: Open) -> None:
        rig_id = request.rig_id
        with self._lock:
            if not signal_chain(request.setup.picture).is_remote:
                self._rigs.open(rig_id, request.setup, request.scenarios, request.rig_name, request.viewer)
            elif self._rigs.get(rig_id) is not None and not self._is_rolling(rig_id):
                self._rigs.close(rig_id)  # nothing of it is seen while the device records

    def _leave(self, request: Leave) -> None:
        with self._lock:
            self._rigs.leave(request.rig_id, request.viewer)

    def _take_sample(self, request: TakeSample) -> None:
        """Record a moment of a rig while nothing rolls: it costs work, and what rolls comes first."""
        source = self._asked.shown(request.rig_id, 0)
        with self._lock:
            if self._takes or self._starting:
                raise NotNowError("Something rolls; a picture is measured with once nothing does.")
            sampling = self._samplings.begin(request.rig_id)
        try:
            take_sample(source, Path(request.path), request.seconds, self.clock, sampling.stop)
        finally:
            with self._lock:
                self._samplings.end(request.rig_id)

    def _arrange(self, request: Arrange) -> None:
        """Switch an open rig to another arrangement; where it rolls, the take is marked."""
        take, now_ns = self._take_of(request.rig_id), self.clock.now_ns()
        source = self._asked.opened(request.rig_id, "switch its arrangements")
        marked = source.answer(lambda: source.arrange(request.place), after_ns=now_ns)
        if marked is not None and take is not None:
            self.journal.marked(take.take_id, marked)

    def _start(self, request: StartRoll) -> tuple[int, ...]:
        """Roll; opening a rig may take a while, and only one roll of it begins at a time."""
        wanted = {one.rig_id for one in request.rigs}
        with self._lock:
            if self._is_closing:
                raise RefusedError("Reel is being closed; nothing begins any more.")
            for one in request.rigs:
                take = self._take_of(one.rig_id)
                if take is not None:
                    raise RefusedError(take.why_busy)
                if one.rig_id in self._starting:
                    raise RefusedError(f"{one.rig_name} is just beginning to roll; try again in a moment.")
            self._starting |= wanted
        try:
            self._samplings.stop()
            for one in request.rigs:
                self._maker.shelf_of(one).check(self.reserve_bytes)
            takes = self._prepared(request)
        finally:
            with self._lock:
                self._starting -= wanted
        together = len(takes) > 1
        countdown_s = 0 if request.is_trial else max(one.setup.roll.countdown_s for one in request.rigs)
        if together or countdown_s:
            begins_ns = self.clock.now_ns() + max(SOON_NS if together else 0, countdown_s * NS)
            for take in takes:
                take.begin_at(begins_ns, together=together)
        for take in takes:
            take.begin()
        return tuple(take.take_id for take in takes)

    def _prepared(self, request: StartRoll) -> list[Take]:
        """Make ready all takes, with their files and their ids, or none of them."""
        rigs = request.rigs
        sources = [self._opened_to_roll(one) for one in rigs]  # side by side: each takes its time to open
        until_ns = self.clock.now_ns() + round(OPEN_S * NS)
        for source in filter(None, sources):
            self._wait_opened(source, until_ns)
        with ExitStack() as undo:
            takes = [self._maker.make(request, one, source, undo) for one, source in zip(rigs, sources, strict=True)]
            for take in takes:
                take.take_id = self.journal.rolled(take.rolled)
                undo.callback(self._queue.closed, take.take_id, _never_rolled(take))
            with self._lock:
                for take in takes:
                    self._takes[take.take_id] = take
                    self._notices.pop(take.rolled.rig_id, None)
            undo.pop_all()
        return takes

    def _wait_opened(self, source: Source, until_ns: int) -> None:
        """Wait until a rig's inputs are open or can't be; one whose device is just being let go is tried meanwhile.

        Then until it keeps pace, so that a take loses nothing to what is done for the first time; at most PACE_S.
        """
        source.wait_tried(until_ns)
        while self._rigs.is_let_go(source) and self.clock.now_ns() < until_ns:
            source.try_now()
            self._freed.wait(LOOK_S / 4)
        source.paced.wait(PACE_S)

    def _opened_to_roll(self, one: RigToRoll) -> Source | None:
        """Have a rig opened as it is to roll; None for one whose device records by itself."""
        if signal_chain(one.setup.picture).is_remote:
            return None
        with self._lock:
            return self._rigs.open(one.rig_id, one.setup, one.scenarios, one.rig_name, to_roll=True)

    def _of_each(self, ids: tuple[int, ...], do: Callable[[Take, int], object]) -> tuple[int, ...]:
        """Do something with takes at one instant; raises RefusedError, which says for which of them it was done.

        Where one does not roll, or can't do it at all, nothing is done.
        """
        now_ns = self.clock.now_ns()
        takes = sorted(self._found(ids), key=lambda take: take.can_hold)  # what refuses does so before the others do
        names = [take.rolled.rig_name for take in takes]
        for place, take in enumerate(takes):
            try:
                do(take, now_ns)
            except RefusedError as error:
                if not place:
                    raise
                left = f"Done for {', '.join(names[:place])}; not for {', '.join(names[place:])}."
                raise RefusedError(f"{left} {error}") from error
        return ids

    def _found(self, ids: tuple[int, ...]) -> list[Take]:
        takes = [self._takes.get(take_id) for take_id in ids]
        if None in takes:
            raise RefusedError(NOT_ROLLING)
        return [take for take in takes if take is not None]

    def _mark(self, take: Take, now_ns: int, *, label: str) -> None:
        self.journal.marked(take.take_id, take.mark(label, now_ns))

    def _cut(self, request: Cut) -> tuple[int, ...]:
        with self._lock:
            takes = self._found(request.takes)
            if any(take.is_cut or take.is_ending for take in takes):
                raise RefusedError(NOT_ROLLING)
            for take in takes:
                take.is_cut = True
        now_ns = self.clock.now_ns()
        for take in takes:
            take.cut(now_ns)
        self._wait_ended(takes, CLOSE_S)
        for take in takes:
            if not take.ended.is_set():
                take.give_up()  # its input hangs: what was read is closed without it
        return request.takes

    def _wait_ended(self, takes: Sequence[Take], wait_s: float) -> None:
        """Wait until all have ended, so long in all."""
        until_ns = self.clock.now_ns() + round(wait_s * NS)
        for take in takes:
            take.ended.wait(max(0.0, (until_ns - self.clock.now_ns()) / NS))

    def _wait_closed(self, takes: Sequence[Take], closing: Callable[[str], None]) -> None:
        """Wait until all have ended, or none has moved on for STILL_S."""
        began_ns = moved_ns = self.clock.now_ns()
        before: list[object] = []
        while (left := [take for take in takes if not take.ended.is_set()]) and (
            self.clock.now_ns() - moved_ns < STILL_S * NS
        ):
            attempt("Saying what is closed", partial(closing, ", ".join(take.rolled.name for take in left)))
            now = [take.moved() for take in left]
            if now != before:
                before, moved_ns = now, self.clock.now_ns()
            if self.clock.now_ns() - began_ns > CLOSE_S * NS:
                for take in left:
                    take.give_up()  # where its input hangs, what was read is closed without it
            left[0].ended.wait(LOOK_S)

    def _note_marks(self, take: Take) -> None:
        """Have the marks stored that a roll made by itself."""
        while take.noted:
            self._queue.marked(take.take_id, take.noted.popleft())

    def _on_closed(self, take: Take, closed: Closed) -> None:
        """Store how a take ended, and be ready for the next; runs on the thread that closed it."""
        take.let_go()
        self._note_marks(take)
        if closed.problem:
            with self._lock:
                said = f"{take.rolled.name} ended by itself. {closed.problem}"
                self._notices[take.rolled.rig_id] = said, self.clock.now_ns() + NOTICE_NS
        self._queue.closed(take.take_id, closed)
        with self._lock:
            self._takes.pop(take.take_id, None)
        take.ended.set()
        if take.goes_on is not None:
            self._go_on(take, take.goes_on)

    def _go_on(self, take: Take, request: StartRoll) -> None:
        """Roll the next take of a series; where that can't be, or fails, its rig says so."""

        def begin() -> None:
            self._start(request)

        if (error := attempt("Beginning the next of a series", begin)) is not None:
            said = f"{take.rolled.name} has ended, and no other could begin. {error}"
            with self._lock:
                self._notices[take.rolled.rig_id] = said, self.clock.now_ns() + NOTICE_NS


def _never_rolled(take: Take) -> Closed:
    """Return the end of a take that was stored and then could not begin, since another one could not."""
    problem = "It never began, since another rig that was to roll with it could not."
    return Closed(path=take.reserved.rolling, counts=Counts(), problem=problem, on_device=take.rolled.on_device)
