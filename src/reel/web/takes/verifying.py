"""Verifying archive copies: every frame is decoded and held against its hash, when asked and every so many months."""

import datetime
from pathlib import Path

from django.utils import timezone

from reel import options
from reel.core.media import MediaError
from reel.core.media.hashes import NAME, check_hashes
from reel.core.media.shelf import sidecar_folder
from reel.recorder.messages import RefusedError
from reel.web.jobs.actions import ask_for
from reel.web.jobs.kinds import Lane, Progress, Subject, WhileRolling, job_kind
from reel.web.jobs.models import OPEN_STATES, Job
from reel.web.takes.models import Part
from reel.web.takes.proving import path_of

# The kind of job that verifies a part.
VERIFY = "verify"
# So many of the frames that differ are named.
MAX_NAMED = 8
DAYS_A_MONTH = 30.44


def hashes_path(path: Path) -> Path:
    """Return where the hashes of a file's frames lie."""
    return sidecar_folder(path) / NAME


def ask_to_verify(part: Part) -> Job:
    """Ask for a part to be verified, unless that is being done; raises RefusedError for one without hashes."""
    if not part.is_hashed:
        raise RefusedError(f"{part.file_name} has no hashes that it could be held against.")
    return verifying_of(part) or ask_for(VERIFY, Subject(subject=part.pk))


def verifying_of(part: Part) -> Job | None:
    """Return the job that verifies a part just now; None where none does."""
    if not part.is_hashed:
        return None
    return Job.objects.filter(kind=VERIFY, subject=part.pk, state__in=OPEN_STATES).first()


def verify_due(now: datetime.datetime | None = None) -> int:
    """Ask for what was not verified for VERIFY_MONTHS; returns how many parts."""
    months = options.verify_months()
    if not months:
        return 0
    until = (now or timezone.now()) - datetime.timedelta(days=months * DAYS_A_MONTH)
    due = Part.objects.filter(is_hashed=True, verified_at__lt=until, take__binned_at=None)
    return len([ask_to_verify(part) for part in due])


@job_kind(VERIFY, label="Verifying", lane=Lane.LONG, while_rolling=WhileRolling.BEGINS_LATER)
def verify(asked: Subject, progress: Progress) -> None:
    """Verify a part and note what came of it.

    Where its shelf is not there nothing is noted: it is tried again the next time.
    """
    part = Part.objects.select_related("take").filter(pk=asked.subject).first()
    if part is None or not part.is_hashed:
        return
    path = path_of(part)
    if not path.exists():
        raise MediaError(path, "is not there just now, and can't be verified")
    problem = ""
    try:
        count, differing = check_hashes(path, hashes_path(path), progress)
    except MediaError as error:
        problem = str(error)
    else:
        if differing:
            named = ", ".join(map(str, differing[:MAX_NAMED])) + (" and more" if len(differing) > MAX_NAMED else "")
            problem = f"{len(differing)} of {count} frames are not what they were: {named}."
    Part.objects.filter(pk=part.pk).update(verified_at=timezone.now(), verify_problem=problem)
