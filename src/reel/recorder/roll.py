"""A roll: pictures and sound placed on the time of one take, from roll to cut."""

from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction

import av
import numpy as np

from reel.core.measure import Counts
from reel.core.signal import (
    NS,
    Picture,
    Samples,
    Segment,
    SoundFormat,
    Ticks,
    place_samples,
    tick_to_sample,
)
from reel.recorder.lane import Lane

# How long a late picture or block of sound is waited for before its place is filled.
GRACE_NS = NS // 4


class RollState(StrEnum):
    """WAITING for the first picture, ROLLING, HOLDING, ENDING (the last sound is on its way), ENDED."""

    WAITING = "waiting"
    ROLLING = "rolling"
    HOLDING = "holding"
    ENDING = "ending"
    ENDED = "ended"


@dataclass(frozen=True, slots=True, kw_only=True)
class MarkedMoment:
    """A mark at frame `tick` of the take."""

    tick: int
    label: str


class Roll:
    """A take of `rate` ticks a second, each to have a frame when `filled`. Used from the source's thread alone.

    Pictures come framed; sound in `sound` format, None when there is none.
    """

    def __init__(self, lane: Lane, rate: Fraction, sound: SoundFormat | None, *, filled: bool = True) -> None:
        self.lane, self.rate = lane, rate
        self.state = RollState.WAITING
        self.counts = Counts()
        self.marks: list[MarkedMoment] = []
        self._ticks = Ticks(rate, filled=filled)
        self._filled, self._placed = filled, 0
        self._sound = sound
        self._segment: Segment | None = None
        self._sound_end = 0
        self._last: av.VideoFrame | None = None
        self._last_sequence: int | None = None
        self._deadline_ns = 0

    @property
    def ticks(self) -> int:
        """Frames of the take so far, lost ones included."""
        return self._ticks.next_tick

    def take_picture(self, picture: Picture, framed: av.VideoFrame, interval: Fraction, recent: list[Samples]) -> None:
        """Place a picture. `interval` is the seconds from one to the next, `recent` the sound heard just before."""
        if self.state is RollState.WAITING:
            self._segment = self._ticks.begin(picture.at_ns, interval)
            self.state = RollState.ROLLING
            for samples in recent:
                self.take_samples(samples)
        elif self.state is not RollState.ROLLING:
            return
        self._count_gap(picture.sequence)
        placement = self._ticks.place(picture.at_ns)
        self._repeat(placement.repeats)
        self._last = framed
        if placement.tick is None:
            self.counts = replace(self.counts, dropped=self.counts.dropped + 1)
        else:
            self._offer(framed, placement.tick)

    def take_samples(self, samples: Samples) -> None:
        """Place a block of sound: what lies before the segment or after its end is cut off, to the sample."""
        if self._segment is None or self._sound is None:
            return
        count = samples.data.shape[1]
        position, keep = place_samples(self._segment, samples.at_ns, count, self.rate, self._sound.rate_hz)
        if keep.stop > keep.start:
            self.lane.offer_samples(samples.data[:, keep], position)
            self._sound_end = max(self._sound_end, position + keep.stop - keep.start)

    def hold(self, now_ns: int) -> None:
        """Pause; the segment ends now."""
        if self.state is RollState.ROLLING:
            self._end_segment(now_ns)
            self.state = RollState.HOLDING

    def carry_on(self) -> None:
        """Go on with the next picture that arrives."""
        if self.state is RollState.HOLDING:
            self._pad_sound()
            self._last_sequence = None
            self.state = RollState.WAITING

    def mark(self, label: str) -> MarkedMoment:
        """Note this moment."""
        moment = MarkedMoment(tick=max(0, self.ticks - 1), label=label)
        self.marks.append(moment)
        return moment

    def cut(self, now_ns: int) -> None:
        """End the take; it is closed once the sound of its last frame is in, or after GRACE_NS."""
        if self.state in (RollState.ENDING, RollState.ENDED):
            return
        if self.state is RollState.ROLLING:
            self._end_segment(now_ns)
        self._deadline_ns = now_ns + GRACE_NS
        self.state = RollState.ENDING
        self.step(now_ns)

    def abandon(self, now_ns: int) -> None:
        """End the take at once, since no more will arrive."""
        self.cut(now_ns)
        self._deadline_ns = now_ns
        self.step(now_ns)

    def step(self, now_ns: int) -> None:
        """Do what time asks for: fill ticks that stayed empty, close the take."""
        if self.state is RollState.ROLLING:
            self._repeat(self._ticks.fill(now_ns - GRACE_NS))
        if self.state is RollState.ENDING and (not self._sound_missing() or now_ns >= self._deadline_ns):
            self._pad_sound()
            self.state = RollState.ENDED
            self.counts = replace(self.counts, ticks=self.ticks if self._filled else self._placed)
            self.lane.finish()

    def _end_segment(self, now_ns: int) -> None:
        self._segment, repeats = self._ticks.end(now_ns)
        self._repeat(repeats)

    def _sound_missing(self) -> int:
        """Samples between the end of the sound and the end of the last frame."""
        if self._sound is None:
            return 0
        return max(0, tick_to_sample(self.ticks, self.rate, self._sound.rate_hz) - self._sound_end)

    def _pad_sound(self) -> None:
        missing = self._sound_missing()
        if missing and self._sound is not None:
            silence = np.zeros((self._sound.channels, missing), dtype=np.float32)
            self.lane.offer_samples(silence, self._sound_end)
            self._sound_end += missing

    def _count_gap(self, sequence: int) -> None:
        if self._last_sequence is not None and sequence > self._last_sequence + 1:
            lost = sequence - self._last_sequence - 1
            self.counts = replace(self.counts, lost_before=self.counts.lost_before + lost)
        self._last_sequence = sequence

    def _repeat(self, ticks: range) -> None:
        if ticks and self._last is not None:
            self.counts = replace(self.counts, repeated=self.counts.repeated + len(ticks))
            for tick in ticks:
                self._offer(self._last, tick)

    def _offer(self, frame: av.VideoFrame, tick: int) -> None:
        self._placed += 1
        if not self.lane.offer_picture(frame, tick):
            self.counts = replace(self.counts, lost_encoder=self.counts.lost_encoder + 1)
