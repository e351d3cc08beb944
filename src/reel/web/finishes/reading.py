"""Reading the files of a take before they are cut: all their packets, once, and kept until a file changes."""

from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path

from reel.core.errors import BadValueError
from reel.core.finish import Finish, PacketIndex, Source, SourceStream
from reel.core.media import MediaError
from reel.core.media.finishing import source_to_cut
from reel.core.wire import from_plain, to_plain
from reel.recorder.messages import RefusedError
from reel.web.finishes.models import OpenFinish, ReadFile
from reel.web.jobs.actions import ask_for
from reel.web.jobs.kinds import Lane, Progress, Subject, job_kind
from reel.web.jobs.models import OPEN_STATES, Job
from reel.web.takes.models import Part, Take
from reel.web.takes.proving import path_of

# The kind of job that reads the packets of a take's files.
READ = "read packets"
# What is kept of a file is read again where another Reel had kept less of it.
VERSION = 3


def takes_of(take: Take, finish: Finish) -> list[Take]:
    """Return the takes that a finish is made of, with their parts: the one itself, and those that follow on it.

    Raises RefusedError where one of them is not there any more.
    """
    if not finish.behind:
        return [take]
    found = {one.pk: one for one in Take.objects.kept().with_parts().filter(pk__in=finish.behind)}
    if len(found) < len(finish.behind) or any(not one.all_parts or one.on_device for one in found.values()):
        raise RefusedError("A take that was joined is not there any more.")
    return [take, *(found[one] for one in finish.behind)]


def stored_finish(take: Take) -> tuple[OpenFinish | None, Finish | None, list[Take]]:
    """Return what is stored of a take's finish, the finish where it can be read and made of what is there, and the
    takes that it is made of: the one alone where there is none."""
    stored = OpenFinish.objects.filter(take=take).first()
    try:
        finish = stored.finish if stored is not None else None
        return stored, finish, takes_of(take, finish) if finish is not None else [take]
    except (BadValueError, RefusedError):
        return stored, None, [take]


def sources_of(takes: Sequence[Take]) -> list[Source] | None:
    """Return what was read of the files of takes, in their order and by the ticks of the first take; None while any was
    not read as it lies there now.

    Raises MediaError where a file is gone.
    """
    parts, rate = [part for take in takes for part in take.all_parts], takes[0].form.rate
    found = {one.part_id: one for one in ReadFile.objects.filter(part__in=parts)}
    sources = []
    for part in parts:
        kept = found.get(part.pk)
        if kept is None or kept.stamp != stamp_of(path_of(part)):
            return None
        sources.append(
            Source(
                streams=tuple(from_plain(one, SourceStream) for one in kept.streams),
                packets=replace(PacketIndex.unpacked(bytes(kept.packets)), rate=rate) if kept.packets else None,
                is_joinable=kept.is_joinable,
            )
        )
    return sources


def read_sources(takes: Sequence[Take], progress: Progress = lambda part: None) -> list[Source]:
    """Read what was not read of the files of takes, and return it all; raises MediaError."""
    parts = [part for take in takes for part in take.all_parts]
    for number, part in enumerate(parts):
        _read(part)
        progress((number + 1) / len(parts))
    found = sources_of(takes)
    if found is None:
        raise MediaError(path_of(parts[0]), "changed while it was read")
    return found


def ask_to_read(take: Take, *, waits: bool = False) -> Job:
    """Ask for a take's files to be read, unless that is being done; returns the job.

    A page that `waits` for it is given the one that failed.
    """
    mine = Job.objects.filter(kind=READ, subject=take.pk).first()
    if mine is not None and (mine.state in OPEN_STATES or (waits and mine.problem)):
        return mine
    return ask_for(READ, Subject(subject=take.pk))


@job_kind(READ, label="Reading the packets", lane=Lane.QUICK, priority=3)
def read(asked: Subject, progress: Progress) -> None:
    """Read a take's files, and those of what follows on it; nothing for one that was deleted meanwhile."""
    take = Take.objects.with_parts().filter(pk=asked.subject).first()
    if take is not None:
        read_sources(stored_finish(take)[2], progress)


def _read(part: Part) -> None:
    path = path_of(part)
    stamp = stamp_of(path)
    if ReadFile.objects.filter(part=part, stamp=stamp).exists():
        return
    source = source_to_cut(path)
    facts = {
        "stamp": stamp,
        "streams": [to_plain(one) for one in source.streams],
        "packets": source.packets.packed() if source.packets is not None else None,
        "is_joinable": source.is_joinable,
        "claps": None,
    }
    if Part.objects.filter(pk=part.pk).exists():  # it may have been deleted meanwhile
        ReadFile.objects.update_or_create(part=part, defaults=facts)


def stamp_of(path: Path) -> str:
    """Return what a file has as long as it stays as it is; raises MediaError where it is gone."""
    try:
        found = path.stat()
    except OSError as error:
        raise MediaError(path, "is gone") from error
    return f"{VERSION}:{found.st_size}:{found.st_mtime_ns}"
