"""The take that is rolling, as the service sees it: its roll, its files, what is said of it."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from reel.core.errors import ReelError
from reel.core.line import RigSetup
from reel.core.media import Reserved, Shelf
from reel.core.signal import timecode
from reel.recorder.journal import Closed, Journal, Rolled
from reel.recorder.messages import RollStatus
from reel.recorder.roll import Roll, RollState


@dataclass(slots=True, kw_only=True)
class RollingTake:
    """A take from roll to close; `on_closed` is called when its file has its name."""

    shelf: Shelf
    reserved: Reserved
    journal: Journal
    rolled: Rolled
    on_closed: Callable[[], None]
    take_id: int = 0
    roll: Roll | None = None

    @property
    def setup(self) -> RigSetup:
        """What was asked when it began."""
        return self.rolled.setup

    def close(self, error: ReelError | None) -> None:
        """Give the file its name and store the end; runs on the lane's thread once the part is closed."""
        assert self.roll is not None
        path = self.reserved.rolling
        problem = str(error) if error else None
        try:
            path = self.shelf.complete(self.reserved)
        except ReelError as naming:
            problem = problem or str(naming)
        try:
            self.journal.closed(self.take_id, Closed(path=path, counts=self.roll.counts, problem=problem))
        finally:
            self.on_closed()

    def status(self) -> RollStatus:
        """Say how the roll stands."""
        assert self.roll is not None
        roll, rate = self.roll, self.setup.recipe.frame.rate
        size, free = _size(self.reserved.rolling), self._free_bytes()
        length_s = float(roll.ticks / rate)
        bitrate = round(size * 8 / length_s) if length_s > 0.5 else 0
        return RollStatus(
            take_id=self.take_id,
            rig_id=self.rolled.rig_id,
            rig_name=self.rolled.rig_name,
            name=self.rolled.name,
            path=str(self.reserved.final),
            state=roll.state.value if roll.state is not RollState.ENDED else RollState.ENDING.value,
            timecode=timecode(roll.ticks, rate),
            length_s=length_s,
            size_bytes=size,
            bitrate_bps=bitrate,
            counts=roll.counts,
            queue=roll.lane.waiting,
            queue_limit=roll.lane.limit,
            free_bytes=free,
            seconds_left=free * 8 // bitrate if bitrate else None,
            marks=len(roll.marks),
        )

    def _free_bytes(self) -> int:
        try:
            return self.shelf.free_bytes()
        except ReelError:
            return 0


def _size(path: Path) -> int:
    try:
        return path.stat().st_size
    except OSError:
        return 0
