"""The tracks of a finish: what its page shows of each, and the form that says what becomes of it."""

from dataclasses import dataclass, replace
from fractions import Fraction

from django import forms

from reel.core.errors import BadValueError
from reel.core.finish import (
    LOUDNESS_LUFS,
    PULL_DB,
    SLIDE_MS,
    Finish,
    Ranges,
    TickRange,
    TrackFinish,
    Under,
    sounds_of,
    together,
)
from reel.core.finish.track import MAX_TITLE
from reel.core.signal import tick_of, timecode
from reel.core.sound import Sides, SoundSetup
from reel.core.sound.setup import HIGH_PASS_HZ, LEVEL_DB, NOISE_DB
from reel.web.finishes.editing import Opened
from reel.web.finishes.proposals import FilePart
from reel.web.takes.strands import loudest, track_ribbon_of
from reel.web.ui.fields import NumberField, WholeField
from reel.web.ui.forms import refuse_invalid

# By so many dB a game is pulled down under a voice where nothing else is typed.
PULL_BY_DB = 12


class TrackForm(forms.Form):
    """What becomes of one track; an empty field leaves that as it is."""

    kept = forms.BooleanField(required=False)
    title = forms.CharField(required=False, max_length=MAX_TITLE)
    level_db = NumberField(required=False, min_value=LEVEL_DB[0], max_value=LEVEL_DB[1])
    loudness_lufs = NumberField(required=False, min_value=LOUDNESS_LUFS[0], max_value=LOUDNESS_LUFS[1])
    slide_ms = NumberField(required=False, min_value=SLIDE_MS[0], max_value=SLIDE_MS[1])
    sides = forms.ChoiceField(required=False, choices=[(one.value, one.value) for one in Sides])
    high_pass_hz = WholeField(required=False, min_value=HIGH_PASS_HZ[0], max_value=HIGH_PASS_HZ[1])
    noise_db = WholeField(required=False, min_value=NOISE_DB[0], max_value=NOISE_DB[1])
    muted = forms.BooleanField(required=False)
    end_slide_ms = NumberField(required=False, min_value=SLIDE_MS[0], max_value=SLIDE_MS[1])
    under = WholeField(required=False)
    under_db = NumberField(required=False, min_value=PULL_DB[0], max_value=PULL_DB[1])
    muted_ranges = forms.CharField(required=False, max_length=600)
    mixed = forms.BooleanField(required=False)

    def change(self, track: int, rate: Fraction) -> TrackFinish:
        """Return what was said of a track of a take of a rate; raises BadValueError, which names the field."""
        refuse_invalid(self)
        said = self.cleaned_data
        end_slide = said["end_slide_ms"]
        return TrackFinish(
            track=track,
            title=said["title"],
            slide_ms=Fraction(said["slide_ms"] or 0),
            end_slide_ms=Fraction(end_slide) if end_slide is not None else None,
            muted=ranges_of(said["muted_ranges"], rate),
            under=Under(track=said["under"], by_db=float(said["under_db"] or PULL_BY_DB)) if said["under"] else None,
            loudness_lufs=float(said["loudness_lufs"]) if said["loudness_lufs"] is not None else None,
            sound=SoundSetup(
                sides=Sides(said["sides"] or Sides.AS_IS),
                level_db=float(said["level_db"] or 0),
                high_pass_hz=said["high_pass_hz"],
                noise_db=said["noise_db"],
                muted=said["muted"],
            ),
        )


def ranges_of(typed: str, rate: Fraction) -> Ranges:
    """Read ranges as they are typed, `0:12 – 0:15.5, 1:00 – 1:02`; raises BadValueError."""
    found = []
    for one in filter(None, (part.strip() for part in typed.split(","))):
        begin, dash, end = one.replace("–", "-").partition("-")
        if not dash:
            raise BadValueError("Muted", one[:20], "a range is typed like 0:12 – 0:15.5")
        found.append(TickRange(tick_of(begin.strip(), rate), tick_of(end.strip(), rate)))
    return together(found)


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """A track as the page shows it: its number, strand and loudest sample, what is said of it, what becomes of it."""

    number: int
    title: str
    codec: str
    ribbon: str
    loudest: str
    is_kept: bool
    change: TrackFinish
    level: str
    slide: str
    end_slide: str
    loudness: str
    pull: str
    muted: str
    is_mixed: bool
    is_spoken: bool
    becomes: str

    @property
    def place(self) -> int:
        """Which colour its strand has."""
        return (self.number - 1) % 5 + 1


def rows_of(now: Opened, files: list[FilePart], words: dict[int, str]) -> list[Row]:
    """Return the tracks; `words` say what becomes of each, by the index of its stream."""
    own = now.sources[0].sounds
    sounds = sounds_of(now.finish, now.sources[0])
    chosen = now.finish.tracks or tuple(range(1, len(sounds) + 1))
    changes, rows = {one.track: one for one in now.finish.sound}, []
    for number, stream in enumerate(sounds, start=1):
        change = changes.get(number, TrackFinish(track=number))
        tracks = files[0].in_time.tracks if files else ()
        rows.append(
            Row(
                number=number,
                title=stream.title,
                codec=stream.codec if number <= len(own) else "spoken",
                ribbon=track_ribbon_of([one.in_time for one in files], number - 1, 14) if number <= len(own) else "",
                loudest=loudest(tracks[number - 1].peaks) if number <= len(tracks) else "",
                is_kept=number in chosen,
                change=change,
                level=_plain(change.sound.level_db),
                slide=_plain(float(change.slide_ms)),
                end_slide=_plain(float(change.end_slide_ms)) or "0" if change.end_slide_ms is not None else "",
                loudness=_plain(change.loudness_lufs or 0),
                pull=_plain(change.under.by_db) if change.under is not None else "",
                muted=", ".join(
                    f"{timecode(one.first / now.rate, now.rate)} – {timecode(one.end / now.rate, now.rate)}"
                    for one in change.muted
                ),
                is_mixed=number in now.finish.mixdown,
                is_spoken=number > len(own),
                becomes=words.get(stream.index, "left out"),
            )
        )
    return rows


def _plain(value: float) -> str:
    """Return a number as it is typed; "" for 0."""
    return f"{value:.6f}".rstrip("0").rstrip(".") if value else ""


def with_track(now: Opened, number: int, form: TrackForm) -> Finish:
    """Return the finish with what a form says of one of its tracks; raises BadValueError."""
    own, count = len(now.sources[0].sounds), len(sounds_of(now.finish, now.sources[0]))
    if not 1 <= number <= count:
        raise BadValueError("Track", number, f"the take has {count}")
    change, said = form.change(number, now.rate), form.cleaned_data
    others = tuple(one for one in now.finish.sound if one.track != number)
    tracks = now.finish.tracks
    if number <= own:
        kept = set(tracks or range(1, own + 1)) - {number} | ({number} if said["kept"] else set())
        tracks = None if len(kept) == own else tuple(sorted(kept))
    mixdown = set(now.finish.mixdown) - {number} | ({number} if said["mixed"] else set())
    return replace(now.finish.with_sound((*others, change)), tracks=tracks, mixdown=tuple(sorted(mixdown)))


class SlideForm(forms.Form):
    """By how much a track slides."""

    slide_ms = NumberField(min_value=SLIDE_MS[0], max_value=SLIDE_MS[1])


def slid(now: Opened, number: int, form: SlideForm) -> Finish:
    """Return the finish with another slide of one of its tracks; raises BadValueError."""
    refuse_invalid(form)
    change = next((one for one in now.finish.sound if one.track == number), TrackFinish(track=number))
    others = (one for one in now.finish.sound if one.track != number)
    return now.finish.with_sound((*others, replace(change, slide_ms=Fraction(form.cleaned_data["slide_ms"]))))
