"""The sound of a take: each input's samples placed on its time, followed, and mixed onto the tracks they go to."""

from collections.abc import Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from typing import Protocol

import numpy as np

from reel.core.file import FilePlan
from reel.core.line import RigSetup
from reel.core.measure import Missing, PlacedCount, TrackCounts
from reel.core.media import DriftResampler, Limiter, sides
from reel.core.signal import NS, FloatArray, Samples, Segment, SoundFormat, place_samples, tick_to_sample
from reel.core.sound import Sides

# How long sound is waited for before its place is filled with silence: a computer that is busy reads late, and nothing
# of that shall be lost. An input that is known to be gone is not waited for.
GRACE_NS = NS
# A hole in an input's sound under this is not told: blocks come in some order, and clocks differ.
MIN_HOLE_S = Fraction(1, 50)
# Samples are passed on in blocks of about this size.
_BLOCK = 1024


@dataclass(slots=True, kw_only=True)
class MixedSource:
    """One input's sound on its way: `tracks` are the tracks of the file it goes to, counted from 0.

    Nothing of it is expected before the sample `expected`: with a delay, what lies there was heard before the segment.
    """

    name: str
    tracks: tuple[int, ...]
    delay_ns: int
    comes: SoundFormat
    follower: DriftResampler
    waiting: list[tuple[int, FloatArray]] = field(default_factory=list)
    fed_end: int = 0
    end: int = 0
    is_gone: bool = False
    expected: int = 0
    missing: list[Missing] = field(default_factory=list)
    broken: PlacedCount

    @property
    def grace_ns(self) -> int:
        """How long after its time a sample may come; what is to lie earlier comes later."""
        return (0 if self.is_gone else GRACE_NS) + max(0, -self.delay_ns)


@dataclass(slots=True, kw_only=True)
class _MixedTrack:
    """A track: the `places` of the inputs that go to it; what they come to is bounded by full scale, and counted."""

    places: tuple[int, ...]
    limiter: Limiter | None
    clipped: PlacedCount

    def bounded(self, data: FloatArray, tick: int, *, last: bool) -> FloatArray:
        """Return what is ready of a block that begins about at a tick, all of it with the `last` one."""
        if self.limiter is not None:
            data = self.limiter.apply(data)
            if last:
                data = np.concatenate((data, self.limiter.drain()), axis=1)
        if np.abs(data).max(initial=0) <= 1:
            return data
        self.clipped.add(tick, int(np.count_nonzero(np.abs(data) > 1)))
        bounded: FloatArray = np.clip(data, -1, 1)
        return bounded


class Tracks(Protocol):
    """Who takes what is mixed: float32 (channels, samples) that follows on what came before it on its track, from 0."""

    def offer_samples(self, data: FloatArray, track: int) -> None: ...


class TrackMixer:
    """Mixes the inputs of a rig onto the tracks of one take and hands them to its parts. Used from one thread.

    `heard` are the formats of the inputs that have sound, by their place; the sound comes with the recipe's channels.
    What has not come by its grace is silence, counted apart for each input.
    """

    def __init__(self, queue: Tracks, setup: RigSetup, plan: FilePlan, heard: dict[int, SoundFormat]) -> None:
        self._lane, self._plan = queue, plan
        self._rate_hz, self._channels = plan.recipe.sound.rate_hz, plan.recipe.sound.channels
        self._sources = {
            place: MixedSource(
                name=setup.inputs[place].name,
                tracks=tracks,
                delay_ns=setup.inputs[place].sound.delay_ms * NS // 1000,
                comes=SoundFormat(rate_hz=sound.rate_hz, channels=self._channels),
                follower=DriftResampler(SoundFormat(rate_hz=sound.rate_hz, channels=self._channels), plan.recipe.sound),
                broken=PlacedCount(plan.tick_rate),
            )
            for place, sound in heard.items()
            if (tracks := tracks_of(setup, plan, place))
        }
        self._tracks = [self._track(setup, number) for number in range(len(plan.tracks))]
        self._emitted = 0

    def _track(self, setup: RigSetup, number: int) -> _MixedTrack:
        places = tuple(place for place, source in self._sources.items() if number in source.tracks)
        limits = [setup.inputs[place].sound.limit_db for place in places]
        # several that are limited each may be louder together, and what follows a limiter may overshoot it a little
        ceiling_db = max((0.0 if limit is None else limit for limit in limits), default=0.0)
        limiter = Limiter(self._plan.recipe.sound, ceiling_db) if any(one is not None for one in limits) else None
        return _MixedTrack(places=places, limiter=limiter, clipped=PlacedCount(self._plan.tick_rate))

    @property
    def tracks(self) -> tuple[TrackCounts, ...]:
        """What was counted of each track of the file."""
        return tuple(TrackCounts(clipped=track.clipped.found) for track in self._tracks)

    @property
    def sources(self) -> Sequence[MixedSource]:
        """The inputs that go to a track, in their order."""
        return tuple(self._sources.values())

    @property
    def patience_ns(self) -> int:
        """How long after the end of a take its last sound may come."""
        return max((source.grace_ns for source in self.sources), default=0)

    def place(self, place: int, samples: Samples, segment: Segment) -> None:
        """Take a block of an input: what lies before the segment or after its end is cut off, to the sample."""
        source = self._sources.get(place)
        if source is None:
            return
        at_ns, rate_hz = samples.at_ns + source.delay_ns, source.comes.rate_hz
        position, keep = place_samples(segment, at_ns, samples.data.shape[1], self._plan.tick_rate, rate_hz)
        source.is_gone = False
        if keep.stop > keep.start:
            data = samples.data
            if data.shape[0] != self._channels:  # it was on its way when the rig's channels changed
                data = sides(data, Sides.AS_IS, self._channels)
            self._receive(source, source.follower.feed(data[:, keep], position))
            if samples.broken:
                source.broken.add(int(Fraction(position, rate_hz) * self._plan.tick_rate), samples.broken)
            end = Fraction(position + keep.stop - keep.start, rate_hz)
            source.fed_end = max(source.fed_end, round(end * self._rate_hz))

    def lose(self, place: int) -> None:
        """Take note that an input is gone: until it is there again, nothing of it is waited for."""
        if place in self._sources:
            self._sources[place].is_gone = True

    def advance(self, segment: Segment, now_ns: int, *, is_behind: bool, ticks: int | None = None) -> None:
        """Pass on what is complete and, unless reading is behind, what is too late to wait for.

        Nothing is passed on that may lie beyond the end of the take: `ticks` are its frames so far, and a cut is known
        within GRACE_NS. With None it has no end.
        """
        first = self._position(segment.first_tick)
        for source in self.sources:
            source.expected = max(source.expected, first + max(0, source.delay_ns) * self._rate_hz // NS)
        complete = [
            source.end if is_behind else max(source.end, self._late(source, segment, now_ns)) for source in self.sources
        ]
        if ticks is not None:
            passed = 0 if segment.end_tick is not None else now_ns - GRACE_NS - segment.start_ns
            complete.append(max(self._position(ticks), first + passed * self._rate_hz // NS))
        self._emit(min(complete, default=0))

    def is_complete(self, end_tick: int) -> bool:
        """Return whether all sound up to a tick has come."""
        end = self._position(end_tick)
        return all(source.fed_end >= end or source.is_gone for source in self.sources)

    def close_to(self, end_tick: int) -> None:
        """Pass on all sound up to a tick; what has not come is silence."""
        for source in self.sources:
            self._receive(source, source.follower.drain())
        self._emit(self._position(end_tick), last=True)
        for source in self.sources:  # what is delayed beyond the end belongs to nothing that was recorded
            source.waiting, source.end, source.fed_end = [], self._emitted, min(source.fed_end, self._emitted)

    def _receive(self, source: MixedSource, blocks: list[tuple[int, FloatArray]]) -> None:
        for position, data in blocks:
            skip = max(0, self._emitted - position)
            if skip < data.shape[1]:
                source.waiting.append((position + skip, data[:, skip:]))
            source.end = max(source.end, position + data.shape[1])

    def _late(self, source: MixedSource, segment: Segment, now_ns: int) -> int:
        """Return the sample before which nothing of an input is waited for any more."""
        first = tick_to_sample(segment.first_tick, self._plan.tick_rate, self._rate_hz)
        late = first + (now_ns - source.grace_ns - segment.start_ns) * self._rate_hz // NS
        if segment.end_tick is not None:
            late = min(late, self._position(segment.end_tick))
        return late

    def _position(self, tick: int) -> int:
        return tick_to_sample(tick, self._plan.tick_rate, self._rate_hz)

    def _emit(self, upto: int, *, last: bool = False) -> None:
        """Mix what lies before a sample and hand it on."""
        count = upto - self._emitted
        if count < _BLOCK and not last:
            return
        upto = max(upto, self._emitted)
        heard = {place: self._cut_off(source, upto) for place, source in self._sources.items()}
        tick = int(Fraction(self._emitted, self._rate_hz) * self._plan.tick_rate)
        for number, track in enumerate(self._tracks):
            parts = [heard[place] for place in track.places]
            mixed: FloatArray = parts[0] if len(parts) == 1 else np.sum(np.stack(parts), axis=0, dtype=np.float32)
            self._lane.offer_samples(track.bounded(mixed, tick, last=last), number)
        self._emitted = upto

    def _cut_off(self, source: MixedSource, upto: int) -> FloatArray:
        """Take an input's samples before `upto` out of what waits; what is not there is silence."""
        start, made = self._emitted, np.zeros((self._channels, upto - self._emitted), dtype=np.float32)
        left, reached = [], start
        for position, data in source.waiting:
            stop = min(upto, position + data.shape[1])
            if stop > position:
                made[:, position - start : stop - start] = data[:, : stop - position]
                self._miss(source, reached, position)
                reached = max(reached, stop)
            if position + data.shape[1] > upto:
                left.append((max(position, upto), data[:, max(0, upto - position) :]))
        source.waiting = left
        self._miss(source, reached, upto)
        return made

    def _miss(self, source: MixedSource, start: int, stop: int) -> None:
        """Count a hole; one that goes on makes the last one longer."""
        start = max(start, min(stop, source.expected))
        length_s = Fraction(stop - start, self._rate_hz)
        tick, lost = int(Fraction(start, self._rate_hz) * self._plan.tick_rate), round(length_s * 1000)
        before = source.missing[-1] if source.missing else None
        goes_on = before is not None and abs(self._end_s(before) - Fraction(start, self._rate_hz)) < MIN_HOLE_S
        if before is not None and goes_on and stop > start:
            source.missing[-1] = Missing(first_tick=before.first_tick, lost=before.lost + lost)
        elif length_s >= MIN_HOLE_S:
            source.missing.append(Missing(first_tick=tick, lost=lost))

    def _end_s(self, hole: Missing) -> Fraction:
        return hole.first_tick / self._plan.tick_rate + Fraction(hole.lost, 1000)


def tracks_of(setup: RigSetup, plan: FilePlan, place: int) -> tuple[int, ...]:
    """The tracks of the file, counted from 0, that an input goes to; the mix of all holds whatever has a track."""
    routed = setup.inputs[place].sound.tracks
    names = [setup.tracks[number - 1].name for number in sorted(routed) if number <= len(setup.tracks)]
    first = 1 if setup.mix_first and plan.tracks else 0
    found = tuple(plan.tracks.index(name, first) for name in names if name in plan.tracks[first:])
    return (0, *found) if found and first else found
