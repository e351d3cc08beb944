"""The form of the Arrival stage."""

from fractions import Fraction
from typing import Any

from django import forms

from reel.core.line import ArrivalSetup, Deinterlace, InputSetup, LineReading, Offer, Turn, signal_chain
from reel.core.line.arrival import INNER_PART
from reel.core.line.boxes import Port
from reel.core.signal import Matrix, Range, Scan, Signal
from reel.web.ui.forms import ValueForm

SHAPES = (Fraction(4, 3), Fraction(16, 9))
_FOLLOW = ("", "Auto")


class ArrivalForm(ValueForm):
    """Which of the chain's modes is asked for, and what is done with it."""

    offer = forms.ChoiceField(
        label="Mode",
        required=False,
        help_text="What is asked of the box or camera. The best that the chain carries is taken by itself.",
    )
    deinterlace = forms.ChoiceField(
        label="Deinterlacing",
        choices=[
            (Deinterlace.NONE.value, "leave interlaced"),
            (Deinterlace.PAIR.value, "one picture of each pair"),
            (Deinterlace.FIELD.value, "one picture of each field"),
        ],
        help_text="One of each field keeps all motion; left interlaced, moving edges show combs. Made by bwdif.",
    )
    turn = forms.ChoiceField(
        label="Orientation",
        required=False,
        choices=[
            ("", "follow the device"),
            *((turn.value, "upright" if turn is Turn.UPRIGHT else f"turned {turn.value}") for turn in Turn),
        ],
        help_text="Fixed, the picture keeps its shape however the device is held.",
    )
    matrix = forms.ChoiceField(
        label="Colour matrix",
        required=False,
        choices=[_FOLLOW, *((matrix.value, matrix.value) for matrix in Matrix)],
        help_text="Set it only when colours are wrong because a box tags them wrongly.",
    )
    range = forms.ChoiceField(
        label="Range",
        required=False,
        choices=[_FOLLOW, *((value.value, value.value) for value in Range)],
        help_text="Set it only when black is grey or shadows are crushed.",
    )
    reading = forms.ChoiceField(
        label="Active width",
        required=False,
        choices=[
            (LineReading.ALL.value, "all 720 are the picture"),
            (LineReading.INNER.value, "704 are, with black edges"),
        ],
        help_text="A pixel is 16:15 wide in PAL, 8:9 in NTSC when all make the picture; else 59:54 and 10:11.",
    )
    shape = forms.ChoiceField(
        label="Aspect ratio",
        required=False,
        choices=[_FOLLOW, *((str(shape), f"{shape.numerator}:{shape.denominator}") for shape in SHAPES)],
        help_text="The picture's true width to height, where it arrives squeezed.",
    )

    def __init__(self, data: Any = None, *, setup: InputSetup, signal: Signal | None) -> None:
        super().__init__(data, initial=_initial(setup.arrival))
        arrives = signal_chain(setup).signal_path.arrives
        offers = list(arrives.offers) if arrives else []
        choices = [("", "the best that fits"), *((offer.key, _offer_label(setup, offer)) for offer in offers)]
        if setup.arrival.offer and setup.arrival.offer not in dict(choices):
            choices.append((setup.arrival.offer, f"{setup.arrival.offer}, not available"))
        self.fields["offer"].choices = choices  # type: ignore[attr-defined]
        comes = signal or (arrives.signal if arrives else None)
        has_fields = comes is not None and comes.mode.scan is Scan.INTERLACED
        if not has_fields and setup.arrival.deinterlace is Deinterlace.NONE:
            del self.fields["deinterlace"]
        if comes is None or comes.mode.width_px != 720 or comes.mode.height_px not in INNER_PART:
            del self.fields["reading"]
        if not setup.device.facts.is_handheld:
            del self.fields["turn"]
        if len(choices) == 1:
            del self.fields["offer"]

    def build(self, cleaned: dict[str, Any]) -> ArrivalSetup:
        return ArrivalSetup(
            offer=cleaned.get("offer", ""),
            matrix=Matrix(cleaned["matrix"]) if cleaned["matrix"] else None,
            range=Range(cleaned["range"]) if cleaned["range"] else None,
            deinterlace=Deinterlace(cleaned.get("deinterlace") or Deinterlace.NONE),
            turn=Turn(cleaned["turn"]) if cleaned.get("turn") else None,
            reading=LineReading(cleaned.get("reading") or LineReading.ALL),
            shape=Fraction(cleaned["shape"]) if cleaned["shape"] else None,
        )


def _offer_label(setup: InputSetup, offer: Offer) -> str:
    """Return an offer for people, and say when the port can't carry it."""
    port = next((hop.hop for hop in setup.path if isinstance(hop.hop, Port)), None)
    arrives = signal_chain(setup).signal_path.arrives
    is_too_much = port is not None and arrives is not None and offer.link_bps > port.carries(arrives.transfer)
    return f"{offer.label}, too much for the port" if is_too_much else offer.label


def _initial(arrival: ArrivalSetup) -> dict[str, object]:
    return {
        "offer": arrival.offer,
        "deinterlace": arrival.deinterlace.value,
        "turn": arrival.turn.value if arrival.turn else "",
        "matrix": arrival.matrix.value if arrival.matrix else "",
        "range": arrival.range.value if arrival.range else "",
        "reading": arrival.reading.value,
        "shape": str(arrival.shape) if arrival.shape else "",
    }
