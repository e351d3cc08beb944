"""Speaking over a take: what a browser's microphone hears comes in pieces, and becomes a track of its finish."""

import time
from contextlib import suppress
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

from django import forms
from django.conf import settings
from django.utils import timezone

from reel.core.errors import BadValueError
from reel.core.finish import Finish
from reel.core.media import MediaError
from reel.core.media.commentary import RATES_HZ, lay_over, played_at
from reel.core.sound import MAX_LATE_MS
from reel.recorder.messages import RefusedError
from reel.web.finishes.editing import Opened, change, refuse_unfinishable
from reel.web.finishes.models import CommentaryTry
from reel.web.takes.models import Take
from reel.web.takes.proving import playable_path
from reel.web.ui.fields import NumberField, WholeField
from reel.web.ui.forms import refuse_invalid

# A piece has up to so many bytes, a try so many: a day at 48 kHz. A frame is two samples of 16 bits.
MAX_PIECE_BYTES, MAX_BYTES = 4 << 20, 86_400 * 192_000
FRAME_BYTES = 4
# From a try that is spoken nothing has come for so long when its page is gone.
BROKEN_OFF_S = 20
# What no try has named for so long is nobody's.
_YOUNG_S = 3600


class BeginForm(forms.Form):
    """What a browser says before it sends what is spoken."""

    rate_hz = WholeField(min_value=RATES_HZ[0], max_value=RATES_HZ[1])
    late_ms = NumberField(required=False, min_value=0, max_value=int(MAX_LATE_MS))
    into = WholeField(required=False)


class AtForm(forms.Form):
    """At which second of the take the first sample was heard, as the browser knows it by now."""

    at_s = NumberField(min_value=-10, max_value=86_400)


def folder() -> Path:
    """Return where what was spoken lies."""
    found: Path = settings.HOME.spoken
    return found


def spoken_path(finish: Finish) -> Path | None:
    """Return the file of what was spoken over a finish's take; None where nothing was, or it is gone."""
    path = folder() / finish.commentary
    return path if finish.commentary and path.is_file() else None


def raw_path(one: CommentaryTry) -> Path:
    """Return where the samples of a try lie while it is spoken."""
    return folder() / f"{one.take_id}-{one.pk}.s16"


def begin(take: Take, form: BeginForm) -> CommentaryTry:
    """Begin a try; raises BadValueError, RefusedError."""
    refuse_unfinishable(take)
    refuse_invalid(form)
    said = form.cleaned_data
    into = take.tries.filter(pk=said["into"]).exclude(file_name="").first() if said["into"] else None
    if said["into"] and into is None:
        raise RefusedError("What that was to be spoken into is gone.")
    folder().mkdir(parents=True, exist_ok=True)
    remove_unnamed()
    late_ms = float(said["late_ms"]) if said["late_ms"] is not None else None
    return CommentaryTry.objects.create(take=take, rate_hz=said["rate_hz"], late_ms=late_ms, into=into)


def add(one: CommentaryTry, at_byte: int, data: bytes, form: AtForm) -> int:
    """Take a piece of what is spoken, from a byte of it on; returns how many bytes are here.

    Raises BadValueError for one that has no whole samples, MediaError where it can't be kept, RefusedError where the
    try is over.
    """
    refuse_invalid(form)
    if one.file_name:
        raise RefusedError("What was spoken is over; nothing is added to it.")
    if len(data) % FRAME_BYTES or not 0 <= at_byte <= MAX_BYTES - len(data):
        raise BadValueError("Piece", f"{len(data)} bytes at {at_byte}", "it has whole frames, of a day at most")
    path = raw_path(one)
    try:
        with path.open("ab") as file:
            here = file.tell()
            if here == at_byte:  # else it came before, or one before it did not
                file.write(data)
                here += len(data)
    except OSError as error:
        raise MediaError(path, f"can't be written ({error.strerror})") from error
    CommentaryTry.objects.filter(pk=one.pk).update(at_s=form.cleaned_data["at_s"], heard_at=timezone.now())
    return here


def end(one: CommentaryTry) -> None:
    """Make a file of what was spoken; raises MediaError, and keeps the samples, where that can't be."""
    if one.file_name:
        return
    raw, name = raw_path(one), f"{one.take_id}-{one.pk}.flac"
    aside = folder() / f"{one.take_id}-{one.pk}.rolling.flac"
    base = folder() / one.into.file_name if one.into is not None else None
    if base is not None and not base.is_file():
        base = None  # what it was spoken into is gone; what was spoken is not
    about_s = Fraction(str(round(one.at_s, 6)))
    part = one.take.first
    at_s = played_at(raw, one.rate_hz, playable_path(part), about_s) if part.playable else None
    one.is_found = at_s is not None
    at_s = (about_s if at_s is None else at_s) - Fraction(str(one.late_ms or 0)) / 1000
    try:
        lay_over(raw, one.rate_hz, at_s, aside, base)
        aside.rename(folder() / name)
    except MediaError:
        raise
    except OSError as error:
        raise MediaError(aside, f"can't be written ({error.strerror})") from error
    finally:
        aside.unlink(missing_ok=True)
    spoken_s = raw.stat().st_size / FRAME_BYTES / one.rate_hz
    one.file_name, one.length_s, one.at_s = name, spoken_s, max(0.0, float(at_s))
    one.save()
    raw.unlink(missing_ok=True)


def choose(take: Take, seen: str, one: CommentaryTry | None) -> None:
    """Make a try a track of the take's finish, or take what was spoken out of it; raises RefusedError."""
    if one is not None and not (one.file_name and (folder() / one.file_name).is_file()):
        raise RefusedError("There is no such try.")

    def edit(now: Opened) -> Finish:
        return without_commentary(now) if one is None else replace(now.finish, commentary=one.file_name)

    change(take, seen, edit, "commentary")


def without_commentary(now: Opened) -> Finish:
    """Return a take's finish without what was spoken, and without what was said of that track."""
    finish, track = now.finish, len(now.sources[0].sounds) + 1
    sound = (
        replace(one, under=None) if one.under is not None and one.under.track == track else one
        for one in finish.sound
        if one.track != track
    )
    mixdown = tuple(one for one in finish.mixdown if one != track)
    return replace(finish.with_sound(sound), commentary="", mixdown=mixdown)


def delete(one: CommentaryTry, finish: Finish) -> None:
    """Delete a try; raises RefusedError for the one that is chosen."""
    if one.file_name and one.file_name == finish.commentary:
        raise RefusedError("It is a track of this finish. Take it out first.")
    for path in (raw_path(one), folder() / (one.file_name or "none")):
        path.unlink(missing_ok=True)
    one.delete()


def remove_unnamed() -> None:
    """Remove the files of tries whose take was deleted."""
    named = set(CommentaryTry.objects.values_list("file_name", flat=True))
    open_now = {raw_path(one).name for one in CommentaryTry.objects.filter(file_name="")}
    for path in folder().glob("*-*.*"):
        with suppress(FileNotFoundError):  # somebody else removed it meanwhile
            if path.name not in named | open_now and path.stat().st_mtime < time.time() - _YOUNG_S:
                path.unlink()
