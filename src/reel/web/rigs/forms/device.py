"""The forms of the Device stage: for each kind the settings that it has."""

from dataclasses import replace
from typing import Any

from django import forms

from reel.core.line import DEVICES, Access, Connector, DeviceKind, DeviceSetup, Eye, Shows, Surface, Turn
from reel.core.line.device import MAX_DRIFT_PPM, SLEEP_S, TAPE_S
from reel.core.signal import Matrix, Mode, Range, pixel_format
from reel.web.rigs.forms.base import StageForm
from reel.web.rigs.forms.feed import FeedForm


def _choices(kind: type[Any], words: dict[str, str]) -> list[tuple[str, str]]:
    return [(member.value, words.get(member.value, member.value)) for member in kind]


class DeviceForm(StageForm):
    """How a stand-in device is set; `FIELDS` says which of the settings a kind has."""

    mode = forms.ChoiceField(label="Output mode", help_text="What it sends. More pixels cost encoding work and disk.")
    out = forms.ChoiceField(
        label="Output", help_text="By what its signal leaves. Another output lays another path to the computer."
    )
    pixels = forms.ChoiceField(
        label="Pixel format", help_text="Colour samples and bits. 4:2:0 8-bit is what most films and games need."
    )
    matrix = forms.ChoiceField(
        label="Colour matrix",
        choices=_choices(Matrix, {"601": "601, standard definition", "709": "709, HD", "2020": "2020, wide gamut"}),
        help_text="How colours are coded. HD is 709; read wrongly, reds and greens shift.",
    )
    range = forms.ChoiceField(
        label="Range",
        choices=_choices(Range, {"limited": "limited, 16 to 235", "full": "full, 0 to 255"}),
        help_text="Where black and white lie. Video is limited; a box that expects that clips full.",
    )
    protected = forms.BooleanField(
        label="Copy protection",
        required=False,
        help_text="On for films. Gameplay is recorded with it off; Reel never removes it.",
    )
    turn = forms.ChoiceField(
        label="Held",
        choices=_choices(Turn, {"left": "turned left", "right": "turned right"}),
        help_text="How it is held when it is switched on.",
    )
    turns = forms.BooleanField(
        label="Turn by script", required=False, help_text="This stand-in is turned every eight seconds."
    )
    surface = forms.ChoiceField(
        label="App's surface",
        choices=_choices(
            Surface,
            {"open": "open to capture", "forbidden": "capture forbidden", "accelerated": "accelerated, records black"},
        ),
        help_text="What an app lets out. Some forbid capture; some draw past what is captured.",
    )
    sleep_lock = forms.BooleanField(
        label="Sleep lock", required=False, help_text="The screen locks itself without a touch. Off while you record."
    )
    sleep_s = forms.IntegerField(
        label="Locks after", min_value=SLEEP_S[0], max_value=SLEEP_S[1], help_text="Seconds until the screen locks."
    )
    touches = forms.BooleanField(
        label="Show touches", required=False, help_text="Marks where fingers touch, in the picture and so in the file."
    )
    access = forms.ChoiceField(
        label="Access",
        choices=_choices(Access, {"busy": "open in another program", "denied": "denied by the operating system"}),
        help_text="A camera is opened by one program at a time, and only where the operating system allows it.",
    )
    eye = forms.ChoiceField(
        label="Eye", choices=_choices(Eye, {"both": "both, side by side"}), help_text="Which eye the mirror shows."
    )
    pointer = forms.BooleanField(
        label="Pointer", required=False, help_text="The hand's pointer lies in the picture, and so in the file."
    )
    tape_s = forms.IntegerField(
        label="Tape length", min_value=TAPE_S[0], max_value=TAPE_S[1], help_text="Seconds until the tape ends."
    )
    shows = forms.ChoiceField(
        label="Picture",
        choices=_choices(Shows, {"scene": "its own", "bars": "colour bars and patches"}),
        help_text="Bars show what a path does to colour, depth and range.",
    )
    drift_ppm = forms.FloatField(
        label="Clock drift",
        min_value=-MAX_DRIFT_PPM,
        max_value=MAX_DRIFT_PPM,
        help_text="How fast this stand-in's clock runs, in parts per million. 0 keeps exact time; real devices differ.",
    )

    _SHARED = ("shows", "drift_ppm")
    _HANDHELD = ("mode", "out", "matrix", "range", "turn", "turns", "surface", "sleep_lock", "sleep_s", "touches")
    FIELDS = {
        DeviceKind.CONSOLE: ("mode", "out", "pixels", "matrix", "range", "protected"),
        DeviceKind.PHONE: _HANDHELD,
        DeviceKind.TABLET: _HANDHELD,
        DeviceKind.HEADSET: ("mode", "out", "eye", "pointer"),
        DeviceKind.DECK: ("mode", "out", "tape_s"),
        DeviceKind.CAMERA: ("mode", "matrix", "range", "access"),
    }

    def __init__(self, data: Any = None, *, device: DeviceSetup) -> None:
        self._device = device
        super().__init__(data, initial=_initial(device))
        facts = DEVICES[device.kind]
        kept = (*self.FIELDS[device.kind], *self._SHARED)
        self.fields = {name: self.fields[name] for name in kept}
        choices = {
            "mode": [(mode.key, _mode_label(device.kind, mode)) for mode in facts.modes],
            "out": [(way.value, way.label) for way in facts.ways_out],
            "pixels": [(name, pixel_format(name).label) for name in facts.pixels],
        }
        for name, offered in choices.items():
            if name in self.fields:
                self.fields[name].choices = offered  # type: ignore[attr-defined]

    def build(self, cleaned: dict[str, Any]) -> DeviceSetup:
        """Make the device; what the kind has no setting for stays."""
        settings = {name: _READ.get(name, lambda value: value)(value) for name, value in cleaned.items()}
        facts = DEVICES[self._device.kind]
        for name, first in (("pixels", facts.pixels[0]), ("out", facts.ways_out[0])):
            if settings.get(name) == first:
                settings[name] = None  # the kind's first is what it does by itself
        return replace(self._device, **settings)


def _mode_label(kind: DeviceKind, mode: Mode) -> str:
    """Give a mode for people; a tape's with the standard that it was recorded in."""
    standard = {576: "PAL", 480: "NTSC"}.get(mode.height_px, "") if kind is DeviceKind.DECK else ""
    return f"{standard}, {mode.label}" if standard else mode.label


_READ: dict[str, Any] = {
    "mode": Mode.parse,
    "out": Connector,
    "matrix": Matrix,
    "range": Range,
    "turn": Turn,
    "access": Access,
    "surface": Surface,
    "eye": Eye,
    "shows": Shows,
    "drift_ppm": lambda value: value + 0.0,
}


def _initial(device: DeviceSetup) -> dict[str, object]:
    fields = {name: getattr(device, name) for name in (*DeviceForm.base_fields,)}
    facts = DEVICES[device.kind]
    words = {name: getattr(value, "value", value) for name, value in fields.items()}
    return words | {
        "mode": device.mode.key if device.mode else "",
        "out": device.way_out.value if device.way_out else "",
        "pixels": device.pixels or facts.pixels[0],
        "drift_ppm": f"{device.drift_ppm:g}",
    }


def device_form(data: Any, device: DeviceSetup) -> DeviceForm | FeedForm:
    """Give the form of a device's kind."""
    if device.kind is DeviceKind.FEED:
        return FeedForm(data, initial=FeedForm.initial_of(device))
    return DeviceForm(data, device=device)
