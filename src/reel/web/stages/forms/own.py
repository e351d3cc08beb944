"""The form of a device's own recorder: what the device can set, and the files' name."""

from collections.abc import Iterable
from dataclasses import replace
from typing import Any

from django import forms

from reel.core.file import CODECS, VideoCodec
from reel.core.line import RigSetup
from reel.core.line.edit import set_own
from reel.core.line.own import screen_of
from reel.core.line.own_settings import OwnSettings, OwnShape, OwnSound, limit_label
from reel.web.ui.forms import ValueForm

_Choices = Iterable[tuple[object, str]]


def _number(label: str, help_text: str = "") -> forms.TypedChoiceField:
    return forms.TypedChoiceField(label=label, coerce=int, help_text=help_text)


class OwnForm(ValueForm):
    """How the own recorder of a rig's first input is set; its value is the rig so set.

    A field with one choice only is a fact. `recorder` is what is set, `screen` the mode that it records of.
    """

    longer_px = _number("Size", "Never bigger than the screen.")
    shape = forms.ChoiceField(label="Shape", help_text="16:9 and 1:1 crop the screen's edges.")
    per_s = _number("Pictures a second", "No more than its screen draws.")
    codec = forms.ChoiceField(
        label="Codec", help_text="HEVC keeps more of the picture in as many bits, with more work."
    )
    bitrate_bps = _number("Bitrate", "What it is told to aim for; what it came to is measured.")
    sound = forms.ChoiceField(label="Sound", help_text="What is heard in the file.")
    limit_s = _number("Stops after", "It then closes its file by itself.")
    again = forms.BooleanField(
        label="Begin again after that", required=False, help_text="A series of takes; each says what is missing before."
    )
    countdown_s = _number("Countdown", "Seconds from the press to the first picture; never in the file.")
    steadied = forms.BooleanField(
        label="Steadied", required=False, help_text="Takes the head's jitter out; costs a twentieth at each edge."
    )
    name_pattern = forms.CharField(
        label="File name",
        max_length=80,
        help_text="{rig}, {date}, {time}, {number}, {size}, {rate} and {codec} are filled in. Never overwrites.",
    )

    def __init__(self, data: Any = None, *, plan: RigSetup) -> None:
        picture = plan.picture
        own, recorder = picture.own, picture.own_recorder
        assert own is not None and recorder is not None
        self.plan, self.own, self.recorder = plan, own, recorder
        self.facts, self.screen = recorder.facts_of(picture.device), screen_of(picture.device)
        initial = {name: getattr(own, name) for name in self.base_fields if hasattr(own, name)}
        super().__init__(data, initial=initial | {"per_s": own.rate, "name_pattern": plan.recipe.name_pattern})
        self._set_choices()

    def _set_choices(self) -> None:
        facts, screen = self.facts, self.screen
        sizes = (0, *facts.sizes_for(screen))
        choices: dict[str, _Choices] = {
            "longer_px": [(size, self._size_words(size)) for size in sizes if size in facts.sizes_px],
            "shape": [(one.value, one.label) for one in facts.shapes],
            "per_s": [
                (rate, str(rate)) for rate in sorted(facts.rates) if rate <= screen.rate or rate == self.own.rate
            ],
            "codec": [(one.value, CODECS[one].label) for one in facts.codecs],
            "bitrate_bps": [(bps, f"{bps / 1_000_000:g} Mb/s") for bps in sorted(facts.bitrates_bps)],
            "sound": [(one.value, one.label) for one in facts.sounds],
            "limit_s": [(limit, limit_label(limit)) for limit in facts.limits_s],
            "countdown_s": [(seconds, f"{seconds} s" if seconds else "none") for seconds in facts.countdowns_s],
        }
        for name, offered in choices.items():
            kept = list(offered)
            if self.initial[name] not in [value for value, _ in kept]:
                kept.append((self.initial[name], str(self.initial[name])))  # as it was set for another screen
            self.fields[name].choices = kept  # type: ignore[attr-defined]
        if not facts.can_steady:
            del self.fields["steadied"]
        if not any(facts.limits_s):
            del self.fields["again"]

    def _size_words(self, size: int) -> str:
        picture = replace(self.own, longer_px=size).picture_of(self.screen)
        whole = "" if size else ", the screen's own" if self.own.shape is OwnShape.SCREEN else ", all that it can"
        return f"{picture.size_label}{whole}"

    @property
    def settable(self) -> list[forms.BoundField]:
        """The fields that have something to choose."""
        return [field for field in self if len(getattr(field.field, "choices", "ab")) > 1]

    @property
    def fixed(self) -> list[tuple[str, str]]:
        """What it has one choice of: the field's label, and that choice."""
        found = [(str(field.label), list(getattr(field.field, "choices", ()))) for field in self]
        return [(label, str(choices[0][1])) for label, choices in found if len(choices) == 1]

    def build(self, cleaned: dict[str, Any]) -> RigSetup:
        own = OwnSettings(
            longer_px=cleaned["longer_px"],
            shape=OwnShape(cleaned["shape"]),
            rate=cleaned["per_s"],
            codec=VideoCodec(cleaned["codec"]),
            bitrate_bps=cleaned["bitrate_bps"],
            sound=OwnSound(cleaned["sound"]),
            limit_s=cleaned["limit_s"],
            countdown_s=cleaned["countdown_s"],
            steadied=cleaned.get("steadied", False),
            again=cleaned.get("again", False) and cleaned["limit_s"] > 0,
        )
        recipe = replace(self.plan.recipe, name_pattern=cleaned["name_pattern"])
        return replace(self.plan.with_input(0, set_own(self.plan.picture, own)), recipe=recipe)
