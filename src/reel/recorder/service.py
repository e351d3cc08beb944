"""The recorder: the open rigs, the take that rolls, and what may be asked of them."""

import datetime
import threading
from collections.abc import Callable
from concurrent.futures import Future
from concurrent.futures import TimeoutError as TooLateError
from contextlib import ExitStack
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, TypeVar

from reel.core.file import FilePlan
from reel.core.line import chain, file_plan
from reel.core.media import Materials, PartWriter, Reserved, Shelf
from reel.recorder.clock import Clock
from reel.recorder.ends import Ends
from reel.recorder.guard import attempt
from reel.recorder.journal import Closed, Journal, Rolled
from reel.recorder.lane import Lane
from reel.recorder.messages import (
    AddMark,
    Arrange,
    Ask,
    CarryOn,
    Cut,
    Done,
    Draw,
    FindBars,
    Hold,
    Leave,
    Open,
    RefusedError,
    Request,
    StartRoll,
    Status,
    TestFields,
    TestSync,
    Toggle,
)
from reel.recorder.remote import RemoteTake, own_recorder_of, recording_input
from reel.recorder.rigs import OpenRigs, Screen
from reel.recorder.roll import RollState
from reel.recorder.source import Source
from reel.recorder.take import RollingTake, Take
from reel.standins import Play, RecordingDevice

T = TypeVar("T")
ANSWER_S = 5.0
OPEN_S = 15.0
CLOSE_S = 4.0
END_S = 3.0
LEAVE_S = 0.5


@dataclass(slots=True)
class Recorder:
    """Answers requests, several at a time, each on the thread that asks; nothing waits under its lock.

    Each open rig runs on a thread of its own, each part is written on another.
    """

    clock: Clock
    shelf: Shelf
    feeds: Path
    devices: Path
    journal: Journal
    screen: Screen
    materials: Materials = field(default_factory=Materials)
    reserve_bytes: int = 0
    _lock: threading.RLock = field(default_factory=threading.RLock)
    _notice: str | None = None
    _rigs: OpenRigs = field(init=False)
    _ends: Ends = field(init=False)
    _take: RollingTake | RemoteTake | None = None
    _starting: int | None = None
    _closed: threading.Event = field(default_factory=threading.Event)

    def __post_init__(self) -> None:
        self._rigs = OpenRigs(self.clock, self.feeds, self.screen, self._is_rolling, self.materials)
        self._ends = Ends(self.journal)

    def answer(self, request: Request) -> Done:
        """Do what is asked; raises RefusedError and what the rooms below raise."""
        done: dict[type[Request], Callable[[Any], int | None]] = {
            Open: self._open,
            Leave: self._leave,
            TestFields: self._test_fields,
            FindBars: self._find_bars,
            TestSync: self._test_sync,
            StartRoll: self._start,
            Hold: lambda _: self._hold(),
            CarryOn: lambda _: self._carry_on(),
            AddMark: self._mark,
            Arrange: self._arrange,
            Toggle: self._toggle,
            Draw: self._draw,
            Cut: self._cut,
            Ask: lambda _: None,
        }
        take_id = done[type(request)](request)
        return Done(status=self.status(), take_id=take_id)

    def status(self) -> Status:
        """Say how everything stands; may be called from any thread."""
        take = self._take
        notice = " ".join(said for said in (self._notice, self._ends.problem) if said) or None
        return Status(rigs=self._rigs.statuses(), roll=take.status() if take else None, notice=notice)

    def look_after(self) -> None:
        """Do what nobody asks for: cut a take that can't go on, close rigs whose lease has run out."""
        take = self._take
        if take is not None and take.ends_by is None and take.must_end():
            self._begin_cut(take)
        with self._lock:
            self._rigs.look_after()

    def shut_down(self) -> None:
        """Cut what rolls, wait for its file, close every rig. What takes too long is left to the next start."""
        take = self._take
        if take is not None:
            attempt("Cutting the take", lambda: self._begin_cut(take))
            self._closed.wait(END_S)
        self._ends.stop()
        with self._lock:
            self._rigs.shut_down(LEAVE_S)

    def _is_rolling(self, rig_id: int) -> bool:
        return self._starting == rig_id or (self._take is not None and self._take.rolled.rig_id == rig_id)

    def _open(self, request: Open) -> None:
        rig_id = request.rig_id
        with self._lock:
            if not chain(request.setup.picture).is_remote:
                self._rigs.open(rig_id, request.setup, request.plays, request.rig_name, request.viewer)
            elif self._rigs.get(rig_id) is not None and not self._is_rolling(rig_id):
                self._rigs.close(rig_id)  # nothing of it is seen while the device records

    def _leave(self, request: Leave) -> None:
        with self._lock:
            self._rigs.leave(request.rig_id, request.viewer)

    def _test_fields(self, request: TestFields) -> None:
        self._open_input(request.rig_id, request.place).test_fields(request.place)

    def _open_input(self, rig_id: int, place: int) -> Source:
        """Give the source of an input that has a picture; raises RefusedError."""
        rig = self._rigs.get(rig_id)
        if rig is None or not 0 <= place < len(rig.source.readings) or rig.source.readings[place].signal is None:
            raise RefusedError("Nothing arrives that could be tested; open the rig and play a part with movement.")
        return rig.source

    def _find_bars(self, request: FindBars) -> None:
        self._open_input(request.rig_id, request.place).find_bars(request.place)

    def _test_sync(self, request: TestSync) -> None:
        """Begin a sync test; where the room is simulated, somebody claps in it meanwhile."""
        self._open_input(request.rig_id, request.place).test_sync(request.place)
        self._rigs.claps.clap(self.clock.now_ns())

    def _arrange(self, request: Arrange) -> None:
        """Switch an open rig to another arrangement; where it rolls, the take is marked."""
        rig, take, now_ns = self._rigs.get(request.rig_id), self._take, self.clock.now_ns()
        if rig is None:
            raise RefusedError("The rig is closed; open it to switch its arrangements.")
        source = rig.source
        marked = _on_source(source, lambda: source.arrange(request.place), now_ns)
        if marked is not None and take is not None:
            self.journal.marked(take.take_id, marked)

    def _toggle(self, request: Toggle) -> None:
        rig = self._rigs.get(request.rig_id)
        if rig is None:
            raise RefusedError("The rig is closed; open it to show and hide its pictures.")
        source = rig.source
        _on_source(source, lambda: source.toggle(request.key), self.clock.now_ns())

    def _draw(self, request: Draw) -> None:
        rig = self._rigs.get(request.rig_id)
        if rig is None:
            raise RefusedError("The rig is closed; open it to draw on its picture.")
        rig.source.draw(request)

    def _start(self, request: StartRoll) -> int:
        """Roll; opening the rig may take a while, and only one roll begins at a time."""
        with self._lock:
            if self._take is not None:
                raise RefusedError(f"{self._take.rolled.rig_name} {_why_busy(self._take)}")
            if self._starting is not None:
                raise RefusedError("A rig is just beginning to roll; try again in a moment.")
            self._starting = request.rig_id
        try:
            self.shelf.check(self.reserve_bytes)
            if chain(request.setup.picture).is_remote:
                return self._start_remote(request)
            return self._start_live(request)
        finally:
            self._starting = None

    def _start_live(self, request: StartRoll) -> int:
        with self._lock:
            source = self._rigs.open(request.rig_id, request.setup, request.plays, request.rig_name, to_roll=True)
        source.wait_tried(OPEN_S)
        for one, reading in zip(request.setup.inputs, source.readings, strict=True):
            if reading.problem is not None:
                who = request.rig_name if one is request.setup.picture else f"{one.name} of {request.rig_name}"
                raise RefusedError(f"{who} can't roll. {reading.problem}")
        recipe, plan, started_at = request.setup.recipe, source.plan(), self.clock.wall()
        with ExitStack() as undo:
            reserved = self.shelf.reserve(
                recipe.name_pattern, rig=request.rig_name, date=started_at.date(), suffix=recipe.suffix
            )
            undo.callback(self.shelf.discard, reserved)
            writer = PartWriter(reserved.rolling, plan)
            undo.callback(attempt, "Closing the file", writer.close)
            lane = Lane(writer, closed=lambda error: take.close(error))
            take = RollingTake(
                shelf=self.shelf,
                reserve_bytes=self.reserve_bytes,
                reserved=reserved,
                rolled=_rolled(request, plan, reserved, started_at),
                roll=source.make_roll(lane, plan),
                closed=self._on_closed,
            )
            take.watch_file()
            undo.callback(take.let_go)
            take.take_id = self.journal.rolled(take.rolled)
            undo.pop_all()
        self._set_take(take)
        lane.start()
        source.call(lambda: source.begin(take.roll))
        return take.take_id

    def _start_remote(self, request: StartRoll) -> int:
        """Tell a device that records by itself to start."""
        picture, plan, started_at = recording_input(request.setup), file_plan(request.setup), self.clock.wall()
        hop, kind = own_recorder_of(request.setup), picture.device.kind.value
        storage, recipe = Shelf(self.devices / kind), plan.recipe
        storage.make()
        with ExitStack() as undo:
            reserved = storage.reserve(
                recipe.name_pattern, rig=request.rig_name, date=started_at.date(), suffix=recipe.suffix
            )
            undo.callback(storage.discard, reserved)
            own = RecordingDevice(
                picture.device,
                request.plays[0] if request.plays else Play(),
                hop.chosen(picture.path[-1].option),
                reserved.rolling,
                plan,
                now_ns=self.clock.now_ns,
                max_s=hop.max_s,
            )
            take = RemoteTake(
                own=own,
                storage=storage,
                reserved=reserved,
                rolled=_rolled(request, plan, reserved, started_at, on_device=kind),
                shelf=self.shelf if hop.comes_over else None,
                closed=self._on_closed,
            )
            own.check()
            take.take_id = self.journal.rolled(take.rolled)
            undo.pop_all()
        self._set_take(take)
        own.start()
        return take.take_id

    def _set_take(self, take: RollingTake | RemoteTake) -> None:
        with self._lock:
            self._closed.clear()
            self._take, self._notice = take, None

    def _hold(self) -> int:
        take, source = self._rolling()
        if take.roll.state is RollState.HOLDING:
            raise RefusedError("The roll is on hold already.")
        now_ns = self.clock.now_ns()
        _on_source(source, lambda: source.hold(now_ns), now_ns)
        return take.take_id

    def _carry_on(self) -> int:
        take, source = self._rolling()
        if take.roll.state is not RollState.HOLDING:
            raise RefusedError("The roll is not on hold.")
        _on_source(source, source.carry_on)
        return take.take_id

    def _mark(self, request: AddMark) -> int:
        found, label = self._take, request.label
        if isinstance(found, RemoteTake):
            self.journal.marked(found.take_id, found.mark(label))
            return found.take_id
        take, source = self._rolling()
        marked = _on_source(source, lambda: source.mark(label), self.clock.now_ns())
        if marked is None:
            raise RefusedError("Nothing is rolling; the take was cut already.")
        self.journal.marked(take.take_id, marked)
        return take.take_id

    def _cut(self, request: Cut) -> int:
        with self._lock:
            take, take_id = self._take, request.take_id
            if take is None or take.is_cut or (isinstance(take, RollingTake) and _is_ending(take)):
                raise RefusedError("Nothing is rolling; the take was cut already.")
            if take_id is not None and take_id != take.take_id:
                raise RefusedError("That take was cut already; another one is rolling.")
            take.is_cut = True
        self._begin_cut(take)
        if not self._closed.wait(CLOSE_S) and isinstance(take, RollingTake) and not _is_ending(take):
            take.roll.lane.finish()  # its input hangs: what was read is closed without it
        return take.take_id

    def _begin_cut(self, take: RollingTake | RemoteTake) -> None:
        """Have a take end; returns at once."""
        if isinstance(take, RemoteTake):
            take.cut()
            return
        rig, now_ns = self._rigs.get(take.rolled.rig_id), self.clock.now_ns()
        if rig is None or not rig.thread.is_alive():  # nobody else touches the roll any more
            take.roll.abandon(now_ns)
            take.roll.lane.finish()
        else:
            rig.source.call(lambda: rig.source.cut(now_ns), after_ns=now_ns)

    def _rolling(self) -> tuple[RollingTake, Source]:
        take = self._take
        if isinstance(take, RemoteTake):
            raise RefusedError("The device records by itself and can't hold; cut, and roll again.")
        rig = self._rigs.get(take.rolled.rig_id) if take is not None else None
        if take is None or rig is None or _is_ending(take):
            raise RefusedError("Nothing is rolling; the take was cut already.")
        return take, rig.source

    def _on_closed(self, take: Take, closed: Closed) -> None:
        """Store how a take ended, and be ready for the next; runs on the thread that closed it."""
        self._ends.store(take.take_id, closed)
        with self._lock:
            if closed.problem:
                self._notice = f"{take.rolled.name} ended by itself. {closed.problem}"
            self._take = None
            self._closed.set()


def _rolled(
    request: StartRoll, plan: FilePlan, reserved: Reserved, at: datetime.datetime, on_device: str = ""
) -> Rolled:
    return Rolled(
        rig_id=request.rig_id,
        rig_name=request.rig_name,
        setup=request.setup,
        plan=plan,
        name=f"{request.rig_name} {reserved.number:03}",
        rolling=reserved.rolling,
        started_at=at,
        on_device=on_device,
    )


def _is_ending(take: RollingTake) -> bool:
    return take.roll.state in (RollState.ENDING, RollState.ENDED)


def _why_busy(take: RollingTake | RemoteTake) -> str:
    if isinstance(take, RollingTake) and _is_ending(take):
        return "still closes its last take; roll again in a moment."
    return "is rolling already; cut it first."


def _on_source(source: Source, work: Callable[[], T], after_ns: int | None = None) -> T:
    """Run `work` on the source's thread, after what was due by `after_ns` has been read, and give its result."""
    future: Future[T] = Future()

    def run() -> None:
        try:
            future.set_result(work())
        except Exception as error:
            future.set_exception(error)

    source.call(run, after_ns=after_ns)
    try:
        return future.result(timeout=ANSWER_S)
    except TooLateError:
        raise RefusedError(f"The signal is being read and did not answer in {ANSWER_S:.0f} s; try again.") from None
