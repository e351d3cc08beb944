"""Making the takes of a roll: each with the file that it is written to, its name set aside."""

from collections.abc import Callable
from contextlib import ExitStack
from dataclasses import dataclass, replace
from datetime import timedelta
from fractions import Fraction
from functools import partial
from pathlib import Path
from typing import Any

from reel.core.file import FilePlan
from reel.core.line import file_plan
from reel.core.media import PartWriter, SentWriter, Shelf, why_not_held
from reel.recorder.clock import Clock
from reel.recorder.journal import BegunPart, Closed
from reel.recorder.messages import RefusedError, RigToRoll, StartRoll
from reel.recorder.recording.encoded import EncodedTake
from reel.recorder.recording.on_device import DeviceTake, own_recorder_of, recording_input
from reel.recorder.recording.part_file import PartFile
from reel.recorder.recording.passthrough import PassthroughTake
from reel.recorder.recording.ready import Ready, conduct_of, rolled_by
from reel.recorder.recording.take import LocalTake, Take
from reel.recorder.rig.open_rigs import OpenRig
from reel.recorder.rig.source import Source
from reel.standins import RecordingDevice, Scenario


@dataclass(frozen=True, slots=True, kw_only=True)
class TakeMaker:
    """Makes takes. `shelf` is the home's, `devices` the storage of devices that record by themselves.

    `rig_of` gives an open rig by its id; `closed` is called when a take is, `part_began` when one
    goes on in another part.
    """

    clock: Clock
    shelf: Shelf
    devices: Path
    reserve_bytes: int
    queue_bytes: int
    rig_of: Callable[[int], OpenRig | None]
    closed: Callable[[Take, Closed], None]
    part_began: Callable[[int, BegunPart], None]

    def make(self, request: StartRoll, one: RigToRoll, source: Source | None, undo: ExitStack) -> Take:
        """Make a take with the file that it is written to; `undo` gives that back."""
        return self._made_remote(request, one, undo) if source is None else self._made_live(request, one, source, undo)

    def shelf_of(self, one: RigToRoll) -> Shelf:
        """Return the shelf that a rig's takes are written to."""
        return Shelf(Path(one.folder) if one.folder else self.shelf.root, one.shelf_key)

    def _made_live(self, request: StartRoll, one: RigToRoll, source: Source, undo: ExitStack) -> LocalTake:
        for setup, reading in zip(one.setup.inputs, source.readings, strict=True):
            if reading.problem is not None:
                who = one.rig_name if setup is one.setup.picture else f"{setup.name} of {one.rig_name}"
                raise RefusedError(f"{who} can't roll. {reading.problem}")
        if one.setup.recipe.as_sent:
            return self._made_sent(request, one, source, undo)
        plan = source.plan()
        plan.check()
        ready = self._ready(request, one, plan)
        first = PartFile(ready.shelf, ready.reserved, plan, PartWriter)
        undo.callback(first.discard)
        first.open()
        take = EncodedTake(
            **self._local(ready, one),
            files=[first],
            make_session=source.make_session,
            queue_bytes=self.queue_bytes,
            part_began=self.part_began,
        )
        if length_s := request.length_s or ready.conduct.cut_after_s:
            take.session.end_after(max(1, round(length_s * plan.pace)))
        return take

    def _local(self, ready: Ready, one: RigToRoll) -> dict[str, Any]:
        """Return what all takes on the shelf are made with."""
        return {
            "shelf": ready.shelf,
            "reserved": ready.reserved,
            "rolled": ready.rolled,
            "conduct": ready.conduct,
            "reserve_bytes": self.reserve_bytes,
            "rig": partial(self.rig_of, one.rig_id),
            "closed": self.closed,
            "clock": self.clock,
        }

    def _made_sent(self, request: StartRoll, one: RigToRoll, source: Source, undo: ExitStack) -> PassthroughTake:
        """Make the take of a feed that is recorded as it is sent."""
        sent, recipe, signal = source.sent, one.setup.recipe, source.readings[0].signal
        if sent is None or signal is None:
            raise RefusedError(f"{one.rig_name} can't be recorded as it is sent: it sends no packets of its own.")
        if reason := why_not_held(recipe.container, sent.streams):
            raise RefusedError(f"{one.rig_name} can't be recorded as it is sent. {reason}; choose that in File.")
        # its ticks are the rig's, as they are for whoever reads the take; its name is the sender's
        plan = source.plan()
        ready = self._ready(request, one, plan, replace(plan, frame=signal.mode))

        def part(number: int, first_tick: int) -> PartFile[SentWriter]:
            def make(path: Path, _: FilePlan) -> SentWriter:
                return SentWriter(path, recipe.container, sent.streams, begins_anew=number > 1)

            return PartFile(
                ready.shelf,
                ready.reserved,
                plan,
                make,
                number=number,
                first_tick=first_tick,
                opened=lambda file: self.part_began(take.take_id, file.begun) if number > 1 else None,
            )

        file = part(1, 0)
        undo.callback(file.discard)
        file.open()
        length_ticks = round((request.length_s or ready.conduct.cut_after_s) * plan.tick_rate)
        take = PassthroughTake(
            **self._local(ready, one),
            files=[file],
            sent=sent,
            open_part=part,
            length_ticks=length_ticks,
        )
        return take

    def _ready(self, request: StartRoll, one: RigToRoll, plan: FilePlan, named: FilePlan | None = None) -> Ready:
        """Set the name of a take aside on its rig's shelf; `named` is what it is of, the plan where it is None."""
        shelf, recipe, started_at = self.shelf_of(one), plan.recipe, self.clock.wall()
        reserved = shelf.reserve(recipe.name_pattern, (named or plan).named(one.rig_name, started_at), recipe.suffix)
        rolled = rolled_by(one, plan, reserved, started_at, is_trial=request.is_trial)
        return Ready(shelf=shelf, reserved=reserved, rolled=rolled, conduct=conduct_of(one.setup.roll, request))

    def _made_remote(self, request: StartRoll, one: RigToRoll, undo: ExitStack) -> DeviceTake:
        """Make the take of a device that records by itself."""
        picture, plan = recording_input(one.setup), file_plan(one.setup)
        (recorder, wanted), kind = own_recorder_of(one.setup), picture.device.kind.value
        if request.is_trial:
            wanted = replace(wanted, countdown_s=0)
        started_at = self.clock.wall() + timedelta(seconds=wanted.countdown_s)
        storage, recipe = Shelf(self.devices / kind), plan.recipe
        storage.make()
        reserved = storage.reserve(recipe.name_pattern, plan.named(one.rig_name, started_at), recipe.suffix)
        undo.callback(storage.discard, reserved)
        own = RecordingDevice(
            picture.device,
            one.scenarios[0] if one.scenarios else Scenario(),
            wanted,
            reserved.rolling,
            plan,
            now_ns=self.clock.now_ns,
        )
        own.check()
        return DeviceTake(
            own=own,
            storage=storage,
            reserved=reserved,
            rolled=rolled_by(
                one, plan, reserved, started_at, on_device=kind, is_trial=request.is_trial, follows=request.follows
            ),
            shelf=self.shelf_of(one) if recorder.comes_over or request.is_trial else None,
            reserve_bytes=self.reserve_bytes,
            max_s=request.length_s or Fraction(one.setup.roll.cut_after_s),
            limit_s=wanted.limit_s,
            again=replace(request, rigs=(one,)) if wanted.again and not request.is_trial else None,
            closed=self.closed,
        )
