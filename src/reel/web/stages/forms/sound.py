"""The forms of the Sound stage: one for each input's strip, and one for the tracks."""

from typing import Any

from django import forms

from reel.core.sound import MAX_TRACKS, Sides, SoundSetup, TrackSetup
from reel.core.sound.setup import DELAY_MS, HIGH_PASS_HZ, LEVEL_DB, LIMIT_DB, MAX_NAME, NOISE_DB
from reel.web.ui.fields import FloatField, WholeField
from reel.web.ui.forms import ValueForm, choices_of


class StripForm(ValueForm):
    """How one input's sound is treated, and on which tracks it goes."""

    level_db = FloatField(label="Level, dB", min_value=LEVEL_DB[0], max_value=LEVEL_DB[1])
    delay_ms = WholeField(label="Delay, ms", min_value=DELAY_MS[0], max_value=DELAY_MS[1])
    muted = forms.BooleanField(label="Mute", required=False)
    sides = forms.ChoiceField(label="Sides", choices=choices_of(Sides, {}))
    high_pass_hz = WholeField(
        label="High-pass, Hz", required=False, min_value=HIGH_PASS_HZ[0], max_value=HIGH_PASS_HZ[1],
        help_text="Takes rumble and steps away below this. 80 suits a voice; empty is off.",
    )  # fmt: skip
    noise_db = WholeField(
        label="Noise reduction, dB", required=False, min_value=NOISE_DB[0], max_value=NOISE_DB[1],
        help_text="Lowers steady hiss and hum. 12 is safe, more may sound watery; empty is off.",
    )  # fmt: skip
    limit_db = FloatField(
        label="Limiter, dBFS", required=False, min_value=LIMIT_DB[0], max_value=LIMIT_DB[1],
        help_text="Nothing gets louder than this, so that nothing clips. −1 or −3 is usual; empty is off.",
    )  # fmt: skip
    tracks = forms.TypedMultipleChoiceField(
        label="Tracks",
        required=False,
        coerce=int,
        choices=[(number, str(number)) for number in range(1, MAX_TRACKS + 1)],
    )

    def __init__(self, data: Any = None, *, sound: SoundSetup) -> None:
        super().__init__(
            data,
            initial={
                "level_db": f"{sound.level_db:.1f}",
                "delay_ms": sound.delay_ms,
                "muted": sound.muted,
                "sides": sound.sides.value,
                "high_pass_hz": sound.high_pass_hz,
                "noise_db": sound.noise_db,
                "limit_db": None if sound.limit_db is None else f"{sound.limit_db:g}",
                "tracks": list(sound.tracks),
            },
        )

    def build(self, cleaned: dict[str, Any]) -> SoundSetup:
        return SoundSetup(
            sides=Sides(cleaned["sides"]),
            high_pass_hz=cleaned["high_pass_hz"],
            noise_db=cleaned["noise_db"],
            level_db=cleaned["level_db"] + 0.0,
            muted=cleaned["muted"],
            limit_db=cleaned["limit_db"],
            delay_ms=cleaned["delay_ms"],
            tracks=tuple(cleaned["tracks"]),
        )


class TracksForm(ValueForm):
    """The names of the tracks, in their order, and whether a mix of all comes first."""

    mix_first = forms.BooleanField(label="A mix of all first", required=False)

    def __init__(self, data: Any = None, *, tracks: tuple[TrackSetup, ...], mix_first: bool) -> None:
        super().__init__(data, initial={"mix_first": mix_first})
        for number, track in enumerate(tracks, start=1):
            self.fields[f"track_{number}"] = forms.CharField(
                label=f"Name of track {number}", max_length=MAX_NAME, initial=track.name
            )

    def build(self, cleaned: dict[str, Any]) -> tuple[tuple[TrackSetup, ...], bool]:
        names = [cleaned[name] for name in self.fields if name.startswith("track_")]
        return tuple(TrackSetup(name=name) for name in names), cleaned["mix_first"]
