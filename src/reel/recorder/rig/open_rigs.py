"""The open rigs: each a source on a thread of its own, with who looks on and which device it holds."""

import threading
from collections.abc import Callable
from dataclasses import dataclass, field
from functools import partial
from pathlib import Path
from typing import Protocol

import av

from reel.core.line import InputSetup, RigSetup
from reel.core.media import OverlayAssets
from reel.core.memory import trim_memory
from reel.core.signal import NS, FloatArray, HeldError, Input, SoundFormat
from reel.recorder.clock import Clock
from reel.recorder.guard import guarded, readable
from reel.recorder.inputs.drivers import openers_for
from reel.recorder.inputs.reader import Opener
from reel.recorder.messages import InputStatus, RefusedError, RigStatus, Simulate
from reel.recorder.rig.listening import Choice
from reel.recorder.rig.source import Source
from reel.standins import Claps, Scenario, Trouble, for_inputs

LEASE_NS = 8 * NS
# When its last page has gone a rig stays open this long, for the next page of the same rig.
STAY_NS = 2 * NS
# A rig whose thread has ended by an error is opened anew after this long.
ANEW_NS = 5 * NS


class Screen(Protocol):
    """Where framed pictures go that somebody watches, and sound that somebody listens to."""

    def watched(self, rig_id: int) -> bool: ...
    def wanted(self, rig_id: int) -> bool: ...
    def show(self, rig_id: int, frame: av.VideoFrame) -> None: ...
    def forget(self, rig_id: int) -> None: ...
    def listened(self, rig_id: int) -> frozenset[Choice]: ...
    def sound(self, rig_id: int, choice: Choice, data: FloatArray, at_ns: int, comes: SoundFormat) -> None: ...


@dataclass(frozen=True, slots=True)
class _Hold:
    """A device held by one opening of a rig, which is not the same as another opening of that rig."""

    rig_id: int
    rig_name: str


class Holders:
    """Which rig has which device open: one at a time. May be used from any thread."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._holds: dict[str, _Hold] = {}

    def take(self, identity: str, label: str, hold: _Hold) -> None:
        """Have a rig hold a device, also when it is just opened anew; raises HeldError when another rig has it.

        "" is held by nobody.
        """
        if not identity:
            return
        with self._lock:
            held = self._holds.setdefault(identity, hold)
            if held.rig_id != hold.rig_id:
                raise HeldError(label, held.rig_name)
            self._holds[identity] = hold

    def let_go(self, hold: _Hold) -> None:
        """Have one opening of a rig hold nothing any more."""
        with self._lock:
            self._holds = {identity: held for identity, held in self._holds.items() if held is not hold}

    def holder(self, identity: str) -> int | None:
        """Return the rig that holds a device."""
        with self._lock:
            held = self._holds.get(identity)
        return held.rig_id if held is not None else None


@dataclass(slots=True, kw_only=True)
class OpenRig:
    """A source on threads of its own. `viewers` are the pages that look on, each until some instant.

    `troubles` are those of its inputs, where these are simulated.
    """

    name: str
    scenarios: tuple[Scenario, ...]
    troubles: tuple[Trouble, ...]
    source: Source
    thread: threading.Thread
    opened_ns: int
    lease_ns: int = 0
    viewers: dict[str, int] = field(default_factory=dict)

    @property
    def identities(self) -> tuple[str, ...]:
        """The devices that it wants for itself, but for those that any number of rigs may open."""
        return tuple(one.origin.identity for one in self.source.setup.inputs if one.origin.identity)

    @property
    def is_alive(self) -> bool:
        return self.thread.is_alive() and self.source.is_alive

    def is_looked_at(self, now_ns: int) -> bool:
        return any(until_ns > now_ns for until_ns in self.viewers.values())


class OpenRigs:
    """All open rigs. Its methods are called under the recorder's lock and wait for nothing."""

    def __init__(
        self, clock: Clock, feeds: Path, screen: Screen, keeps: Callable[[int], bool], assets: OverlayAssets
    ) -> None:
        """Begin with none; `keeps` says of a rig that it must stay open, since it rolls."""
        self._clock, self._feeds, self._screen, self._keeps = clock, feeds, screen, keeps
        self._assets = assets
        self._rigs: dict[int, OpenRig] = {}
        self._leaving: list[OpenRig] = []
        self._holders = Holders()
        self.claps = Claps()

    def get(self, rig_id: int) -> OpenRig | None:
        return self._rigs.get(rig_id)

    def open(
        self,
        rig_id: int,
        setup: RigSetup,
        scenarios: tuple[Scenario, ...],
        name: str,
        viewer: str = "",
        *,
        to_roll: bool = False,
    ) -> Source:
        """Open a rig, or keep it open.

        With other inputs or scenarios than before, or after it has failed, it is opened anew; other changes are
        taken up without that. One that rolls is left as it is; what is opened `to_roll` must be as asked. Scenarios
        that are left out are plain ones.
        """
        now_ns = self._clock.now_ns()
        scenarios = for_inputs(scenarios, setup.inputs)
        rig = self._rigs.get(rig_id)
        if rig is not None and (to_roll or not self._keeps(rig_id)):
            failed = not rig.is_alive and (to_roll or now_ns - rig.opened_ns > ANEW_NS)
            if rig.scenarios != scenarios or not rig.source.can_become(setup) or failed:
                self.close(rig_id)
                rig = None
            elif rig.source.setup != setup:
                rig.source.become(setup)
        if rig is None:
            rig = self._rigs[rig_id] = self._start(rig_id, setup, scenarios, name)
        rig.lease_ns = now_ns + LEASE_NS
        if viewer:
            rig.viewers[viewer] = rig.lease_ns
        self._make_way(now_ns)
        return rig.source

    def is_let_go(self, source: Source) -> bool:
        """Return whether a device that a source could not open is held by no rig that is open: it may, in a moment."""
        inputs = zip(source.setup.inputs, source.readings, strict=True)
        held = [one.origin.identity for one, reading in inputs if reading.is_held]
        holders = [self._rigs.get(self._holders.holder(identity) or 0) for identity in held]
        return bool(held) and all(rig is None or rig.source is source for rig in holders)

    def simulate(self, request: Simulate) -> None:
        """Have something fail of an input from now on, or all work again; raises RefusedError for a rig that is closed.

        What could not be opened is tried again at once.
        """
        rig = self._rigs.get(request.rig_id)
        if rig is None or not 0 <= request.place < len(rig.troubles):
            raise RefusedError("The rig is closed; look at its signal first.")
        if request.fault is None:
            rig.troubles[request.place].end()
        else:
            rig.troubles[request.place].begin(request.fault, self._clock.now_ns())
        rig.source.try_now()

    def leave(self, rig_id: int, viewer: str) -> None:
        """Note that a page no longer looks on."""
        rig, now_ns = self._rigs.get(rig_id), self._clock.now_ns()
        if rig is None:
            return
        rig.viewers.pop(viewer, None)
        if not rig.is_looked_at(now_ns):
            rig.lease_ns = min(rig.lease_ns, now_ns + STAY_NS)
        self._make_way(now_ns)

    def close(self, rig_id: int) -> None:
        """Close a rig; its thread lets the device go by itself."""
        rig = self._rigs.pop(rig_id)
        rig.source.stop()
        self._leaving.append(rig)
        self._screen.forget(rig_id)

    def look_after(self) -> None:
        """Close rigs whose lease has run out, forget those that have gone."""
        now_ns = self._clock.now_ns()
        for rig_id, rig in list(self._rigs.items()):
            if rig.lease_ns < now_ns and not self._keeps(rig_id):
                self.close(rig_id)
        left = len(self._leaving)
        self._leaving = [rig for rig in self._leaving if rig.thread.is_alive()]
        if len(self._leaving) < left and not any(self._keeps(rig_id) for rig_id in self._rigs):
            trim_memory()

    def shut_down(self, wait_s: float) -> None:
        """Close all, and wait for their threads, so long in all."""
        for rig_id in list(self._rigs):
            self.close(rig_id)
        until_ns = self._clock.now_ns() + round(wait_s * NS)
        for rig in self._leaving:
            rig.thread.join(max(0.0, (until_ns - self._clock.now_ns()) / NS))

    def statuses(self) -> tuple[RigStatus, ...]:
        """Say how each stands; may be called from any thread."""
        now_ns = self._clock.now_ns()
        return tuple(
            readable("Saying how a rig stands", partial(_status, rig_id, rig, now_ns), RigStatus)
            or _odd(rig_id, rig.source)
            for rig_id, rig in list(self._rigs.items())
        )

    def _make_way(self, now_ns: int) -> None:
        """Close rigs that nobody looks at and that hold a device which another one wants."""
        for rig_id, rig in list(self._rigs.items()):
            for identity in rig.identities:
                holder_id = self._holders.holder(identity)
                holder = self._rigs.get(holder_id) if holder_id not in (None, rig_id) else None
                if holder is None or holder_id is None or self._keeps(holder_id) or holder.is_looked_at(now_ns):
                    continue
                self.close(holder_id)
                rig.source.try_now()

    def _start(self, rig_id: int, setup: RigSetup, scenarios: tuple[Scenario, ...], name: str) -> OpenRig:
        troubles = tuple(Trouble(scenario) for scenario in scenarios)
        openers = openers_for(setup, scenarios, self._feeds, self._clock.now_ns, self.claps, troubles)
        holds = [_Hold(rig_id, name) for _ in setup.inputs]  # each of its own: an input lets go what it holds alone
        alone = [self._alone(one, hold, opener) for one, hold, opener in zip(setup.inputs, holds, openers, strict=True)]
        holders, screen = self._holders, self._screen
        source = Source(
            setup,
            alone,
            self._clock,
            assets=self._assets,
            wanted=lambda: screen.wanted(rig_id),
            watched=lambda: screen.watched(rig_id),
            show=lambda frame: screen.show(rig_id, frame),
            listened=lambda: screen.listened(rig_id),
            sound=partial(screen.sound, rig_id),
            released=lambda place: holders.let_go(holds[place]),
        )
        thread = guarded(f"Reading the signal of {name or 'the rig'}", source.run, source.failed)
        thread.start()
        opened_ns = self._clock.now_ns()
        return OpenRig(
            name=name, scenarios=scenarios, troubles=troubles, source=source, thread=thread, opened_ns=opened_ns
        )

    def _alone(self, setup: InputSetup, hold: _Hold, opener: Opener) -> Opener:
        """Have an input hold its device before it is opened."""
        label = f"The {setup.device.facts.label.lower()}"

        def open_alone(start_ns: int) -> Input:
            self._holders.take(setup.origin.identity, label, hold)
            return opener(start_ns)

        return open_alone


def _odd(rig_id: int, source: Source) -> RigStatus:
    """Say of a rig no more than that how it stands can't be said."""
    problem = "How it stands can't be said; the recorder's log says more."
    return RigStatus(
        rig_id=rig_id, inputs=tuple(InputStatus(name=one.name, problem=problem) for one in source.setup.inputs)
    )


def _status(rig_id: int, rig: OpenRig, now_ns: int) -> RigStatus:
    source = rig.source
    voice, game = source.pair or (0, 0)
    return RigStatus(
        rig_id=rig_id,
        inputs=source.readings,
        arrangement=source.frames.arrangement,
        strokes=source.frames.strokes,
        toggled="".join(sorted(source.frames.toggled)),
        balance=source.balance,
        voice=voice,
        game=game,
        sync=source.sync.status(now_ns) if source.sync else None,
        kept_s=source.pre_record.length_s,
        kept_bytes=source.pre_record.size_bytes,
        faults=tuple(trouble.at(now_ns) for trouble in rig.troubles),
    )
