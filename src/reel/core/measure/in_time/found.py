"""What a person is told of a file along its time, in a sentence each, what is wrong first."""

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from statistics import median

from reel.core.measure.counts import Counts, LossCause
from reel.core.measure.in_time.values import Event, PictureInTime, Span, TakeInTime
from reel.core.media.samples import CLIP_RUN
from reel.core.signal import length_label, rate_label

# Shorter stretches are drawn, and not said: pictures stand and are black for a moment in any take.
TOLD_MS = 5000
BLACK_TOLD_MS = 1000
# What is lost or clips within so many milliseconds is said together.
TOGETHER_MS = 1000
# A source draws fewer pictures than the file holds where it does so in so many of the seconds in which it moves, give
# or take so many pictures: a clock or a cursor changes less often, and says nothing.
STEADY_PART, STEADY_OFF, MIN_NEW, MIN_SECONDS = 0.8, 2, 6, 3
FEWER_PART = 0.65


class FoundKind(StrEnum):
    """What was found."""

    LOST = "lost"
    CLIPPED = "clipped"
    DOUBLED = "doubled"
    BLACK = "black"
    SILENT = "silent"
    FEWER = "fewer"
    STILL = "still"


# What is no fault by itself.
PLAIN = frozenset({FoundKind.BLACK, FoundKind.STILL, FoundKind.FEWER})
_CAUSES = {
    LossCause.NO_SIGNAL: "while no picture came",
    LossCause.SKIPPED: "on the way to Reel",
    LossCause.ENCODER: "while the encoder fell behind",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Found:
    """Something found: `lead` is said first and loud, `more` after it; it is shown at `at_ms`, None where it is all
    along.
    """

    kind: FoundKind
    lead: str
    more: str = ""
    at_ms: int | None = None

    @property
    def is_plain(self) -> bool:
        """Whether it is only said, and is no fault."""
        return self.kind in PLAIN


def losses(picture: PictureInTime, counts: Counts) -> tuple[tuple[Event, LossCause | None], ...]:
    """Return every stretch of lost frames in the order of time: those that were counted, with their cause, and empty
    ticks that nobody counted.
    """
    if picture.rate is None:
        return ()
    ms_each = 1000 / picture.rate
    counted = [(one.first_tick, one.first_tick + one.ticks, one.cause) for one in counts.stretches]
    found: list[tuple[Event, LossCause | None]] = [
        (Event(at_ms=round(begin * ms_each), number=end - begin), cause) for begin, end, cause in counted
    ]
    for one in picture.lost:
        first = round(one.at_ms / ms_each)
        if not any(begin <= first + one.number and first <= end for begin, end, _ in counted):
            found.append((one, None))
    return tuple(sorted(found, key=lambda one: one[0].at_ms))


def clips(in_time: TakeInTime, place: int, counts: Counts) -> tuple[Event, ...]:
    """Return where a track clips, in the order of time: as it stands in the file, and as the recorder bounded it.

    Lossy codecs round the tops of what was bounded, so that the file alone does not tell.
    """
    found = in_time.tracks[place].clipped
    if place >= len(counts.tracks):
        return found
    picture = in_time.picture
    rate = picture.rate if picture is not None and picture.rate is not None else Fraction(1000)  # else ticks are ms
    bounded = [
        Event(at_ms=round(one.first_tick * 1000 / rate), number=one.number)
        for one in counts.tracks[place].clipped
        if one.number >= CLIP_RUN
    ]
    near = [one.at_ms for one in found]
    more = [one for one in bounded if not any(-TOGETHER_MS <= at_ms - one.at_ms <= TOGETHER_MS for at_ms in near)]
    return tuple(sorted((*found, *more), key=lambda one: one.at_ms))


def found_in(in_time: TakeInTime, counts: Counts) -> tuple[Found, ...]:
    """Return what there is to say of a file; causes and clipping also come from the recorder's `counts` of it."""
    said = [*_of_tracks(in_time, counts)]
    if in_time.picture is not None:
        said += _of_picture(in_time.picture, counts, in_time.step_ms)
    return tuple(sorted(said, key=lambda one: (one.is_plain, list(FoundKind).index(one.kind))))


def _of_picture(picture: PictureInTime, counts: Counts, step_ms: int) -> Iterator[Found]:
    gaps = losses(picture, counts)
    if gaps:
        yield _lost(gaps, counts.lost)
    if picture.doubled:
        number, at_ms = len(picture.doubled), picture.doubled[0].at_ms
        lead = f"{number} picture{'s stand' if number > 1 else ' stands'} twice"
        yield Found(kind=FoundKind.DOUBLED, lead=lead, more=f", the first at {at_label(at_ms)}.", at_ms=at_ms)
    yield from _spans(FoundKind.BLACK, "Black", picture.black, BLACK_TOLD_MS)
    yield from _spans(FoundKind.STILL, "Still", picture.still, TOLD_MS)
    fewer = drawn_per_s(picture, step_ms)
    if fewer is not None and picture.rate is not None and fewer <= FEWER_PART * picture.rate:
        rate = rate_label(picture.rate)
        yield Found(
            kind=FoundKind.FEWER,
            lead=f"The source draws {rate_label(fewer)} pictures a second",
            more=f": in a file of {rate} the others repeat. A rate of {rate_label(fewer)} would hold as much.",
        )


def _lost(gaps: Sequence[tuple[Event, LossCause | None]], counted: int) -> Found:
    """Say how many frames are lost, and where most of them; more may be `counted` than have their place kept."""
    groups: list[list[tuple[Event, LossCause | None]]] = []
    for gap in gaps:
        if groups and gap[0].at_ms - groups[-1][-1][0].at_ms < TOGETHER_MS and gap[1] is groups[-1][-1][1]:
            groups[-1].append(gap)
        else:
            groups.append([gap])
    total = max(counted, sum(one.number for one, _ in gaps))
    worst = max(groups, key=lambda group: sum(one.number for one, _ in group))
    number, (first, cause) = sum(one.number for one, _ in worst), worst[0]
    lead = f"{total} frame{'s' if total > 1 else ''} lost"
    place = f" at {at_label(first.at_ms)}{' ' + _CAUSES[cause] if cause else ''}."
    if len(groups) == 1:
        return Found(kind=FoundKind.LOST, lead=lead, more=place, at_ms=first.at_ms)
    return Found(kind=FoundKind.LOST, lead=lead, more=f", {number} of them{place}", at_ms=first.at_ms)


def _spans(kind: FoundKind, word: str, spans: Iterable[Span], least_ms: int) -> Iterator[Found]:
    told = [span for span in spans if span.end_ms - span.begin_ms >= least_ms]
    if not told:
        return
    longest = max(told, key=lambda span: span.end_ms - span.begin_ms)
    where = f"from {at_label(longest.begin_ms)} to {at_label(longest.end_ms)}"
    if len(told) == 1:
        yield Found(kind=kind, lead=f"{word} {where}", more=".", at_ms=longest.begin_ms)
        return
    total = length_label(Fraction(sum(span.end_ms - span.begin_ms for span in told), 1000))
    more = f", {total} in all; the longest {where}."
    yield Found(kind=kind, lead=f"{word} {len(told)} times", more=more, at_ms=longest.begin_ms)


def _of_tracks(in_time: TakeInTime, counts: Counts) -> Iterator[Found]:
    tracks, length_ms = in_time.tracks, in_time.length_ms
    for place, track in enumerate(tracks):
        name = track.title or (f"Track {place + 1}" if len(tracks) > 1 else "The sound")
        if clipped := clips(in_time, place, counts):
            number, at_ms = len(clipped), clipped[0].at_ms
            times = "once" if number == 1 else f"{number} times"
            where = f" at {at_label(at_ms)}." if number == 1 else f", the first time at {at_label(at_ms)}."
            yield Found(kind=FoundKind.CLIPPED, lead=f"{name} clipped {times}", more=where, at_ms=at_ms)
        if any(span.end_ms - span.begin_ms >= length_ms - 100 for span in track.silent):
            yield Found(kind=FoundKind.SILENT, lead=f"{name} is silent", more=" from beginning to end.")


def drawn_per_s(picture: PictureInTime, step_ms: int) -> Fraction | None:
    """Return how many pictures a second the source draws, where it does so steadily; None where that can't be told."""
    each = max(1, 1000 // step_ms)
    seconds = [sum(picture.new[at : at + each]) for at in range(0, len(picture.new) - each + 1, each)]
    moving = [new for new in seconds if new >= MIN_NEW]
    if len(moving) < MIN_SECONDS or len(moving) * 2 < len(seconds):
        return None
    middle = median(moving)
    steady = sum(abs(new - middle) <= STEADY_OFF for new in moving)
    return Fraction(round(middle)) if steady >= STEADY_PART * len(moving) else None


def at_label(at_ms: int) -> str:
    """Return a moment of a take: 0:04, 12:31, 1:02:10."""
    seconds = at_ms // 1000
    hours = f"{seconds // 3600}:{seconds // 60 % 60:02}" if seconds >= 3600 else str(seconds // 60)
    return f"{hours}:{seconds % 60:02}"
