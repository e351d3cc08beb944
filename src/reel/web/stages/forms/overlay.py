"""The form of something drawn over the picture: a caption, an image, a clock."""

from dataclasses import replace
from typing import Any

from django import forms

from reel.core.frame import Caption, Clock, Face, Font, Image, Lettering, Piece, Place
from reel.core.frame.overlay import MAX_TEXT, SIZE_PX
from reel.web.stages.forms.keys import KeyField
from reel.web.ui.fields import WholeField
from reel.web.ui.forms import ValueForm, choices_of

_LETTERS = ("font", "size_px", "colour", "grounded", "ground")
_HAS = {Caption: ("text", *_LETTERS), Clock: ("face", *_LETTERS), Image: ("width", "height")}
FONTS = {"bricolage-grotesque": "grotesque", "instrument-sans": "sans", "sometype-mono": "mono"}


class OverlayForm(ValueForm):
    """Where something drawn lies and how it looks; a kind has the fields that its class has."""

    text = forms.CharField(label="Words", max_length=MAX_TEXT, widget=forms.Textarea(attrs={"rows": 2}))
    face = forms.ChoiceField(label="Shows", choices=choices_of(Face, {"timecode": "the take's timecode"}))
    font = forms.ChoiceField(label="Font", choices=choices_of(Font, FONTS))
    size_px = WholeField(label="Letter height", min_value=SIZE_PX[0], max_value=SIZE_PX[1])
    colour = forms.CharField(label="Colour", max_length=7, widget=forms.TextInput(attrs={"type": "color"}))
    grounded = forms.BooleanField(label="With a background", required=False)
    ground = forms.CharField(label="Background", max_length=7, widget=forms.TextInput(attrs={"type": "color"}))
    x = WholeField(label="x", min_value=-8192, max_value=8192)
    y = WholeField(label="y", min_value=-8192, max_value=8192)
    width = WholeField(label="width", min_value=2, max_value=8192)
    height = WholeField(label="height", min_value=2, max_value=8192)
    opacity = WholeField(label="Opacity, %", min_value=0, max_value=100)
    key = KeyField(label="Key", required=False)
    hidden = forms.BooleanField(label="Hidden at first", required=False)

    def __init__(self, data: Any = None, *, piece: Piece) -> None:
        self._piece, overlay = piece, piece.overlay
        place = piece.place or Place(x_px=0, y_px=0, width_px=2, height_px=2)
        initial: dict[str, object] = {
            "x": place.x_px, "y": place.y_px, "width": place.width_px, "height": place.height_px,
            "opacity": piece.opacity, "key": piece.key, "hidden": piece.hidden,
        }  # fmt: skip
        if isinstance(overlay, Caption | Clock):
            letters = overlay.lettering
            initial |= {"font": letters.font.value, "size_px": letters.size_px, "colour": letters.colour}
            initial |= {"grounded": bool(letters.ground), "ground": letters.ground or "#000000"}
        if isinstance(overlay, Caption):
            initial["text"] = overlay.text
        if isinstance(overlay, Clock):
            initial["face"] = overlay.face.value
        super().__init__(data, initial=initial)
        has = (*_HAS[type(overlay)], "x", "y", "opacity", "key", "hidden")
        self.fields = {name: field for name, field in self.fields.items() if name in has}

    def build(self, cleaned: dict[str, Any]) -> Piece:
        overlay, place = self._piece.overlay, self._piece.place
        assert place is not None
        if isinstance(overlay, Caption | Clock):
            lettering = Lettering(
                font=Font(cleaned["font"]),
                size_px=cleaned["size_px"],
                colour=cleaned["colour"].lower(),
                ground=cleaned["ground"].lower() if cleaned["grounded"] else "",
            )
            overlay = replace(overlay, lettering=lettering)
        if isinstance(overlay, Caption):
            overlay = replace(overlay, text=cleaned["text"].replace("\r\n", "\n"))
        if isinstance(overlay, Clock):
            overlay = replace(overlay, face=Face(cleaned["face"]))
        sides = {"width_px": cleaned.get("width", place.width_px), "height_px": cleaned.get("height", place.height_px)}
        return replace(
            self._piece,
            overlay=overlay,
            place=Place(x_px=cleaned["x"], y_px=cleaned["y"], **sides),
            opacity=cleaned["opacity"],
            key=cleaned["key"],
            hidden=cleaned["hidden"],
        )
