"""What the recorder counts in a take: frames, and every one that was lost, with its cause and its place."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction

from reel.core.media.digest import SentFacts
from reel.core.signal import Transfer

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
class Placed:
    """A number of things in about a second of the take, the first of them at `first_tick`."""

    first_tick: int
    number: int


class PlacedCount:
    """Counts things by their place in a take of `rate` ticks a second; what comes within a second stands together."""

    def __init__(self, rate: Fraction) -> None:
        self._rate = rate
        self.found: tuple[Placed, ...] = ()

    def add(self, tick: int, number: int) -> None:
        """Count some at a tick, in the order of time; with MAX_STRETCHES places the last one takes the rest."""
        last = self.found[-1] if self.found else None
        if last is not None and (tick - last.first_tick < self._rate or len(self.found) >= MAX_STRETCHES):
            self.found = (*self.found[:-1], replace(last, number=last.number + number))
        else:
            self.found = (*self.found, Placed(first_tick=tick, number=number))


@dataclass(frozen=True, slots=True, kw_only=True)
class InputCounts:
    """What was counted of one input beside the frames: its own pictures that were lost while it is an inset, its sound.

    `stretched_ppm` says by how much its sound was stretched to stay in step, None where there was too little to tell.
    `broken` samples of it were no sound.
    """

    name: str
    pictures: tuple[Missing, ...] = ()
    sound: tuple[Missing, ...] = ()
    stretched_ppm: float | None = None
    broken: tuple[Placed, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class TrackCounts:
    """What was counted of a track: `clipped` samples were louder than full scale, and were bounded there."""

    clipped: tuple[Placed, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Counts:
    """What was counted in a take, in frames.

    `ticks` are the frames that the take should have. `lost_before` had a picture due that did not come, and hold the
    one before, or show the next where the source is faster; `lost_encoder` found the encoder's queue full, and are
    empty in the file. `dropped` pictures came when their tick had one; `repeated` ticks had none due, since the file's
    rate is higher. `stretches` place the losses. All that is of the first input's picture; `inputs` says of each input
    what else there is to say. `began_late_ms` is how long after the instant at which several takes were to begin
    together this one did; None where it rolled alone. `tracks` are those of the file, in its order. `sent` are the
    packets that were written where it was recorded as it was sent, None for others, whose `written` are what the
    encoders gave. `transfer` is how the light of the first input's pictures was coded, of any of them.
    """

    ticks: int = 0
    lost_before: int = 0
    lost_encoder: int = 0
    dropped: int = 0
    repeated: int = 0
    stretches: tuple[Stretch, ...] = ()
    inputs: tuple[InputCounts, ...] = ()
    began_late_ms: float | None = None
    tracks: tuple[TrackCounts, ...] = ()
    sent: SentFacts | None = None
    written: SentFacts | None = None
    transfer: Transfer = Transfer.BT709

    @property
    def lost(self) -> int:
        """Frames that should show a picture of their own and do not."""
        return self.lost_before + self.lost_encoder


class Tally:
    """Counts while a take rolls, part by part. Written by one thread; what it gives may be read by any.

    Every count names the tick of the take that it is of, so that what is known late still goes to its part.
    """

    def __init__(self) -> None:
        self._parts = [_PartTally(0)]

    def begin_part(self, first_tick: int) -> None:
        """Count what lies from a tick on apart."""
        self._parts.append(_PartTally(first_tick))

    def take(self, tick: int) -> None:
        """Count a frame that the take should have."""
        self._of(tick).ticks += 1

    def drop(self, tick: int) -> None:
        """Count a picture that came when its tick had one."""
        self._of(tick).dropped += 1

    def repeat(self, ticks: range) -> None:
        """Count ticks that hold the picture before, since none was due."""
        for part, own in self._shared(ticks):
            part.repeated += len(own)

    def lose(self, ticks: range, cause: LossCause, *, were_repeated: bool = False) -> None:
        """Count frames that were lost in a row; those that follow on the last stretch make it longer."""
        for part, own in self._shared(ticks):
            part.lose(own, cause)
            if were_repeated:
                part.repeated -= len(own)

    @property
    def counts(self) -> Counts:
        """All that was counted so far."""
        parts = tuple(part.counts for part in self._parts)
        return Counts(
            ticks=sum(part.ticks for part in parts),
            lost_before=sum(part.lost_before for part in parts),
            lost_encoder=sum(part.lost_encoder for part in parts),
            dropped=sum(part.dropped for part in parts),
            repeated=sum(part.repeated for part in parts),
            stretches=tuple(stretch for part in parts for stretch in part.stretches)[:MAX_STRETCHES],
        )

    def part(
        self, number: int, inputs: Iterable[InputCounts], rate: Fraction, tracks: Iterable[TrackCounts] = ()
    ) -> Counts:
        """Return what was counted of a part, from 1, by its own ticks; `inputs` and `tracks` are by the take's ticks.

        What an input did not send goes to the part in which that begins.
        """
        own = self._parts[number - 1]
        end_tick = self._parts[number].first_tick if number < len(self._parts) else own.first_tick + own.ticks
        return replace(
            own.counts,
            stretches=tuple(replace(one, first_tick=one.first_tick - own.first_tick) for one in own.stretches),
            inputs=inputs_within(inputs, own.first_tick, end_tick, rate),
            tracks=tuple(TrackCounts(clipped=tuple(_placed(one.clipped, own.first_tick, end_tick))) for one in tracks),
        )

    def _of(self, tick: int) -> "_PartTally":
        return next(part for part in reversed(self._parts) if part.first_tick <= tick or part is self._parts[0])

    def _shared(self, ticks: range) -> Iterator[tuple["_PartTally", range]]:
        """Share ticks out among the parts that they lie in."""
        ends = [part.first_tick for part in self._parts[1:]]
        for part, end in zip(self._parts, [*ends, max(ticks.stop, 1)], strict=True):
            own = range(max(ticks.start, part.first_tick), min(ticks.stop, end))
            if own:
                yield part, own


class _PartTally:
    """The counts of one part, by the take's ticks."""

    def __init__(self, first_tick: int) -> None:
        self.first_tick = first_tick
        self.ticks = self.dropped = self.repeated = 0
        self.stretches: list[Stretch] = []
        self._lost = dict.fromkeys(LossCause, 0)

    def lose(self, ticks: range, cause: LossCause) -> None:
        self._lost[cause] += len(ticks)
        last = self.stretches[-1] if self.stretches else None
        if last is not None and last.cause is cause and last.first_tick + last.ticks == ticks.start:
            self.stretches[-1] = replace(last, ticks=last.ticks + len(ticks))
        elif len(self.stretches) < MAX_STRETCHES:
            self.stretches.append(Stretch(first_tick=ticks.start, ticks=len(ticks), cause=cause))

    @property
    def counts(self) -> Counts:
        return Counts(
            ticks=self.ticks,
            lost_before=self._lost[LossCause.NO_SIGNAL] + self._lost[LossCause.SKIPPED],
            lost_encoder=self._lost[LossCause.ENCODER],
            dropped=self.dropped,
            repeated=self.repeated,
            stretches=tuple(self.stretches),
        )


def inputs_within(
    inputs: Iterable[InputCounts], first_tick: int, end_tick: int, rate: Fraction
) -> tuple[InputCounts, ...]:
    """Return what lies within some ticks of a take with `rate` a second, counted from the first of them.

    Inputs beside the first are read in their own time: where reading that one is behind, or the take has its length,
    they have counted beyond it.
    """
    return tuple(
        replace(
            one,
            pictures=tuple(_within(one.pictures, first_tick, end_tick)),
            sound=tuple(_within(one.sound, first_tick, end_tick, rate / 1000)),
            broken=tuple(_placed(one.broken, first_tick, end_tick)),
        )
        for one in inputs
    )


def _within(
    holes: Iterable[Missing], first_tick: int, end_tick: int, ticks_each: Fraction | None = None
) -> Iterator[Missing]:
    """Return the holes of a part by its own ticks; where what is lost lasts `ticks_each`, they are cut at its ends."""
    for hole in holes:
        start, lost = hole.first_tick, hole.lost
        if ticks_each is not None:
            stop = min(start + lost * ticks_each, Fraction(end_tick))
            start = max(start, first_tick)
            lost = round((stop - start) / ticks_each)
        if lost > 0 and first_tick <= start < end_tick:
            yield Missing(first_tick=start - first_tick, lost=lost)


def _placed(found: Iterable[Placed], first_tick: int, end_tick: int) -> Iterator[Placed]:
    """Return what lies in a part, by its own ticks."""
    for one in found:
        if first_tick <= one.first_tick < end_tick:
            yield replace(one, first_tick=one.first_tick - first_tick)
