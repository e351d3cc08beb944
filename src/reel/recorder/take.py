"""The take that is rolling, as the service sees it: its roll, its files, what is said of it."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

from reel.core.errors import ReelError
from reel.core.line import RigSetup
from reel.core.media import Reserved, Shelf, megabytes
from reel.core.signal import length_label, timecode
from reel.recorder.journal import Closed, Journal, Rolled
from reel.recorder.messages import RollStatus
from reel.recorder.roll import Roll, RollState

WARN_S = 600


@dataclass(slots=True, kw_only=True)
class RollingTake:
    """A take from roll to close; `on_closed` is called with the problem, if any, when its file has its name.

    `ends_by` says why the recorder itself cuts it; None while it is the person who will.
    """

    shelf: Shelf
    reserve_bytes: int
    reserved: Reserved
    journal: Journal
    rolled: Rolled
    on_closed: Callable[[str | None], None]
    take_id: int = 0
    roll: Roll | None = None
    ends_by: str | None = None

    @property
    def setup(self) -> RigSetup:
        """What was asked when it began."""
        return self.rolled.setup

    def close(self, error: ReelError | None) -> None:
        """Give the file its name and store the end; runs on the lane's thread once the part is closed."""
        assert self.roll is not None
        path = self.reserved.rolling
        problem = str(error) if error else self.ends_by
        try:
            path = self.shelf.complete(self.reserved)
        except ReelError as naming:
            problem = problem or str(naming)
        try:
            self.journal.closed(self.take_id, Closed(path=path, counts=self.roll.counts, problem=problem))
        finally:
            self.on_closed(problem)

    def must_end(self) -> bool:
        """Say whether the reserve is reached; the reason is kept for the take."""
        if self.room_bytes() > 0:
            return False
        kept = megabytes(self.reserve_bytes)
        self.ends_by = f"It was cut because only the reserve of {kept} was left on the drive; all until then is kept."
        return True

    def room_bytes(self) -> int:
        """Bytes until the reserve is reached; 0 when the shelf can't be reached."""
        try:
            return max(0, self.shelf.free_bytes() - self.reserve_bytes)
        except ReelError:
            return 0

    def status(self) -> RollStatus:
        """Say how the roll stands."""
        assert self.roll is not None
        roll, recipe = self.roll, self.setup.recipe
        size, room = _size(self.reserved.rolling), self.room_bytes()
        length_s = float(roll.ticks / recipe.tick_rate)
        bitrate = round(size * 8 / length_s) if length_s > 0.5 else 0
        seconds_left = room * 8 // bitrate if bitrate else None
        return RollStatus(
            take_id=self.take_id,
            rig_id=self.rolled.rig_id,
            rig_name=self.rolled.rig_name,
            name=self.rolled.name,
            path=str(self.reserved.final),
            state=roll.state.value if roll.state is not RollState.ENDED else RollState.ENDING.value,
            timecode=timecode(roll.ticks / recipe.tick_rate, recipe.frame.rate),
            length_s=length_s,
            size_bytes=size,
            bitrate_bps=bitrate,
            counts=roll.counts,
            queue=roll.lane.waiting,
            queue_limit=roll.lane.limit,
            free_bytes=room,
            seconds_left=seconds_left,
            marks=len(roll.marks),
            warning=self._warning(seconds_left),
        )

    def _warning(self, seconds_left: int | None) -> str | None:
        """Say what will go wrong before it does."""
        assert self.roll is not None
        if seconds_left is not None and seconds_left < WARN_S:
            return f"The drive is full in {length_label(seconds_left)}"
        if self.roll.lane.waiting > self.roll.lane.limit // 2:
            return "The encoder falls behind; a lighter effort keeps up"
        return None


def _size(path: Path) -> int:
    try:
        return path.stat().st_size
    except OSError:
        return 0
