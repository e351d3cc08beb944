"""The forms of a rig's stages: text from a page into core values, with the core's own refusals beside the field."""

from collections.abc import Iterable
from dataclasses import replace
from decimal import Decimal
from fractions import Fraction
from pathlib import Path
from typing import Any

from django import forms
from django.conf import settings

from reel.core.errors import BadValueError, ReelError
from reel.core.file import EFFORTS, Container, RateControl, Recipe
from reel.core.file.recipe import KEYFRAME_S, QUALITY_CRF, VIDEO_BITRATE_BPS
from reel.core.line import CONSOLE_MODES, FEED_PROTOCOLS, DeviceKind, DeviceSetup, RigSetup
from reel.core.line.rig import MAX_ADDRESS, MAX_DRIFT_PPM
from reel.core.media import FileFeed
from reel.core.signal import Mode, Scan, rate_label
from reel.web.rigs.models import MAX_NAME, Rig
from reel.web.takes.actions import clean_name

SIZES = ("640x360", "1280x720", "1920x1080", "2560x1440", "3840x2160")
RATES = ("24", "25", "30000/1001", "30", "48", "50", "60000/1001", "60")
SOUND_KBPS = (96, 128, 160, 192, 256, 320)


def feed_names() -> list[str]:
    """Give the names of the files in the feeds folder."""
    folder: Path = settings.HOME.feeds
    return sorted(entry.name for entry in folder.iterdir() if entry.is_file() and not entry.name.startswith("."))


class _StageForm(forms.Form):
    """A form that makes one core value; the core's refusal becomes the form's error."""

    value: Any

    def clean(self) -> dict[str, Any]:
        cleaned = super().clean() or {}
        if not self.errors:
            try:
                self.value = self.build(cleaned)
            except ReelError as error:
                self.add_error(None, str(error))
        return cleaned

    def build(self, cleaned: dict[str, Any]) -> Any:
        """Make the value; raises a ReelError when that can't be."""
        raise NotImplementedError


class ConsoleForm(_StageForm):
    """How a console is set."""

    mode = forms.ChoiceField(
        label="Output mode",
        choices=[(mode.key, mode.label) for mode in CONSOLE_MODES],
        help_text="What the console sends. More pixels and pictures cost encoding work and disk.",
    )
    drift_ppm = forms.FloatField(
        label="Clock drift",
        min_value=-MAX_DRIFT_PPM,
        max_value=MAX_DRIFT_PPM,
        help_text="How fast this stand-in's clock runs, in parts per million. 0 keeps exact time; real devices differ.",
    )

    @classmethod
    def initial_of(cls, device: DeviceSetup) -> dict[str, object]:
        """Give the fields of a device."""
        return {"mode": device.mode.key if device.mode else "", "drift_ppm": f"{device.drift_ppm:g}"}

    def build(self, cleaned: dict[str, Any]) -> DeviceSetup:
        """Make the device."""
        return DeviceSetup(
            kind=DeviceKind.CONSOLE, mode=Mode.parse(cleaned["mode"]), drift_ppm=cleaned["drift_ppm"] + 0.0
        )


ADDRESS_HELP = "Or where it comes from: rtsp, rtmp, udp, tcp, http or https, like rtsp://camera.local:554/garden."
BY_ADDRESS = "from the address below"


class FeedForm(_StageForm):
    """Which file a feed plays, or where it comes from."""

    feed = forms.ChoiceField(
        label="File", required=False, help_text="A media file in the feeds folder; it is played at its own pace."
    )
    loop = forms.BooleanField(
        label="Start again at the end",
        required=False,
        help_text="Otherwise the signal ends with the file, and a roll repeats its last picture.",
    )
    address = forms.CharField(label="Address", required=False, max_length=MAX_ADDRESS, help_text=ADDRESS_HELP)
    listen = forms.BooleanField(
        label="Wait for the sender",
        required=False,
        help_text="For rtmp: the camera or program sends to this address on this machine, instead of Reel connecting.",
    )

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        names = feed_names()
        kept = self.initial.get("feed")
        if kept and kept not in names:
            names.append(kept)
        choices = [("", BY_ADDRESS), *((name, name) for name in names)]
        self.fields["feed"].choices = choices  # type: ignore[attr-defined]

    @classmethod
    def initial_of(cls, device: DeviceSetup) -> dict[str, object]:
        """Give the fields of a device."""
        place = {"address": device.feed, "feed": ""} if device.is_network else {"address": "", "feed": device.feed}
        return place | {"loop": device.loop, "listen": device.listen}

    def build(self, cleaned: dict[str, Any]) -> DeviceSetup:
        """Make the device."""
        return _feed_device(cleaned, loop=cleaned["loop"], listen=cleaned["listen"])


def _feed_device(cleaned: dict[str, Any], *, loop: bool = True, listen: bool = False) -> DeviceSetup:
    """Make a feed from either a file or an address; raises BadValueError for neither and for both."""
    name, address = cleaned["feed"], cleaned["address"].strip()
    if name and address:
        raise BadValueError("Feed", address, f"a file is chosen too; choose “{BY_ADDRESS}”, or leave the address empty")
    if address and "://" not in address:
        raise BadValueError(
            "Feed address", address, "it begins with one of " + ", ".join(f"{s}://" for s in FEED_PROTOCOLS)
        )
    return DeviceSetup(kind=DeviceKind.FEED, feed=address or name, loop=loop, listen=listen)


DEVICE_FORMS: dict[DeviceKind, type[ConsoleForm | FeedForm]] = {
    DeviceKind.CONSOLE: ConsoleForm,
    DeviceKind.FEED: FeedForm,
}


def _size_choices(sizes: Iterable[str]) -> list[tuple[str, str]]:
    by_area = sorted(set(sizes), key=lambda size: [int(side) for side in size.split("x")])
    return [(size, size.replace("x", "×")) for size in by_area]


def _rate_choices(rates: Iterable[str]) -> list[tuple[str, str]]:
    return [(rate, rate_label(Fraction(rate))) for rate in sorted(set(rates), key=Fraction)]


class FileForm(_StageForm):
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
        label="Hold constant",
        choices=[(RateControl.CRF.value, "quality"), (RateControl.CBR.value, "bitrate")],
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


class NewRigForm(_StageForm):
    """A rig from nothing: its name, its device, and a recipe that fits."""

    name = forms.CharField(label="Name", max_length=MAX_NAME, help_text="What you call this way of recording.")
    kind = forms.ChoiceField(
        label="What are you recording?",
        choices=[(DeviceKind.CONSOLE.value, "A console (stand-in)"), (DeviceKind.FEED.value, "A video feed")],
        widget=forms.RadioSelect,
    )
    feed = forms.ChoiceField(
        label="Feed file", required=False, help_text="A media file from the feeds folder, for a video feed."
    )
    address = forms.CharField(label="Feed address", required=False, max_length=MAX_ADDRESS, help_text=ADDRESS_HELP)

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self.fields["feed"].choices = [("", BY_ADDRESS), *((name, name) for name in feed_names())]  # type: ignore[attr-defined]

    def clean_name(self) -> str:
        """Refuse an unprintable name, and one that another rig has."""
        try:
            name = clean_name("Name", self.cleaned_data["name"], MAX_NAME)
        except BadValueError as error:
            raise forms.ValidationError(str(error)) from error
        if Rig.objects.filter(name__iexact=name).exists():
            raise forms.ValidationError("Another rig has this name; choose a different one.")
        return name

    def build(self, cleaned: dict[str, Any]) -> RigSetup:
        """Make the setup: a console at 720p 30, a feed recorded as it is; raises what opening the feed raises."""
        frame = Mode.parse("1280x720p30")
        if cleaned["kind"] == DeviceKind.CONSOLE.value:
            device = DeviceSetup(kind=DeviceKind.CONSOLE, mode=frame)
        else:
            device = _feed_device(cleaned)
            if not device.is_network:
                feed = FileFeed(settings.HOME.feeds / cleaned["feed"], start_ns=0)
                feed.close()
                frame = replace(feed.signal.mode, scan=Scan.PROGRESSIVE)
        return RigSetup(device=device, recipe=Recipe(frame=frame))
