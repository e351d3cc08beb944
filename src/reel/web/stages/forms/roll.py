"""The form of how a rig's takes roll: what comes before, what cuts them, how fast the file runs."""

from decimal import Decimal
from fractions import Fraction
from typing import Any

from django import forms

from reel.core.errors import BadValueError
from reel.core.file import parse_length, plain_length
from reel.core.roll import COUNTDOWN_S, EVERY_S, LAPSE, REACH_BACK_S, RollSetup
from reel.core.signal import length_label
from reel.web.ui.fields import NumberField, WholeField
from reel.web.ui.forms import ValueForm


def _seconds(label: str, most: int, help_text: str) -> WholeField:
    return WholeField(label=label, required=False, min_value=0, max_value=most, help_text=help_text)


class LengthField(forms.CharField):
    """A length as people write it; whole seconds, 0 for none."""

    def __init__(self, label: str, help_text: str) -> None:
        super().__init__(label=label, required=False, max_length=12, help_text=help_text)

    def clean(self, value: Any) -> int:
        """Return the seconds."""
        text: str = super().clean(value).strip()
        if not text:
            return 0
        try:
            seconds = parse_length(text)
            if seconds < 1 or seconds % 1:
                raise BadValueError(str(self.label), length_label(seconds), "it is in whole seconds, from 1 on")
        except BadValueError as error:
            raise forms.ValidationError(str(error)) from error
        return int(seconds)


class RollForm(ValueForm):
    """How takes roll. What is left empty is left out."""

    countdown_s = _seconds(
        "Countdown, s", COUNTDOWN_S, "Seconds from the press to the first picture; never in the file."
    )
    reach_back_s = _seconds(
        "Pre-record, s", REACH_BACK_S, "The last seconds before the press are kept in memory, and begin the take."
    )
    cut_after = LengthField("After", "Like 90s, 30 min or 2h: to the frame.")
    cut_gb = NumberField(
        label="At a size, GB", required=False, min_value=Decimal("0.01"), max_value=10_000, decimal_places=3,
        help_text="All parts together.",
    )  # fmt: skip
    cut_at = forms.TimeField(
        label="At a time of day",
        required=False,
        input_formats=["%H:%M"],
        widget=forms.TimeInput(attrs={"type": "time"}, format="%H:%M"),
        help_text="The next time this computer's clock shows it.",
    )
    gone = LengthField("Signal gone for", "Until then the last picture stands in the file, marked and counted as lost.")
    black = LengthField("Black for", "A tape's end, a device that sleeps.")
    still = LengthField("Still for", "Nothing moves at all, noise left out.")
    cut_on_event = forms.BooleanField(
        label="When it locks", required=False, help_text="A device that is linked to this computer reports that."
    )
    lapse = WholeField(
        label="Speed, ×", required=False, min_value=1, max_value=LAPSE,
        help_text="1 is as it is. 60 makes a second of a minute: one picture of so many, without sound.",
    )  # fmt: skip
    every_s = NumberField(
        label="Or a frame every, s", required=False, min_value=Decimal(str(float(EVERY_S[0]))),
        max_value=int(EVERY_S[1]), decimal_places=3,
        help_text="As slow as you like: of what grows, or dries. Its lengths above are those of what it shows.",
    )  # fmt: skip
    may_lighten = forms.BooleanField(
        label="Reduce load automatically",
        required=False,
        help_text="When the encoder falls behind a new part begins with the next faster encoder speed. The file grows.",
    )
    cue = forms.BooleanField(
        label="Tones",
        required=False,
        help_text="This page sounds when a take begins and ends. Only a microphone could hear it.",
    )

    def __init__(self, data: Any = None, *, roll: RollSetup) -> None:
        super().__init__(
            data,
            initial={
                "countdown_s": roll.countdown_s or None,
                "reach_back_s": roll.reach_back_s or None,
                "cut_after": plain_length(roll.cut_after_s),
                "cut_gb": f"{float(roll.cut_gb):g}" if roll.cut_gb else None,
                "cut_at": roll.cut_at or None,
                "gone": plain_length(roll.gone_s),
                "black": plain_length(roll.black_s),
                "still": plain_length(roll.still_s),
                "cut_on_event": roll.cut_on_event,
                "lapse": roll.lapse,
                "every_s": f"{float(roll.every_s):g}" if roll.every_s else None,
                "may_lighten": roll.may_lighten,
                "cue": roll.cue,
            },
        )

    def build(self, cleaned: dict[str, Any]) -> RollSetup:
        return RollSetup(
            countdown_s=cleaned["countdown_s"] or 0,
            reach_back_s=cleaned["reach_back_s"] or 0,
            cut_after_s=cleaned["cut_after"],
            cut_gb=Fraction(cleaned["cut_gb"] or 0),
            cut_at=f"{cleaned['cut_at']:%H:%M}" if cleaned["cut_at"] else "",
            gone_s=cleaned["gone"],
            black_s=cleaned["black"],
            still_s=cleaned["still"],
            cut_on_event=cleaned["cut_on_event"],
            lapse=cleaned["lapse"] or 1,
            every_s=Fraction(cleaned["every_s"] or 0),
            may_lighten=cleaned["may_lighten"],
            cue=cleaned["cue"],
        )
