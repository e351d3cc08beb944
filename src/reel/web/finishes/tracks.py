"""The tracks of a finish: what its page shows of each, and the form that says what becomes of it."""

from dataclasses import dataclass, replace
from fractions import Fraction

from django import forms

from reel.core.errors import BadValueError
from reel.core.finish import LOUDNESS_LUFS, SLIDE_MS, Finish, TrackFinish
from reel.core.finish.track import MAX_TITLE
from reel.core.sound import Sides, SoundSetup
from reel.core.sound.setup import HIGH_PASS_HZ, LEVEL_DB, NOISE_DB
from reel.web.finishes.editing import Opened
from reel.web.finishes.proposals import FilePart
from reel.web.takes.strands import loudest, track_ribbon_of
from reel.web.ui.fields import NumberField, WholeField
from reel.web.ui.forms import refuse_invalid


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

    def change(self, track: int) -> TrackFinish:
        """Return what was said of a track; raises BadValueError, which names the field."""
        refuse_invalid(self)
        said = self.cleaned_data
        return TrackFinish(
            track=track,
            title=said["title"],
            slide_ms=Fraction(said["slide_ms"] or 0),
            loudness_lufs=float(said["loudness_lufs"]) if said["loudness_lufs"] is not None else None,
            sound=SoundSetup(
                sides=Sides(said["sides"] or Sides.AS_IS),
                level_db=float(said["level_db"] or 0),
                high_pass_hz=said["high_pass_hz"],
                noise_db=said["noise_db"],
                muted=said["muted"],
            ),
        )


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
    loudness: str
    becomes: str

    @property
    def place(self) -> int:
        """Which colour its strand has."""
        return (self.number - 1) % 5 + 1


def rows_of(now: Opened, files: list[FilePart], words: dict[int, str]) -> list[Row]:
    """Return the tracks; `words` say what becomes of each, by the index of its stream."""
    sounds = now.sources[0].sounds
    chosen = now.finish.tracks or tuple(range(1, len(sounds) + 1))
    changes, rows = {one.track: one for one in now.finish.sound}, []
    for number, stream in enumerate(sounds, start=1):
        change = changes.get(number, TrackFinish(track=number))
        tracks = files[0].in_time.tracks if files else ()
        rows.append(
            Row(
                number=number,
                title=stream.title,
                codec=stream.codec,
                ribbon=track_ribbon_of([one.in_time for one in files], number - 1, 14),
                loudest=loudest(tracks[number - 1].peaks) if number <= len(tracks) else "",
                is_kept=number in chosen,
                change=change,
                level=_plain(change.sound.level_db),
                slide=_plain(float(change.slide_ms)),
                loudness=_plain(change.loudness_lufs or 0),
                becomes=words.get(stream.index, "left out"),
            )
        )
    return rows


def _plain(value: float) -> str:
    """Return a number as it is typed; "" for 0."""
    return f"{value:.6f}".rstrip("0").rstrip(".") if value else ""


def with_track(now: Opened, number: int, form: TrackForm) -> Finish:
    """Return the finish with what a form says of one of its tracks; raises BadValueError."""
    count = len(now.sources[0].sounds)
    if not 1 <= number <= count:
        raise BadValueError("Track", number, f"the take has {count}")
    change = form.change(number)
    others = tuple(one for one in now.finish.sound if one.track != number)
    sound = (*others, change) if change != TrackFinish(track=number) else others
    kept = set(now.finish.tracks or range(1, count + 1)) - {number} | ({number} if form.cleaned_data["kept"] else set())
    tracks = None if len(kept) == count else tuple(sorted(kept))
    return replace(now.finish, sound=tuple(sorted(sound, key=lambda one: one.track)), tracks=tracks)
