"""The form of the File stage."""

from decimal import Decimal
from fractions import Fraction
from typing import Any

from django import forms

from reel.core.file import EFFORTS, Container, RateControl, Recipe, SoundFiles
from reel.core.file.recipe import KEYFRAME_S, QUALITY_CRF, SOUND_RATES_HZ, VIDEO_BITRATE_BPS
from reel.web.rigs.forms.base import StageForm

SOUND_KBPS = (96, 128, 160, 192, 256, 320)


class FileForm(StageForm):
    """The recipe."""

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
    sound_rate_hz = forms.TypedChoiceField(
        label="Sample rate",
        coerce=int,
        choices=[(rate, f"{rate / 1000:g} kHz") for rate in SOUND_RATES_HZ],
        help_text="48 kHz goes with video everywhere; 44.1 kHz is for music alone, 96 kHz for slowing down.",
    )
    sound_channels = forms.TypedChoiceField(
        label="Channels",
        coerce=int,
        choices=[(2, "stereo"), (1, "mono")],
        help_text="Of each track. Mono halves nothing but the size; a voice alone loses nothing by it.",
    )
    sound_kbps = forms.TypedChoiceField(
        label="Sound bitrate",
        coerce=int,
        choices=[(kbps, f"AAC {kbps} kb/s") for kbps in SOUND_KBPS],
        help_text="For each track. 192 kb/s is hard to tell from the source.",
    )
    sound_files = forms.ChoiceField(
        label="Sound files beside it",
        choices=[
            (SoundFiles.NONE.value, "none"),
            (SoundFiles.WAV.value, "WAV for each track"),
            (SoundFiles.FLAC.value, "FLAC for each track"),
        ],
        help_text="24 bits, without loss, with the take's own start. WAV opens everywhere; FLAC takes about half.",
    )
    name_pattern = forms.CharField(
        label="File name",
        max_length=80,
        help_text="{rig}, {date} and {number} are filled in. An existing file is never written over.",
    )

    def __init__(self, data: Any = None, *, recipe: Recipe) -> None:
        super().__init__(data, initial=self.initial_of(recipe))

    @classmethod
    def initial_of(cls, recipe: Recipe) -> dict[str, Any]:
        """Give the fields of a recipe."""
        return {
            "container": recipe.container.value,
            "rate_control": recipe.rate_control.value,
            "quality_crf": recipe.quality_crf,
            "bitrate_mbps": f"{recipe.bitrate_bps / 1e6:g}",
            "effort": recipe.effort,
            "keyframe_s": f"{float(recipe.keyframe_s):g}",
            "sound_rate_hz": recipe.sound_rate_hz,
            "sound_channels": recipe.sound_channels,
            "sound_files": recipe.sound_files.value,
            "sound_kbps": recipe.sound_bitrate_bps // 1000,
            "name_pattern": recipe.name_pattern,
        }

    def build(self, cleaned: dict[str, Any]) -> Recipe:
        """Make the recipe."""
        return Recipe(
            container=Container(cleaned["container"]),
            rate_control=RateControl(cleaned["rate_control"]),
            bitrate_bps=int(cleaned["bitrate_mbps"] * 1_000_000),
            quality_crf=cleaned["quality_crf"],
            effort=cleaned["effort"],
            keyframe_s=Fraction(cleaned["keyframe_s"]),
            sound_rate_hz=cleaned["sound_rate_hz"],
            sound_channels=cleaned["sound_channels"],
            sound_files=SoundFiles(cleaned["sound_files"]),
            sound_bitrate_bps=cleaned["sound_kbps"] * 1000,
            name_pattern=cleaned["name_pattern"],
        )
