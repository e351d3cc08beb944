"""Files that jobs make of takes, to be handed on: with chapters, small for a phone, a track alone.

Such a file comes into being as a rolling one does: see jobs.files.
"""

from fractions import Fraction
from pathlib import Path

from django.db import transaction

from reel.core.errors import BadValueError
from reel.core.file import SoundFiles, slug
from reel.core.handing import chapters_of
from reel.core.media import WITH_CHAPTERS, MediaError, encode_for_browser, sound_of, with_chapters
from reel.core.media.shelf import ROLLING
from reel.web.jobs.actions import ask_for, call_off
from reel.web.jobs.files import aside
from reel.web.jobs.kinds import Lane, Progress, Subject, job_kind
from reel.web.takes.files import MAKE, Made, MadeKind
from reel.web.takes.handing import moments_of
from reel.web.takes.models import Part
from reel.web.takes.proving import kept_on, path_of

_SOUND = {MadeKind.WAV: SoundFiles.WAV, MadeKind.FLAC: SoundFiles.FLAC}


def ask_for_file(part: Part, kind: MadeKind, track: int = 0) -> Made:
    """Ask for a file to be made of a part; gives the one that is there or being made. Raises BadValueError."""
    if kind is MadeKind.CHAPTERS:
        if path_of(part).suffix.lstrip(".").lower() not in WITH_CHAPTERS:
            raise BadValueError("Chapters", path_of(part).suffix, "MP4, MKV and MOV hold chapters")
        if not chapters_of(moments_of(part, part.take), Fraction(part.length_ms or 0, 1000)):
            raise BadValueError("Chapters", "no marks", "each mark begins a chapter; make one first")
    elif kind in _SOUND and track >= len(part.take.tracks):
        raise BadValueError("Track", track + 1, f"the take has {len(part.take.tracks)}")
    with transaction.atomic():
        found = part.made.filter(kind=kind, track=track if kind in _SOUND else 0).first()
        if found is not None and kind is MadeKind.CHAPTERS and found.is_whole:
            forget_file(found)  # its marks may be others by now
            found = None
        if found is None:
            found = Made.objects.create(part=part, kind=kind, track=track if kind in _SOUND else 0)
        if not found.is_whole and not (found.job and found.job.is_open):
            ask_for(MAKE, Subject(subject=found.pk))
    return found


def path_of_made(made: Made) -> Path:
    """Return where a file that was made lies: on the shelf of the part that it was made of."""
    return kept_on(made.part.take).path(made.file_name)


def forget_file(made: Made) -> None:
    """Delete a file that was made, or call off its making; raises MediaError."""
    job = made.job
    if job is not None and job.is_open:
        call_off(job)
    if made.file_name:
        kept_on(made.part.take).delete(made.file_name)
    made.delete()


@job_kind(MAKE, label="Making a file", lane=Lane.LONG, priority=2)
def make(asked: Subject, progress: Progress) -> None:
    """Make a file; one that nobody wants any more is not made."""
    made = Made.objects.select_related("part__take").filter(pk=asked.subject).first()
    if made is None or made.is_whole:
        return
    source, shelf = path_of(made.part), kept_on(made.part.take)
    shelf.check(source.stat().st_size if source.is_file() else 0)
    with aside(shelf, _name(made, source)) as reserved:
        _write(made, source, reserved.rolling, progress)
        final = shelf.complete(reserved)
        facts = {"file_name": final.name, "is_whole": True, "size_bytes": final.stat().st_size}
        if not Made.objects.filter(pk=made.pk).update(**facts):
            shelf.delete(final.name)  # it was given up meanwhile


def _name(made: Made, source: Path) -> str:
    stem, kind = source.stem.replace(ROLLING, ""), MadeKind(made.kind)
    if kind is MadeKind.CHAPTERS:
        return f"{stem}_chapters{source.suffix}"
    if kind is MadeKind.SMALL:
        return f"{stem}_small.mp4"
    title = slug(made.part.take.tracks[made.track]) or f"track{made.track + 1}"
    return f"{stem}_{title}.{kind.value}"


def _write(made: Made, source: Path, target: Path, progress: Progress) -> None:
    kind, part = MadeKind(made.kind), made.part
    if not source.is_file():
        raise MediaError(source, "is gone")
    if kind is MadeKind.CHAPTERS:
        chapters = chapters_of(moments_of(part, part.take), Fraction(part.length_ms or 0, 1000))
        with_chapters(source, target, [(one.begin_s, one.end_s, one.title) for one in chapters], progress)
    elif kind is MadeKind.SMALL:
        encode_for_browser(source, target, progress)
    else:
        sound_of(source, target, made.track, _SOUND[kind], progress)
