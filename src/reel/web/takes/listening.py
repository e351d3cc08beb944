"""Tracks to listen to: a browser plays the first one of a file alone, so that another is read out of it."""

from dataclasses import dataclass

from reel.core.file import SoundFiles
from reel.core.media import MediaError, sound_of
from reel.web.jobs.actions import ask_for
from reel.web.jobs.kinds import Progress, job_kind
from reel.web.jobs.models import Job
from reel.web.takes.models import Part
from reel.web.takes.proving import path_of, put, track_path

LISTEN = "listen"


@dataclass(frozen=True, slots=True, kw_only=True)
class TrackOfPart:
    """A sound track, from 0, of the part that is the subject."""

    subject: int
    track: int


def reading_of(part: Part, track: int) -> Job | None:
    """Return the newest job that reads a track out of a part."""
    return Job.objects.filter(kind=LISTEN, subject=part.pk, params__track=track).first()


def ask_for_track(part: Part, track: int) -> None:
    """Ask for a track to be read out of a part, unless it is there or being read."""
    job = reading_of(part, track)
    if not track_path(part, track).exists() and not (job and job.is_open):
        ask_for(LISTEN, TrackOfPart(subject=part.pk, track=track))


@job_kind(LISTEN, label="Reading a track", params=TrackOfPart, priority=2)
def read_track(asked: TrackOfPart, progress: Progress) -> None:
    """Read a track out of a part, exactly, in step with the picture; that of one that was deleted is not read."""
    part = Part.objects.select_related("take").filter(pk=asked.subject).first()
    if part is None:
        return
    source = path_of(part)
    if not source.is_file():
        raise MediaError(source, "is gone")
    target = track_path(part, asked.track)
    put(target, lambda making: sound_of(source, making, asked.track, SoundFiles.FLAC, progress))
    if not Part.objects.filter(pk=part.pk).exists():
        target.unlink(missing_ok=True)  # it was deleted meanwhile
