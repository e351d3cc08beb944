"""Making finishes: a file of what is kept, which becomes a take of its own."""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Any

from django.db import transaction

from reel import options
from reel.core.errors import BadValueError
from reel.core.file import RateKind
from reel.core.finish import Finish, FinishPlan, Keep, TickRange
from reel.core.media import MediaError
from reel.core.media.finishing import cut_files, finish_file, hash_archive
from reel.core.wire import from_plain, to_plain
from reel.recorder.messages import RefusedError
from reel.web.finishes.editing import Opened, begins_of, length_of, parts_of, planned, refuse_unfinishable
from reel.web.finishes.encodings import is_archive_of
from reel.web.finishes.models import MAX_NAME, KeptFinish
from reel.web.finishes.proposals import Rules, by_rules
from reel.web.finishes.reading import read_sources, takes_of
from reel.web.finishes.speaking import spoken_path, without_commentary
from reel.web.jobs.actions import ask_for
from reel.web.jobs.files import aside
from reel.web.jobs.kinds import Lane, Progress, WhileRolling, job_kind
from reel.web.jobs.models import Job
from reel.web.takes.made_of import MadeFile, become_take, counts_of_cut, ending_of
from reel.web.takes.models import Take
from reel.web.takes.proving import kept_on, path_of
from reel.web.ui.typed import clean_name, free_name

# The kind of job that makes a finish.
FINISH = "finish"


@dataclass(frozen=True, slots=True, kw_only=True)
class Make:
    """Of which take a finish is made; by `rules` what is kept is found in it, None where the finish says it."""

    subject: int
    finish: Finish
    rules: Rules | None = None


def ask_to_make(take: Take, finish: Finish) -> Job:
    """Ask for a finish to be made; raises RefusedError."""
    refuse_unfinishable(take)
    return ask_for(FINISH, Make(subject=take.pk, finish=finish))


def ask_to_finish(ids: Iterable[int], name: str) -> int:
    """Ask for takes to be finished by a finish that is kept under a name, each on its own; returns how many.

    Raises BadValueError, RefusedError.
    """
    kept = KeptFinish.objects.filter(name=name).first()
    if kept is None:
        raise BadValueError("Finish", name[:40], "none is kept under that name")
    finish, rules = from_plain(kept.value, Finish), from_plain(kept.rules, Rules)
    with transaction.atomic():
        takes = list(Take.objects.kept().with_parts().filter(pk__in=list(ids)))
        for take in takes:
            refuse_unfinishable(take)
        for take in takes:
            ask_for(FINISH, Make(subject=take.pk, finish=finish, rules=rules))
    return len(takes)


def keep_finish(name: str, now: Opened, rules: Rules) -> KeptFinish:
    """Keep a take's finish under a name, without what belongs to its take alone: what is kept of it, where tracks are
    muted in it, what was spoken over it and follows on it. Raises BadValueError."""
    clean = clean_name("Name", name, MAX_NAME)
    plain = without_commentary(now)
    heard = plain.with_sound(replace(one, muted=()) for one in plain.sound)
    value: dict[str, Any] = to_plain(replace(heard, keep=None, behind=()))
    free = free_name(clean, list(KeptFinish.objects.values_list("name", flat=True)), MAX_NAME)
    return KeptFinish.objects.create(name=free, value=value, rules=to_plain(rules))


def jobs_of(take: Take) -> list[Job]:
    """Return the jobs that make finishes of a take, or could not; the newest first."""
    return [job for job in Job.objects.filter(kind=FINISH, subject=take.pk)[:6] if job.is_open or job.problem]


@job_kind(FINISH, label="Finishing", params=Make, lane=Lane.LONG, priority=2, while_rolling=WhileRolling.PAUSES)
def make(asked: Make, progress: Progress) -> Take | None:
    """Make a finish of a take, and return the take that it is; None where its take was deleted or binned meanwhile."""
    take = Take.objects.kept().with_parts().filter(pk=asked.subject).first()
    if take is None:
        return None
    if not take.all_parts:
        raise RefusedError(f"{take.name} has no files.")
    refuse_unfinishable(take)
    finish = asked.finish
    takes = takes_of(take, finish)
    sources, paths = read_sources(takes), [path_of(part) for one in takes for part in one.all_parts]
    if asked.rules is not None:
        finish = replace(finish, keep=_found(take, asked.rules, sources))
    made = planned(finish, sources)
    shelf = kept_on(take)
    shelf.check(options.reserve_bytes() + _room_for(made, sum(path.stat().st_size for path in paths)))
    stem = paths[0].stem if made.finish.keep is None else f"{paths[0].stem}-{ending_of(made.finish)}"
    with aside(shelf, f"{stem}.{finish.suffix}") as reserved:
        if made.finish.keep is None:
            finish_file(paths[0], reserved.rolling, made, lambda part: progress(0.99 * part))
            counts: Any = take.first.counts
        else:
            spoken = spoken_path(made.finish)
            written = cut_files(paths, sources, reserved.rolling, made, lambda part: progress(0.99 * part), spoken)
            counts = to_plain(replace(counts_of_cut(made), written=written))
        if is_archive := is_archive_of(made.finish, sources):
            hash_archive(paths, sources, reserved.rolling, made)
        file = MadeFile(reserved=reserved, counts=counts, is_hashed=is_archive)
        begins = begins_of(takes, sources) if made.finish.keep is not None else [0]
        return become_take([*zip(takes, begins, strict=True)], made.finish, made, [file], shelf)


def _room_for(made: FinishPlan, bytes_now: int) -> int:
    """Return the bytes that are to be free for what is made: an archive copy's frames are taken to halve."""
    encoding = made.finish.encoding
    if encoding is None:
        return bytes_now
    if encoding.size_bytes is not None:
        return encoding.size_bytes
    if encoding.recipe.rate.kind is not RateKind.LOSSLESS:
        return max(bytes_now, round((encoding.recipe.rate.target_bps or 0) * made.length_s / 8))
    picture = made.streams[0].stream
    return made.frames * picture.width_px * picture.height_px * (3 if encoding.recipe.bits > 8 else 1)


def _found(take: Take, rules: Rules, sources: list[Any]) -> Keep:
    """Return what rules keep of a take; raises BadValueError where that is nothing, MediaError before it was proved."""
    if not rules.rules:
        return Keep(rate=take.form.rate, ranges=(TickRange(0, length_of(sources)),))
    files = parts_of([take], sources)
    if not files:
        raise MediaError(path_of(take.first), "was not proved yet: what is black, still or silent in it is not known")
    return Keep(rate=take.form.rate, ranges=by_rules(rules, files, take.form.rate))
