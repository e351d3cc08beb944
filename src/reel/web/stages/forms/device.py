"""The forms of the Device stage: for each kind the settings that such a device has."""

from dataclasses import fields, replace
from typing import Any

from django import forms

from reel.core.line import Connector, Device, DeviceKind, Eye, InputSetup, Origin, Simulated, Turn
from reel.core.line.devices import SLEEP_S
from reel.core.line.origin import MAX_DEVICE
from reel.core.signal import Matrix, Mode, Range, pixel_format
from reel.web.rigs.feeds import FeedForm
from reel.web.ui.fields import WholeField
from reel.web.ui.forms import ValueForm, choices_of


class DeviceForm(ValueForm):
    """How a device is set; a kind has the fields that its class has."""

    name = forms.CharField(
        label="Name",
        max_length=MAX_DEVICE,
        help_text="The device's name. Rigs that name the same one share it: one of them has it at a time.",
    )
    mode = forms.ChoiceField(label="Output mode", help_text="What it sends. More pixels cost encoding work and disk.")
    out = forms.ChoiceField(
        label="Output", help_text="By what its signal leaves. Another output lays another path to the computer."
    )
    pixels = forms.ChoiceField(
        label="Pixel format", help_text="Colour samples and bits. 4:2:0 8-bit is what most films and games need."
    )
    matrix = forms.ChoiceField(
        label="Colour matrix",
        choices=choices_of(Matrix, {"601": "601, standard definition", "709": "709, HD", "2020": "2020, wide gamut"}),
        help_text="How colours are coded. HD is 709; read wrongly, reds and greens shift.",
    )
    range = forms.ChoiceField(
        label="Range",
        choices=choices_of(Range, {"limited": "limited, 16 to 235", "full": "full, 0 to 255"}),
        help_text="Where black and white lie. Video is limited; a box that expects that clips full.",
    )
    protected = forms.BooleanField(
        label="Copy protection",
        required=False,
        help_text="On for films. Gameplay is recorded with it off; Reel never removes it.",
    )
    turn = forms.ChoiceField(
        label="Held",
        choices=choices_of(Turn, {"left": "turned left", "right": "turned right"}),
        help_text="How it is held when it is switched on.",
    )
    sleep_lock = forms.BooleanField(
        label="Sleep lock", required=False, help_text="The screen locks itself without a touch. Off while you record."
    )
    sleep_s = WholeField(
        label="Locks after", min_value=SLEEP_S[0], max_value=SLEEP_S[1], help_text="Seconds until the screen locks."
    )
    touches = forms.BooleanField(
        label="Touch marks", required=False, help_text="Marks where fingers touch, in the picture and so in the file."
    )
    eye = forms.ChoiceField(
        label="Eye", choices=choices_of(Eye, {"both": "both, side by side"}), help_text="Which eye the mirror shows."
    )
    pointer = forms.BooleanField(
        label="Pointer", required=False, help_text="The hand's pointer lies in the picture, and so in the file."
    )

    def __init__(self, data: Any = None, *, device: Device, origin: Simulated) -> None:
        self._device, self._origin = device, origin
        super().__init__(data, initial=_initial(device) | {"name": origin.device})
        facts = device.facts
        has = {field.name for field in fields(device)}  # type: ignore[arg-type]  # every kind is a dataclass
        self.fields = {name: field for name, field in self.fields.items() if name in has or name == "name"}
        choices = {
            "mode": [(mode.key, _mode_label(device.kind, mode)) for mode in facts.modes],
            "out": [(way.value, way.label) for way in facts.ways_out],
            "pixels": [(name, pixel_format(name).label) for name in facts.pixels],
        }
        for name, offered in choices.items():
            if name in self.fields:
                self.fields[name].choices = offered  # type: ignore[attr-defined]
        if len(facts.ways_out) == 1 and "out" in self.fields:
            del self.fields["out"]

    def build(self, cleaned: dict[str, Any]) -> tuple[Device, Origin]:
        """Make the device, and say which one it is."""
        origin = replace(self._origin, device=cleaned.pop("name").strip())
        settings = {name: _READ.get(name, lambda value: value)(value) for name, value in cleaned.items()}
        facts = self._device.facts
        for name, first in (("pixels", facts.pixels[:1]), ("out", facts.ways_out[:1])):
            if settings.get(name) in first:
                settings[name] = None  # the kind's first is what it does by itself
        return self._device.set(**settings), origin


def _mode_label(kind: DeviceKind, mode: Mode) -> str:
    """Return a mode for people; a tape's with the standard that it was recorded in."""
    standard = {576: "PAL", 480: "NTSC"}.get(mode.height_px, "") if kind is DeviceKind.DECK else ""
    return f"{standard}, {mode.label}" if standard else mode.label


_READ: dict[str, Any] = {
    "mode": Mode.parse,
    "out": Connector,
    "matrix": Matrix,
    "range": Range,
    "turn": Turn,
    "eye": Eye,
}


def _initial(device: Device) -> dict[str, object]:
    values = {name: getattr(device, name, None) for name in DeviceForm.base_fields}
    words = {name: getattr(value, "value", value) for name, value in values.items()}
    return words | {
        "mode": device.mode.key if device.facts.modes else "",
        "out": device.way_out.value if device.way_out else "",
        "pixels": device.pixels or device.facts.pixels[0],
    }


def device_form(data: Any, setup: InputSetup) -> DeviceForm | FeedForm:
    """Return the form of a device's kind."""
    if isinstance(setup.origin, Simulated):
        return DeviceForm(data, device=setup.device, origin=setup.origin)
    return FeedForm(data, initial=FeedForm.initial_of(setup.origin))
