"""What may be asked of an open rig whether it rolls or not: tests of its inputs, pieces shown and hidden, the pen."""

from dataclasses import dataclass

from reel.recorder.clock import Clock
from reel.recorder.messages import Draw, FindBars, RefusedError, TestFields, TestSync, Toggle
from reel.recorder.rig.open_rigs import OpenRigs
from reel.recorder.rig.source import Source


@dataclass(slots=True, frozen=True)
class RigRequests:
    """Does what is asked on the thread that asks; each raises RefusedError where the rig is closed."""

    clock: Clock
    rigs: OpenRigs

    def test_fields(self, request: TestFields) -> None:
        self.shown(request.rig_id, request.place).test_fields(request.place)

    def find_bars(self, request: FindBars) -> None:
        self.shown(request.rig_id, request.place).find_bars(request.place)

    def test_sync(self, request: TestSync) -> None:
        """Begin a sync test; where the room is simulated, somebody claps in it meanwhile."""
        self.shown(request.rig_id, request.place).test_sync(request.place)
        self.rigs.claps.clap(self.clock.now_ns())

    def toggle(self, request: Toggle) -> None:
        source = self.opened(request.rig_id, "show and hide its pictures")
        source.answer(lambda: source.frames.toggle(request.key), after_ns=self.clock.now_ns())

    def draw(self, request: Draw) -> None:
        self.opened(request.rig_id, "draw on its picture").frames.draw(request)

    def shown(self, rig_id: int, place: int) -> Source:
        """Return the source of a rig whose input at a place has a picture just now."""
        rig = self.rigs.get(rig_id)
        if rig is None or not 0 <= place < len(rig.source.readings) or rig.source.readings[place].signal is None:
            raise RefusedError("Nothing arrives that could be tested; open the rig and play a part with movement.")
        return rig.source

    def opened(self, rig_id: int, to_do: str) -> Source:
        """Return the source of an open rig; `to_do` is what it would be opened for, as the refusal says it."""
        rig = self.rigs.get(rig_id)
        if rig is None:
            raise RefusedError(f"The rig is closed; open it to {to_do}.")
        return rig.source
