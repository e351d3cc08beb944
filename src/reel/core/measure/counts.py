"""What the recorder counts in a take: frames, and every one that was lost, with its cause and its place."""

from dataclasses import dataclass
from enum import StrEnum

# As many stretches are kept by place; later ones are counted all the same.
MAX_STRETCHES = 200


class LossCause(StrEnum):
    """Where a frame was lost.

    NO_SIGNAL: nothing came, or the input was gone. SKIPPED: the source's numbers leave it out; it was lost on the way,
    or overwritten before Reel read it. ENCODER: the encoder's queue was full.
    """

    NO_SIGNAL = "no signal"
    SKIPPED = "skipped"
    ENCODER = "encoder"


@dataclass(frozen=True, slots=True, kw_only=True)
class Stretch:
    """Frames that were lost in a row: `ticks` of them from `first_tick` of the take on."""

    first_tick: int
    ticks: int
    cause: LossCause


@dataclass(frozen=True, slots=True, kw_only=True)
class Missing:
    """What one input did not send in a row, from `first_tick` of the take on: `lost` pictures, or milliseconds."""

    first_tick: int
    lost: int


@dataclass(frozen=True, slots=True, kw_only=True)
class InputCounts:
    """What was counted of one input beside the frames: its own pictures that were lost while it is an inset, its sound.

    `stretched_ppm` says by how much its sound was stretched to stay in step, None where there was too little to tell.
    """

    name: str
    pictures: tuple[Missing, ...] = ()
    sound: tuple[Missing, ...] = ()
    stretched_ppm: float | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Counts:
    """What was counted in a take, in frames.

    `ticks` are the frames that the take should have. `lost_before` had a picture due that did not come, and hold the
    one before, or show the next where the source is faster; `lost_encoder` found the encoder's queue full, and are
    empty in the file. `dropped` pictures came when their tick had one; `repeated` ticks had none due, since the file's
    rate is higher. `stretches` place the losses. All that is of the first input's picture; `inputs` says of each input
    what else there is to say. `began_late_ms` is how long after the instant at which several takes were to begin
    together this one did; None where it rolled alone.
    """

    ticks: int = 0
    lost_before: int = 0
    lost_encoder: int = 0
    dropped: int = 0
    repeated: int = 0
    stretches: tuple[Stretch, ...] = ()
    inputs: tuple[InputCounts, ...] = ()
    began_late_ms: float | None = None

    @property
    def lost(self) -> int:
        """Frames that should show a picture of their own and do not."""
        return self.lost_before + self.lost_encoder


class Tally:
    """Counts while a take rolls. Written by one thread; what `counts` gives may be read by any."""

    def __init__(self) -> None:
        self.ticks = self.dropped = self.repeated = 0
        self._lost = dict.fromkeys(LossCause, 0)
        self._stretches: list[Stretch] = []

    def lose(self, first_tick: int, ticks: int, cause: LossCause) -> None:
        """Count frames that were lost in a row; those that follow on the last stretch make it longer."""
        if ticks <= 0:
            return
        self._lost[cause] += ticks
        last = self._stretches[-1] if self._stretches else None
        if last is not None and last.cause is cause and last.first_tick + last.ticks == first_tick:
            self._stretches[-1] = Stretch(first_tick=last.first_tick, ticks=last.ticks + ticks, cause=cause)
        elif len(self._stretches) < MAX_STRETCHES:
            self._stretches.append(Stretch(first_tick=first_tick, ticks=ticks, cause=cause))

    @property
    def counts(self) -> Counts:
        """All that was counted so far."""
        return Counts(
            ticks=self.ticks,
            lost_before=self._lost[LossCause.NO_SIGNAL] + self._lost[LossCause.SKIPPED],
            lost_encoder=self._lost[LossCause.ENCODER],
            dropped=self.dropped,
            repeated=self.repeated,
            stretches=tuple(self._stretches),
        )
