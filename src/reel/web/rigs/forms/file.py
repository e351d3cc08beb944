"""The form of the File stage."""

from collections.abc import Iterable
from decimal import Decimal
from fractions import Fraction
from typing import Any

from django import forms

from reel.core.file import EFFORTS, Container, RateControl, Recipe
from reel.core.file.recipe import KEYFRAME_S, QUALITY_CRF, VIDEO_BITRATE_BPS
from reel.core.signal import Mode, rate_label
from reel.web.rigs.forms.base import StageForm

SIZES = ("640x360", "1280x720", "1920x1080", "2560x1440", "3840x2160")
RATES = ("24", "25", "30000/1001", "30", "48", "50", "60000/1001", "60")
SOUND_KBPS = (96, 128, 160, 192, 256, 320)


def _size_choices(sizes: Iterable[str]) -> list[tuple[str, str]]:
    by_area = sorted(set(sizes), key=lambda size: [int(side) for side in size.split("x")])
    return [(size, size.replace("x", "×")) for size in by_area]


def _rate_choices(rates: Iterable[str]) -> list[tuple[str, str]]:
    return [(rate, rate_label(Fraction(rate))) for rate in sorted(set(rates), key=Fraction)]


class FileForm(StageForm):
    """The recipe. The rig's own size and rate and those that arrive stand among the choices, also uncommon ones."""

    size = forms.ChoiceField(
        label="Frame size",
        choices=_size_choices(SIZES),
        help_text="The recorded picture. The arriving picture is fitted into it whole.",
    )
    rate = forms.ChoiceField(
        label="Frame rate",
        choices=_rate_choices(RATES),
        help_text="Pictures per second, fixed. Other than the arriving rate, pictures are dropped or repeated.",
    )
    timing = forms.ChoiceField(
        label="Timing",
        choices=[("fixed", "fixed rate"), ("arrival", "as it comes")],
        help_text="Fixed edits well everywhere. As it comes keeps each picture's own time, for feeds of varying rate.",
    )
    container = forms.ChoiceField(
        label="Container",
        choices=[(Container.MKV.value, "MKV"), (Container.MP4.value, "MP4, survives a crash")],
        help_text="Both stay readable when the machine stops. MP4 opens everywhere; MKV is the sturdier one.",
    )
    rate_control = forms.ChoiceField(
        label="Rate control",
        choices=[(RateControl.CRF.value, "constant quality"), (RateControl.CBR.value, "constant bitrate")],
        help_text="Quality makes big files of busy pictures; bitrate makes every minute the same size.",
        widget=forms.RadioSelect,
    )
    quality_crf = forms.IntegerField(
        label="Quality (CRF)",
        min_value=QUALITY_CRF[0],
        max_value=QUALITY_CRF[1],
        help_text="Lower is better and bigger: 18 is hard to tell from the source, 28 shows blocks.",
    )
    bitrate_mbps = forms.DecimalField(
        label="Bitrate",
        min_value=Decimal(VIDEO_BITRATE_BPS[0]) / 1_000_000,
        max_value=Decimal(VIDEO_BITRATE_BPS[1]) / 1_000_000,
        help_text="Megabits per second of picture. 720p 30 of a game wants about 8 to 12, 1080p 60 about 25 to 40.",
    )
    effort = forms.ChoiceField(
        label="Effort",
        choices=[(preset, preset) for preset in EFFORTS],
        help_text="x264's preset. More effort makes smaller files; too much for this machine loses frames.",
    )
    keyframe_s = forms.DecimalField(
        label="Keyframe every",
        min_value=Decimal(str(float(KEYFRAME_S[0]))),
        max_value=Decimal(str(float(KEYFRAME_S[1]))),
        help_text="Seconds. 2 edits and seeks well; longer saves a little room.",
    )
    sound_kbps = forms.TypedChoiceField(
        label="Sound bitrate",
        coerce=int,
        choices=[(kbps, f"AAC {kbps} kb/s") for kbps in SOUND_KBPS],
        help_text="For the stereo track. 192 kb/s is hard to tell from the source.",
    )
    name_pattern = forms.CharField(
        label="File name",
        max_length=80,
        help_text="{rig}, {date} and {number} are filled in. An existing file is never written over.",
    )

    def __init__(self, data: Any = None, *, recipe: Recipe, arrives: Mode | None) -> None:
        super().__init__(data, initial=self.initial_of(recipe))
        modes = [recipe.frame, arrives or recipe.frame]
        sizes = [*SIZES, *(f"{mode.width_px}x{mode.height_px}" for mode in modes)]
        self.fields["size"].choices = _size_choices(sizes)  # type: ignore[attr-defined]
        self.fields["rate"].choices = _rate_choices([*RATES, *(str(mode.rate) for mode in modes)])  # type: ignore[attr-defined]

    @classmethod
    def initial_of(cls, recipe: Recipe) -> dict[str, Any]:
        """Give the fields of a recipe."""
        return {
            "size": f"{recipe.frame.width_px}x{recipe.frame.height_px}",
            "rate": str(recipe.frame.rate),
            "timing": "arrival" if recipe.as_it_comes else "fixed",
            "container": recipe.container.value,
            "rate_control": recipe.rate_control.value,
            "quality_crf": recipe.quality_crf,
            "bitrate_mbps": f"{recipe.bitrate_bps / 1e6:g}",
            "effort": recipe.effort,
            "keyframe_s": f"{float(recipe.keyframe_s):g}",
            "sound_kbps": recipe.sound_bitrate_bps // 1000,
            "name_pattern": recipe.name_pattern,
        }

    def build(self, cleaned: dict[str, Any]) -> Recipe:
        """Make the recipe."""
        return Recipe(
            frame=Mode.parse(f"{cleaned['size']}p{cleaned['rate']}"),
            as_it_comes=cleaned["timing"] == "arrival",
            container=Container(cleaned["container"]),
            rate_control=RateControl(cleaned["rate_control"]),
            bitrate_bps=int(cleaned["bitrate_mbps"] * 1_000_000),
            quality_crf=cleaned["quality_crf"],
            effort=cleaned["effort"],
            keyframe_s=Fraction(cleaned["keyframe_s"]),
            sound_bitrate_bps=cleaned["sound_kbps"] * 1000,
            name_pattern=cleaned["name_pattern"],
        )
