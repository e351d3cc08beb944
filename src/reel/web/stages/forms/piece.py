"""The form of one piece of the frame: which part of its picture is shown, how, and where."""

from decimal import Decimal
from fractions import Fraction
from typing import Any

from django import forms

from reel.core.frame import Crop, Fit, Piece, Place, Quarter
from reel.core.frame.piece import MAX_SIDE_PX, ZOOM
from reel.web.stages.forms.keys import KeyField
from reel.web.ui.fields import NumberField, WholeField
from reel.web.ui.forms import ValueForm, choices_of

FITS = {"whole": "whole", "fill": "fill", "stretch": "stretch", "own": "own part"}
TURNS = {"0": "0°", "90": "90° right", "180": "180°", "270": "90° left"}
_SIDES = {"left": "left_px", "top": "top_px", "right": "right_px", "bottom": "bottom_px"}
_PLACES = {"x": "x_px", "y": "y_px", "width": "width_px", "height": "height_px"}


class PieceForm(ValueForm):
    """A piece of the picture. An empty place is the whole frame."""

    fit = forms.ChoiceField(label="Placed", choices=choices_of(Fit, FITS))
    crop_left = WholeField(label="left", min_value=0, max_value=MAX_SIDE_PX)
    crop_top = WholeField(label="top", min_value=0, max_value=MAX_SIDE_PX)
    crop_right = WholeField(label="right", min_value=0, max_value=MAX_SIDE_PX)
    crop_bottom = WholeField(label="bottom", min_value=0, max_value=MAX_SIDE_PX)
    x = WholeField(label="x", required=False, min_value=-MAX_SIDE_PX, max_value=MAX_SIDE_PX)
    y = WholeField(label="y", required=False, min_value=-MAX_SIDE_PX, max_value=MAX_SIDE_PX)
    width = WholeField(label="width", required=False, min_value=2, max_value=MAX_SIDE_PX)
    height = WholeField(label="height", required=False, min_value=2, max_value=MAX_SIDE_PX)
    zoom = NumberField(label="Zoom", min_value=Decimal(int(ZOOM[0])), max_value=Decimal(int(ZOOM[1])))
    centre_x = NumberField(label="across", min_value=Decimal(0), max_value=Decimal(100))
    centre_y = NumberField(label="down", min_value=Decimal(0), max_value=Decimal(100))
    turn = forms.ChoiceField(label="Turn", choices=choices_of(Quarter, TURNS))
    mirrored = forms.BooleanField(label="Mirror", required=False)
    outline = forms.BooleanField(label="Device outline", required=False)
    opacity = WholeField(label="Opacity", min_value=0, max_value=100)
    hidden = forms.BooleanField(label="Hidden at first", required=False)
    key = KeyField(label="Key", required=False)

    def __init__(self, data: Any = None, *, piece: Piece) -> None:
        self._piece = piece
        initial: dict[str, object] = {f"crop_{side}": getattr(piece.crop, name) for side, name in _SIDES.items()}
        initial |= {side: getattr(piece.place, name, None) for side, name in _PLACES.items()}
        initial |= {
            "fit": piece.fit.value,
            "zoom": f"{float(piece.zoom):g}",
            "centre_x": f"{float(piece.centre_x * 100):g}",
            "centre_y": f"{float(piece.centre_y * 100):g}",
            "turn": piece.turn.value,
            "mirrored": piece.mirrored,
            "outline": piece.outline,
            "opacity": piece.opacity,
            "hidden": piece.hidden,
            "key": piece.key,
        }
        super().__init__(data, initial=initial)

    def build(self, cleaned: dict[str, Any]) -> Piece:
        numbers = {name: cleaned[side] for side, name in _PLACES.items()}
        place = None if None in numbers.values() else Place(**numbers)
        return Piece(
            input=self._piece.input,
            fit=Fit(cleaned["fit"]),
            crop=Crop(**{name: cleaned[f"crop_{side}"] for side, name in _SIDES.items()}),
            turn=Quarter(cleaned["turn"]),
            mirrored=cleaned["mirrored"],
            outline=cleaned["outline"],
            zoom=Fraction(cleaned["zoom"]),
            centre_x=Fraction(cleaned["centre_x"]) / 100,
            centre_y=Fraction(cleaned["centre_y"]) / 100,
            place=place,
            opacity=cleaned["opacity"],
            hidden=cleaned["hidden"],
            key=cleaned["key"],
        )
