"""Claps in a take: looked for when somebody asks, and what they say of each of its tracks."""

from dataclasses import dataclass
from fractions import Fraction
from functools import partial

from reel.core.measure.claps import Claps, claps_in
from reel.core.signal import timecode
from reel.core.wire import from_plain, to_plain
from reel.web.finishes.editing import Opened
from reel.web.finishes.models import ReadFile
from reel.web.finishes.reading import stamp_of
from reel.web.jobs.actions import ask_once
from reel.web.jobs.kinds import Lane, Progress, Subject, WhileRolling, job_kind
from reel.web.jobs.models import Job
from reel.web.takes.models import Take
from reel.web.takes.proving import path_of

FIND = "find claps"


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """What claps say of a track; `slide_ms` brings it in step, "" where it is so already, or slides as it should."""

    track: int
    words: str
    slide_ms: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Found:
    """How looking for claps stands: the job that looks or failed, None else; what was found, None before."""

    job: Job | None
    rows: list[Row] | None


def ask_to_find(take: Take) -> None:
    """Have claps looked for in a take's files, unless that is being done."""
    ask_once(FIND, Subject(subject=take.pk))


@job_kind(FIND, label="Finding claps", lane=Lane.LONG, while_rolling=WhileRolling.PAUSES)
def find(asked: Subject, progress: Progress) -> None:
    """Look for claps in a take's files; what was found of one that changes meanwhile is not kept."""
    take = Take.objects.with_parts().filter(pk=asked.subject).first()
    parts = take.all_parts if take is not None else []
    for number, part in enumerate(parts):
        path = path_of(part)
        stamp = stamp_of(path)
        found = claps_in(path, partial(_tell, progress, number, len(parts)))
        read = ReadFile.objects.filter(part=part, stamp=stamp)
        read.update(claps=[to_plain(one) for one in found])


def _tell(progress: Progress, number: int, count: int, part: float) -> None:
    progress((number + part) / count)


def found_in(now: Opened) -> Found:
    """Return how looking for claps in a take stands."""
    job = Job.objects.filter(kind=FIND, subject=now.take.pk).first()
    if job is not None and not job.is_open and not job.problem:
        job = None
    kept = list(ReadFile.objects.filter(part__take=now.take).order_by("part__number").values_list("claps", flat=True))
    if None in kept:
        return Found(job=job, rows=None)
    best: dict[int, tuple[int, Claps]] = {}
    for place, claps in enumerate(kept):
        for one in (from_plain(plain, Claps) for plain in claps or ()):
            if one.track not in best or len(one.reading.claps_ms) > len(best[one.track][1].reading.claps_ms):
                best[one.track] = place, one
    count = len(now.sources[0].sounds)
    return Found(
        job=job, rows=[_row(now, place, one) for track, (place, one) in sorted(best.items()) if track <= count]
    )


def _row(now: Opened, place: int, claps: Claps) -> Row:
    slides = {one.track: one.slide_ms for one in now.finish.sound}
    reading, sounds = claps.reading, now.sources[0].sounds
    offset_ms, within_ms = reading.offset_ms or 0.0, reading.within_ms or 0.0
    other = "the picture" if claps.is_seen else sounds[0].title or "track 1"
    wanted_ms = Fraction(round(-offset_ms * 10), 10) + (0 if claps.is_seen else slides.get(1, 0))
    begin = sum(one.packets.length for one in now.sources[:place] if one.packets is not None)
    code = timecode(Fraction(claps.at_s).limit_denominator(1000) + begin / now.rate, now.rate)
    side = "after" if offset_ms > 0 else "before"
    words = f"{abs(offset_ms):.0f} ms {side} {other}" if abs(offset_ms) > within_ms else f"in step with {other}"
    return Row(
        track=claps.track,
        words=f"{words}, by {len(reading.claps_ms)} claps from {code} on, to within {within_ms:.0f} ms",
        slide_ms=f"{float(wanted_ms):g}" if abs(wanted_ms - slides.get(claps.track, 0)) > within_ms else "",
    )
