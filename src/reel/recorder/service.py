"""The recorder: the open rigs, the take that rolls, and what may be asked of them."""

import threading
from collections.abc import Callable
from concurrent.futures import Future
from contextlib import suppress
from dataclasses import dataclass, field
from pathlib import Path
from typing import Protocol, TypeVar

import av

from reel.core.line import RigSetup, chain
from reel.core.media import PartWriter, Shelf
from reel.core.signal import NS, Input, InputError
from reel.recorder.clock import Clock
from reel.recorder.journal import Journal, Rolled
from reel.recorder.lane import Lane
from reel.recorder.messages import (
    AddMark,
    Ask,
    CarryOn,
    Cut,
    Done,
    Hold,
    Open,
    RefusedError,
    Request,
    RigStatus,
    StartRoll,
    Status,
    TestFields,
)
from reel.recorder.opening import opener_for
from reel.recorder.remote import RemoteTake, own_recorder_of, remote_setup
from reel.recorder.roll import Roll, RollState
from reel.recorder.source import Source
from reel.recorder.take import RollingTake
from reel.standins import OwnRecorder

T = TypeVar("T")
LEASE_NS = 8 * NS
# A page renews its lease every two seconds; one that has not for this long is gone when another wants its device.
RENEWED_NS = 3 * NS
ANSWER_S = 5.0
OPEN_S = 6.0
CLOSE_S = 4.0


class Screen(Protocol):
    """Where framed pictures go that somebody watches."""

    def wanted(self, rig_id: int) -> bool: ...  # noqa: D102
    def show(self, rig_id: int, frame: av.VideoFrame) -> None: ...  # noqa: D102


@dataclass(slots=True)
class _OpenRig:
    """A source on its own thread. It is closed when nobody has asked for it for LEASE_NS, unless it rolls."""

    name: str
    source: Source
    thread: threading.Thread
    lease_ns: int

    @property
    def identity(self) -> str:
        """The device that it holds; "" for one that any number of rigs may open."""
        return self.source.setup.device.identity


@dataclass(slots=True)
class Recorder:
    """Answers requests on one thread; each open rig runs on a thread of its own, each part is written on another."""

    clock: Clock
    shelf: Shelf
    feeds: Path
    devices: Path
    journal: Journal
    screen: Screen
    reserve_bytes: int = 0
    _notice: str | None = None
    _rigs: dict[int, _OpenRig] = field(default_factory=dict)
    _take: RollingTake | RemoteTake | None = None
    _closed: threading.Event = field(default_factory=threading.Event)

    def answer(self, request: Request) -> Done:
        """Do what is asked; raises RefusedError and what the rooms below raise."""
        take_id: int | None = None
        match request:
            case Open():
                self._open(request.rig_id, request.setup, request.rig_name)
            case TestFields():
                self._test_fields(request.rig_id)
            case StartRoll():
                take_id = self._start(request)
            case Hold():
                take_id = self._hold()
            case CarryOn():
                take_id = self._carry_on()
            case AddMark():
                take_id = self._mark(request.label)
            case Cut():
                take_id = self._cut(request.take_id)
            case Ask():
                pass
        return Done(status=self.status(), take_id=take_id)

    def status(self) -> Status:
        """Say how everything stands; may be called from any thread."""
        rigs = []
        for rig_id, rig in list(self._rigs.items()):
            reading = rig.source.reading
            rigs.append(
                RigStatus(
                    rig_id=rig_id,
                    signal=reading.signal,
                    sound=reading.sound,
                    levels=reading.levels,
                    watched=reading.watched,
                    problem=reading.problem,
                    alarms=reading.alarms,
                    field_test=reading.field_test,
                    is_testing=reading.is_testing,
                )
            )
        take = self._take
        return Status(rigs=tuple(rigs), roll=take.status() if take else None, notice=self._notice)

    def look_after(self) -> None:
        """Do what nobody asks for: cut a take that has reached the reserve, close rigs whose lease has run out."""
        take = self._take
        if take is not None and take.ends_by is None and take.must_end():
            with suppress(RefusedError):  # the person was quicker
                self._cut(take.take_id)
        self._close_unwatched()

    def _close_unwatched(self) -> None:
        now_ns = self.clock.now_ns()
        for rig_id, rig in list(self._rigs.items()):
            if rig.lease_ns < now_ns and not self._is_rolling(rig_id):
                self._close_rig(rig_id)

    def shut_down(self) -> None:
        """Cut what rolls, wait for its file, close every rig."""
        if self._take is not None:
            self._cut(None)
            self._closed.wait(CLOSE_S)
        for rig_id in list(self._rigs):
            self._close_rig(rig_id)

    def _is_rolling(self, rig_id: int) -> bool:
        return self._take is not None and self._take.rolled.rig_id == rig_id

    def _open(self, rig_id: int, setup: RigSetup, name: str) -> Source | None:
        rig = self._rigs.get(rig_id)
        if rig is not None and rig.source.setup != setup and not self._is_rolling(rig_id):
            self._close_rig(rig_id)
            rig = None
        if chain(setup).is_remote:  # nothing of it is seen while the device records
            return None
        self._take_over(rig_id, setup.device.identity)
        if rig is None:
            rig = self._rigs[rig_id] = self._start_rig(rig_id, setup, name)
        rig.lease_ns = self.clock.now_ns() + LEASE_NS
        return rig.source

    def _take_over(self, rig_id: int, identity: str) -> None:
        """Close a rig that holds the device and that no page keeps open any more."""
        stale_ns = self.clock.now_ns() + LEASE_NS - RENEWED_NS
        for other_id, other in list(self._rigs.items()):
            same = identity and other_id != rig_id and other.identity == identity
            if same and other.lease_ns < stale_ns and not self._is_rolling(other_id):
                self._close_rig(other_id)
                if (waiting := self._rigs.get(rig_id)) is not None:
                    waiting.source.call(waiting.source.try_now)

    def _start_rig(self, rig_id: int, setup: RigSetup, name: str) -> _OpenRig:
        opener = opener_for(setup, self.feeds, self.clock.now_ns)

        def open_alone(start_ns: int) -> Input:
            holder = self._holder(rig_id, setup.device.identity)
            if holder is not None:
                raise InputError(f"The {setup.device.kind.label.lower()}", f"is held by the rig “{holder}”")
            return opener(start_ns)

        source = Source(
            setup,
            open_alone,
            self.clock,
            wanted=lambda: self.screen.wanted(rig_id),
            show=lambda frame: self.screen.show(rig_id, frame),
        )
        thread = threading.Thread(target=source.run_until, name=f"rig {rig_id}")
        thread.start()
        return _OpenRig(name, source, thread, 0)

    def _holder(self, rig_id: int, identity: str) -> str | None:
        """Name the rig that was opened before this one and holds its device; None when it is free."""
        for other_id, other in list(self._rigs.items()):
            if other_id == rig_id:
                return None
            if identity and other.identity == identity:
                return other.name
        return None

    def _test_fields(self, rig_id: int) -> None:
        rig = self._rigs.get(rig_id)
        if rig is None or rig.source.reading.signal is None:
            raise RefusedError("Nothing arrives that could be tested; open the rig and play a part with movement.")
        rig.source.call(rig.source.test_fields)

    def _close_rig(self, rig_id: int) -> None:
        rig = self._rigs.pop(rig_id)
        rig.source.stop()
        rig.thread.join()

    def _start(self, request: StartRoll) -> int:
        if self._take is not None:
            roll = self._take.roll if isinstance(self._take, RollingTake) else None
            is_closing = roll is not None and roll.state in (RollState.ENDING, RollState.ENDED)
            what = (
                "still closes its last take; roll again in a moment."
                if is_closing
                else "is rolling already; cut it first."
            )
            raise RefusedError(f"{self._take.rolled.rig_name} {what}")
        self.shelf.check(self.reserve_bytes)
        if chain(request.setup).is_remote:
            return self._start_remote(request)
        source = self._open(request.rig_id, request.setup, request.rig_name)
        assert source is not None
        source.tried.wait(OPEN_S)
        reading = source.reading
        if reading.problem is not None:
            raise RefusedError(f"{request.rig_name} can't roll. {reading.problem}")
        recipe, started_at = request.setup.recipe, self.clock.wall()
        reserved = self.shelf.reserve(
            recipe.name_pattern, rig=request.rig_name, date=started_at.date(), container=recipe.container
        )
        rolled = Rolled(
            rig_id=request.rig_id,
            rig_name=request.rig_name,
            setup=request.setup,
            name=f"{request.rig_name} {reserved.number:03}",
            rolling=reserved.rolling,
            started_at=started_at,
            sound_tracks=1 if reading.sound else 0,
        )
        take = RollingTake(
            reserve_bytes=self.reserve_bytes,
            shelf=self.shelf,
            reserved=reserved,
            journal=self.journal,
            rolled=rolled,
            on_closed=self._on_closed,
        )
        lane = Lane(PartWriter(reserved.rolling, recipe, reading.sound), closed=take.close)
        take.roll = Roll(lane, recipe.tick_rate, reading.sound, filled=not recipe.as_it_comes)
        take.take_id = self.journal.rolled(rolled)
        self._closed.clear()
        self._take, self._notice = take, None
        lane.start()
        _on_source(source, lambda: setattr(source, "roll", take.roll))
        return take.take_id

    def _start_remote(self, request: StartRoll) -> int:
        """Tell a device that records by itself to start."""
        setup, started_at = remote_setup(request.setup), self.clock.wall()
        hop = own_recorder_of(setup)
        folder = self.devices / setup.device.kind.value
        folder.mkdir(parents=True, exist_ok=True)
        storage, recipe = Shelf(folder), setup.recipe
        reserved = storage.reserve(
            recipe.name_pattern, rig=request.rig_name, date=started_at.date(), container=recipe.container
        )
        own = OwnRecorder(
            setup.device,
            hop.chosen(setup.path[-1].option),
            reserved.rolling,
            recipe,
            now_ns=self.clock.now_ns,
            max_s=hop.max_s,
        )
        rolled = Rolled(
            rig_id=request.rig_id,
            rig_name=request.rig_name,
            setup=setup,
            name=f"{request.rig_name} {reserved.number:03}",
            rolling=reserved.rolling,
            started_at=started_at,
            sound_tracks=1,
        )
        take = RemoteTake(
            own=own,
            storage=storage,
            reserved=reserved,
            shelf=self.shelf if hop.comes_over else None,
            journal=self.journal,
            rolled=rolled,
            on_closed=self._on_closed,
        )
        take.take_id = self.journal.rolled(rolled)
        self._closed.clear()
        self._take, self._notice = take, None
        own.start()
        return take.take_id

    def _hold(self) -> int:
        take, roll, source = self._rolling()
        if roll.state is RollState.HOLDING:
            raise RefusedError("The roll is on hold already.")
        _on_source(source, lambda: roll.hold(self.clock.now_ns()))
        return take.take_id

    def _carry_on(self) -> int:
        take, roll, source = self._rolling()
        if roll.state is not RollState.HOLDING:
            raise RefusedError("The roll is not on hold.")
        _on_source(source, roll.carry_on)
        return take.take_id

    def _mark(self, label: str) -> int:
        if isinstance(self._take, RemoteTake):
            self.journal.marked(self._take.take_id, self._take.mark(label))
            return self._take.take_id
        take, roll, source = self._rolling()
        self.journal.marked(take.take_id, _on_source(source, lambda: roll.mark(label)))
        return take.take_id

    def _cut(self, take_id: int | None) -> int:
        if self._take is not None and take_id is not None and take_id != self._take.take_id:
            raise RefusedError("That take was cut already; another one is rolling.")
        if isinstance(self._take, RemoteTake):
            remote = self._take
            remote.close()
            return remote.take_id
        take, roll, source = self._rolling()
        _on_source(source, lambda: roll.cut(self.clock.now_ns()))
        self._closed.wait(CLOSE_S)
        return take.take_id

    def _rolling(self) -> tuple[RollingTake, Roll, Source]:
        take = self._take
        if isinstance(take, RemoteTake):
            raise RefusedError("The device records by itself and can't hold; cut, and roll again.")
        if take is None or take.roll is None or take.roll.state in (RollState.ENDING, RollState.ENDED):
            raise RefusedError("Nothing is rolling; the take was cut already.")
        return take, take.roll, self._rigs[take.rolled.rig_id].source

    def _on_closed(self, problem: str | None) -> None:
        take = self._take
        if take is not None and problem:
            self._notice = f"{take.rolled.name} ended by itself. {problem}"
        if take is not None and (rig := self._rigs.get(take.rolled.rig_id)) is not None:
            rig.source.roll = None
        self._take = None
        self._closed.set()


def _on_source(source: Source, work: Callable[[], T]) -> T:
    """Run `work` on the source's thread, after what is due has been read, and give its result."""
    future: Future[T] = Future()

    def run() -> None:
        try:
            future.set_result(work())
        except Exception as error:
            future.set_exception(error)

    source.call(run)
    return future.result(timeout=ANSWER_S)
