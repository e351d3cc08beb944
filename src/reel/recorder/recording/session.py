"""A recording session: pictures and sound placed on the time of one take, from roll to cut."""

from collections import deque
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from enum import StrEnum
from fractions import Fraction
from typing import TypeAlias

import av

from reel.core.file import FilePlan
from reel.core.measure import Counts, InputCounts, LossCause, Tally, inputs_within
from reel.core.roll import CutBy, MarkedMoment, MarkKind
from reel.core.signal import NS, Mode, Picture, Samples, Segment, Signal, Ticks, Transfer
from reel.recorder.recording.mixing import TrackMixer
from reel.recorder.recording.parts import Parts

# How long a late picture is waited for before its place is filled.
GRACE_NS = NS // 4
# Where pictures keep their times a source may leave some out on purpose; from this long on it has fallen silent.
SILENT_NS = NS // 2


# Makes the frame of an instant of the recorder's clock.
MakeFrame: TypeAlias = Callable[[int], av.VideoFrame]


class SessionState(StrEnum):
    """COUNTING down, WAITING for the first picture, ROLLING, HOLDING, ENDING (the last sound is on its way), ENDED."""

    COUNTING = "counting"
    WAITING = "waiting"
    ROLLING = "rolling"
    HOLDING = "holding"
    ENDING = "ending"
    ENDED = "ended"


@dataclass(slots=True)
class _Gap:
    """What follows the last picture that came: ticks without one, from `first_tick` on."""

    at_ns: int
    lasts_ns: int
    sequence: int | None
    first_tick: int
    held: list[int] = field(default_factory=list)
    lost: int = 0

    def due(self, until_ns: int) -> int:
        """Pictures that should have come until then, with half a picture's time to spare."""
        return max(0, (2 * (until_ns - self.at_ns) - self.lasts_ns) // (2 * self.lasts_ns))


class RecordingSession:
    """A take by its plan: pictures on ticks, each to have a frame unless they keep their times, and sound by `mixer`.

    Used from one thread. A tick without a picture holds the one before: a loss where a picture was due, else a repeat,
    since the file's rate is higher. Where the source is faster, a tick whose own picture was skipped shows the next
    one: a loss too, since what moves is uneven there. `others` says what is counted of inputs beside the first. What
    `is_sample` is no take.
    """

    def __init__(
        self,
        parts: Parts,
        plan: FilePlan,
        mixer: TrackMixer,
        others: Callable[[], Iterable[InputCounts]] = lambda: (),
        *,
        is_sample: bool = False,
    ) -> None:
        self.is_sample = is_sample
        self.parts, self.rate = parts, plan.tick_rate
        self.state = SessionState.WAITING
        self.marks: list[MarkedMoment] = []
        self.problem: str | None = None
        self._tally = Tally()
        parts.began = self._tally.begin_part
        self._filled = not plan.as_it_comes
        self.pace = plan.pace
        self._ticks = Ticks(self.pace, filled=self._filled)
        self._mixer, self._others = mixer, others
        self._segment: Segment | None = None
        self._make: MakeFrame | None = None
        self._gap: _Gap | None = None
        self._deadline_ns = 0
        self._begins_ns, self._is_together = 0, False
        self._began_late_ms: float | None = None
        self._until_tick: int | None = None
        self._is_gone = False
        self._mode: Mode | None = None
        self._transfer = Transfer.BT709
        self.ended_by: CutBy | None = None
        # marks that the session made by itself, and that are not stored yet
        self.noted: deque[MarkedMoment] = deque()

    def begin_at(self, at_ns: int, *, together: bool) -> None:
        """Take no picture that was shown before an instant; `together` says that other takes begin then too."""
        self._begins_ns, self._is_together = at_ns, together

    def counts_down(self, now_ns: int) -> float:
        """Return the seconds until it begins; 0 once it may."""
        return max(0, self._begins_ns - now_ns) / NS if self.state is SessionState.WAITING and not self.ticks else 0.0

    def end_after(self, ticks: int) -> None:
        """Cut the take by itself when it has so many frames; what was before the press does not count."""
        self._until_tick = ticks

    @contextmanager
    def before_the_press(self) -> Iterator[None]:
        """Take what was kept from before: its length counts from there on."""
        until_tick, self._until_tick = self._until_tick, None
        try:
            yield
        finally:
            self._until_tick = None if until_tick is None else self.ticks + until_tick

    @property
    def ticks(self) -> int:
        """Frames of the take so far, lost ones included."""
        return self._ticks.next_tick

    @property
    def counts(self) -> Counts:
        """What has been counted so far."""
        return replace(
            self._tally.counts,
            inputs=inputs_within(self._others(), 0, self.ticks, self.rate),
            began_late_ms=self._began_late_ms,
            tracks=self._mixer.tracks,
            transfer=self._transfer,
        )

    def counts_of(self, part: int) -> Counts:
        """Return what has been counted of a part, from 1, by its own ticks."""
        counts = self._tally.part(part, self._others(), self.rate, self._mixer.tracks)
        counts = replace(counts, transfer=self._transfer)
        return replace(counts, began_late_ms=self._began_late_ms) if part == 1 else counts

    def split(self, *, lighter: bool = False) -> None:
        """End the part as soon as it can be, and go on in another."""
        self.parts.split(self.ticks)
        if lighter:
            self._note(MarkKind.LIGHTER)

    @property
    def segment(self) -> Segment | None:
        """The stretch that is being recorded, or was last; None before the first picture of one."""
        return self._segment

    def take_picture(
        self, picture: Picture, make: MakeFrame, interval: Fraction, recent: Iterable[tuple[int, Samples]] = ()
    ) -> None:
        """Place a picture of the first input; `make` gives the frame of an instant while it is the newest one.

        `interval` is the seconds from one to the next, `recent` the sound heard just before, with its input's place.
        """
        if self.state is SessionState.WAITING:
            if picture.at_ns < self._begins_ns:
                return
            if self._is_together and self._began_late_ms is None:
                self._began_late_ms = round((picture.at_ns - self._begins_ns) / 1e6, 3)
            self._segment = self._ticks.begin(picture.at_ns, interval)
            self.state = SessionState.ROLLING
            for place, samples in recent:
                self.take_samples(place, samples)
        elif self.state is not SessionState.ROLLING or self._has_reached(picture.at_ns):
            return
        placement = self._ticks.place(picture.at_ns)
        if self._is_gone:
            self._is_gone = False
            self._note(MarkKind.BACK)
        self._fill(placement.repeats)
        stands_in = placement.tick is not None and self._stands_in(picture)
        self._close_gap(picture.at_ns, picture.sequence)
        self._make = make
        lasts_ns = picture.lasts_ns or round(interval * NS)
        self._gap = _Gap(picture.at_ns, max(1, lasts_ns), picture.sequence, self._ticks.next_tick)
        if placement.tick is None:
            self._tally.drop(self.ticks)
        elif self._offer(make(picture.at_ns), placement.tick) and stands_in:
            self._tally.lose(range(placement.tick, placement.tick + 1), LossCause.SKIPPED)

    def see_signal(self, signal: Signal, at_ns: int) -> None:
        """Take note of the signal of the picture that comes next; one that is back in another mode begins a part."""
        mode = signal.mode
        if signal.transfer is not Transfer.BT709:
            self._transfer = signal.transfer
        if self._is_gone and self._mode not in (None, mode) and self.state is SessionState.ROLLING:
            self.parts.split(max(self.ticks, self._ticks.tick_at(at_ns)))
        self._mode = mode

    def lose_signal(self, place: int) -> None:
        """Take note that an input is gone: another one numbers its pictures anew, and its sound is not waited for."""
        self._mixer.lose(place)
        if self._gap is not None and not place:
            self._gap.sequence = None
            if not self._is_gone:
                self._is_gone = True
                self._note(MarkKind.GONE)

    def take_samples(self, place: int, samples: Samples) -> None:
        """Place a block of an input's sound."""
        if self._segment is not None:
            self._mixer.place(place, samples, self._segment)

    def pause(self, now_ns: int) -> None:
        """Pause; the segment ends now. Before the first picture nothing has begun that could end."""
        if self.state is SessionState.ROLLING:
            self._end_segment(now_ns)
            self._note(MarkKind.HOLD)
        if self.state in (SessionState.WAITING, SessionState.ROLLING):
            self.state = SessionState.HOLDING

    def resume(self) -> None:
        """Go on with the next picture that arrives."""
        if self.state is SessionState.HOLDING:
            self._mixer.close_to(self.ticks)
            self._segment = None
            self.state = SessionState.WAITING

    def mark(self, label: str, kind: MarkKind = MarkKind.PERSON) -> MarkedMoment:
        moment = MarkedMoment(tick=max(0, self.ticks - 1), label=label, kind=kind)
        self.marks.append(moment)
        return moment

    def _note(self, kind: MarkKind) -> None:
        self.noted.append(self.mark("", kind))

    def _has_reached(self, at_ns: int) -> bool:
        """Cut the take where its last frame lies before an instant; says whether it does."""
        if self._until_tick is None or self._ticks.tick_at(at_ns) < self._until_tick:
            return False
        self.ended_by = CutBy.LENGTH
        self.cut(self._instant(self._until_tick))
        return True

    def cut(self, now_ns: int) -> None:
        """End the take; it is closed once the sound of its last frame is in, or after its grace."""
        if self.state in (SessionState.ENDING, SessionState.ENDED):
            return
        if self.state is SessionState.ROLLING:
            self._end_segment(now_ns)
        self._deadline_ns = now_ns + max(GRACE_NS, self._mixer.patience_ns)
        self.state = SessionState.ENDING
        self.step(now_ns)

    def abandon(self, now_ns: int, problem: str | None = None) -> None:
        """End the take at once, since no more will arrive; `problem` says why, None when that was asked for."""
        self.problem = self.problem or problem
        self.cut(now_ns)
        self._deadline_ns = now_ns
        self.step(now_ns)

    def step(self, now_ns: int, *, is_behind: bool = False) -> None:
        """Do what time asks for: fill ticks that stayed empty, close the take.

        Nothing is filled while reading `is_behind`: what belongs there is still waiting to be read.
        """
        if self.parts.error is not None and self.state is not SessionState.ENDED:
            self._end(now_ns)
        if self.state is SessionState.ROLLING and not is_behind and not self._has_reached(now_ns - GRACE_NS):
            self._fill(ticks := self._ticks.fill(now_ns - GRACE_NS))
            self._count_open_gap(ticks.stop)
        if (
            self.state in (SessionState.ROLLING, SessionState.HOLDING, SessionState.ENDING)
            and self._segment is not None
        ):
            self._mixer.advance(self._segment, now_ns, is_behind=is_behind, ticks=self.ticks)
        if self.state is SessionState.ENDING and (self._mixer.is_complete(self.ticks) or now_ns >= self._deadline_ns):
            self._mixer.close_to(self.ticks)
            self._end(now_ns)

    def _end(self, now_ns: int) -> None:
        if self.state is SessionState.ROLLING:
            self._end_segment(now_ns)
        self.state = SessionState.ENDED
        self.parts.finish()

    def _end_segment(self, now_ns: int) -> None:
        self._segment, repeats = self._ticks.end(now_ns)
        self._fill(repeats)
        self._close_gap(now_ns, None)
        self._gap = None

    def _fill(self, ticks: range) -> None:
        """Fill ticks with the picture before; how many of them are losses is known once the gap ends."""
        if ticks and self._make is not None and self._gap is not None:
            for tick in ticks:
                if self._offer(self._make(self._instant(tick)), tick):
                    self._gap.held.append(tick)
                    self._tally.repeat(range(tick, tick + 1))

    def _instant(self, tick: int) -> int:
        assert self._segment is not None
        return self._segment.start_ns + round((tick - self._segment.first_tick) * NS / self.pace)

    def _count_open_gap(self, end_tick: int) -> None:
        """Count what has been lost for sure up to a tick while still nothing comes."""
        gap = self._gap
        if gap is not None and gap.held:
            # a window ends half a picture early: at least that long the next picture has not come
            end_ns = gap.at_ns + round((end_tick - gap.first_tick) * NS / self.pace)
            self._count(gap, min(len(gap.held), gap.due(end_ns)), LossCause.NO_SIGNAL)

    def _left_out(self, sequence: int | None) -> int:
        """Pictures between the last one and this that the source's numbers leave out."""
        before = self._gap.sequence if self._gap is not None else None
        return max(0, sequence - before - 1) if sequence is not None and before is not None else 0

    def _stands_in(self, picture: Picture) -> bool:
        """Return whether a picture shows in the place of one that was skipped and came first for the same tick."""
        left_out = self._left_out(picture.sequence)
        if not self._filled or self._gap is None or left_out == 0 or self.pace < self.rate:
            return False  # of a time-lapse any picture of its time will do
        before_ns = picture.at_ns - (picture.at_ns - self._gap.at_ns) // (left_out + 1)
        return self._ticks.are_together(before_ns, picture.at_ns)

    def _close_gap(self, at_ns: int, sequence: int | None) -> None:
        """Settle what followed the last picture, now that the next has come, or that the segment ends."""
        gap = self._gap
        if gap is None:
            return
        left_out = self._left_out(sequence)
        cause = LossCause.SKIPPED if left_out > 0 else LossCause.NO_SIGNAL
        due = max(left_out, gap.due(at_ns))
        if self._filled:
            self._count(gap, min(len(gap.held), due), cause)
        elif left_out > 0 or at_ns - gap.at_ns > SILENT_NS:
            self._count(gap, due, cause)

    def _count(self, gap: _Gap, lost: int, cause: LossCause) -> None:
        if self._filled:
            for tick in gap.held[gap.lost : lost]:
                self._tally.lose(range(tick, tick + 1), cause, were_repeated=True)
        elif lost > gap.lost:
            self._tally.lose(range(gap.first_tick + gap.lost, gap.first_tick + lost), cause)
        gap.lost = max(gap.lost, lost)

    def _offer(self, frame: av.VideoFrame, tick: int) -> bool:
        is_taken = self.parts.offer_picture(frame, tick)
        self._tally.take(tick)
        if not is_taken:
            self._tally.lose(range(tick, tick + 1), LossCause.ENCODER)
        return is_taken
