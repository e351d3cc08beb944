"""The form of the frame: its size, its rate, and how pictures are brought to it."""

import re
from dataclasses import replace
from fractions import Fraction
from typing import Any

from django import forms

from reel.core.errors import BadValueError
from reel.core.frame import FrameSetup, Scaler
from reel.core.signal import Mode, rate_label
from reel.web.ui.forms import ValueForm

# Common sizes, wide, upright and square.
SIZES = (
    *("3840x2160", "2560x1440", "1920x1080", "1280x720", "640x360"),
    *("1440x1080", "768x576", "1080x1920", "720x1280", "1080x1080"),
)
RATES = ("24", "25", "30000/1001", "30", "48", "50", "60000/1001", "60", "90", "120")
SCALERS = {
    Scaler.BICUBIC: "bicubic, sharp and even",
    Scaler.LANCZOS: "lanczos, sharpest, may ring at edges",
    Scaler.BILINEAR: "bilinear, soft and quick",
    Scaler.AREA: "area, best for scaling down a lot",
}
# The common shapes, wide, upright and square, as width to height.
SHAPES = {"16:9": Fraction(16, 9), "9:16": Fraction(9, 16), "1:1": Fraction(1)}
_SIZE = re.compile(r"\s*(\d{2,4})\s*[x×]\s*(\d{2,4})\s*\Z")


def shapes_of(size: tuple[int, int]) -> list[tuple[str, tuple[int, int]]]:
    """Return the size in pixels that a frame has in each of the common shapes, with its shorter side."""
    short = min(size)
    long = round(short * SHAPES["16:9"] / 2) * 2
    return [(name, (long if shape > 1 else short, long if shape < 1 else short)) for name, shape in SHAPES.items()]


class FrameForm(ValueForm):
    """The recorded picture's size, rate and scaler."""

    size = forms.CharField(
        label="Size",
        max_length=20,
        help_text="Width × height in pixels, both even: any up to 4096×2304, upright and square ones too.",
        widget=forms.TextInput(attrs={"list": "sizes"}),
    )
    rate = forms.ChoiceField(
        label="Rate",
        choices=[(rate, rate_label(Fraction(rate))) for rate in RATES],
        help_text="Pictures per second. Other than the arriving rate, pictures are dropped or repeated, never blended.",
    )
    timing = forms.ChoiceField(
        label="Timing",
        choices=[("fixed", "fixed rate"), ("arrival", "variable")],
        help_text="Fixed edits well everywhere. Variable keeps each picture's own time, for feeds of varying rate.",
    )
    scaler = forms.ChoiceField(
        label="Scaling",
        choices=[(scaler.value, words) for scaler, words in SCALERS.items()],
        help_text="How another size is made of the arriving one.",
    )
    ground = forms.CharField(
        label="Background",
        max_length=7,
        help_text="The colour where no picture lies.",
        widget=forms.TextInput(attrs={"type": "color"}),
    )

    def __init__(self, data: Any = None, *, frame: FrameSetup) -> None:
        self._frame = frame
        rate = str(frame.mode.rate)
        initial = {
            "size": frame.mode.size_label,
            "rate": rate,
            "timing": "arrival" if frame.as_it_comes else "fixed",
            "scaler": frame.scaler.value,
            "ground": frame.ground,
        }
        super().__init__(data, initial=initial)
        if rate not in RATES:  # a device's own
            rates = sorted((*RATES, rate), key=Fraction)
            choices = [(one, rate_label(Fraction(one))) for one in rates]
            self.fields["rate"].choices = choices  # type: ignore[attr-defined]

    def build(self, cleaned: dict[str, Any]) -> FrameSetup:
        """Make the frame; its arrangements stay."""
        found = _SIZE.match(cleaned["size"])
        if found is None:
            raise BadValueError("Size", cleaned["size"][:20], "it reads like 1280×720")
        return replace(
            self._frame,
            mode=Mode.parse(f"{int(found[1])}x{int(found[2])}p{cleaned['rate']}"),
            as_it_comes=cleaned["timing"] == "arrival",
            scaler=Scaler(cleaned["scaler"]),
            ground=cleaned["ground"].lower(),
        )
