"""The picture of a finish: the form that says what becomes of it, and what its samples say of its range."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction

from django import forms

from reel.core.errors import BadValueError
from reel.core.finish import (
    GRADE,
    NOISE,
    SHARPNESS,
    SPEED,
    Fields,
    Finish,
    Grade,
    PictureFinish,
    SourceStream,
)
from reel.core.frame import Crop, Quarter
from reel.core.frame.piece import MAX_SIDE_PX
from reel.core.measure import FieldVerdict
from reel.core.measure.levels import BLACK, WHITE, Levels
from reel.core.measure.looking import Looks
from reel.core.signal import Matrix, Range, rate_label
from reel.web.finishes.editing import Opened
from reel.web.ui.fields import NumberField, WholeField
from reel.web.ui.forms import refuse_invalid

AS_TAGGED = "as it is tagged"
TURNS = {Quarter.NONE: "not turned", Quarter.RIGHT: "90° right", Quarter.OVER: "180°", Quarter.LEFT: "90° left"}
FIELDS = {
    Fields.AS_THEY_ARE: "stay as they are",
    Fields.PAIR: "one picture of each pair",
    Fields.EACH: "one picture of each field",
    Fields.FILM: "pull-down undone: 4 pictures of 5",
}
FIRST = {"": AS_TAGGED, "top": "the top one", "bottom": "the bottom one"}
RATES = ("24000/1001", "24", "25", "30000/1001", "30", "48", "50", "60000/1001", "60")


def _number(label: str, low: float, high: float, nothing: str, *, whole: bool = False) -> forms.Field:
    """Return a field for a number from low to high; empty says `nothing`, which stands in it."""
    kind = WholeField if whole else NumberField
    mode = "numeric" if whole else "decimal"
    attrs = {"class": "field", "inputmode": mode, "maxlength": 7, "placeholder": nothing}
    bounds = (
        {"min_value": low, "max_value": high}
        if whole
        else {"min_value": Decimal(str(low)), "max_value": Decimal(str(high))}
    )
    return kind(label=label, required=False, widget=forms.TextInput(attrs=attrs), **bounds)


def _choice(label: str, choices: Iterable[tuple[str, str]]) -> forms.ChoiceField:
    return forms.ChoiceField(
        label=label, required=False, choices=list(choices), widget=forms.Select(attrs={"class": "field"})
    )


def _side(label: str) -> forms.Field:
    return _number(label, 0, MAX_SIDE_PX, "0", whole=True)


def _percent(label: str, name: str) -> forms.Field:
    low, high = GRADE[name]
    return _number(label, low * 100, high * 100, f"{getattr(Grade(), name) * 100:g}")


class PictureForm(forms.Form):
    """What becomes of the picture; an empty field leaves that as it is."""

    range = _choice("Range", [("", AS_TAGGED), *((one.value, one.value) for one in Range)])
    matrix = _choice("Matrix", [("", AS_TAGGED), *((one.value, one.value) for one in Matrix)])
    fields_become = _choice("Fields", [(one.value, label) for one, label in FIELDS.items()])
    first_field = _choice("First comes", FIRST.items())
    left_px = _side("Crop left, px")
    top_px = _side("Crop top, px")
    right_px = _side("Crop right, px")
    bottom_px = _side("Crop bottom, px")
    turn = _choice("Turn", [(one.value, label) for one, label in TURNS.items()])
    mirrored = forms.BooleanField(required=False)
    width_px = _side("Width, px")
    height_px = _side("Height, px")
    brightness = _percent("Brightness, %", "brightness")
    contrast = _percent("Contrast, %", "contrast")
    saturation = _percent("Saturation, %", "saturation")
    gamma = _number("Gamma", *GRADE["gamma"], "1")
    sharpness = _number("Sharpening", *SHARPNESS, "0")
    denoise = _number("Noise reduction, steps", *NOISE, "0", whole=True)
    speed = _number("Speed, %", float(SPEED[0] * 100), float(SPEED[1] * 100), "100")
    rate = _choice("Frame rate", [("", "follows the speed"), *((one, rate_label(Fraction(one))) for one in RATES)])

    def picture(self) -> PictureFinish:
        """Return what was said of the picture; raises BadValueError, which names the field."""
        refuse_invalid(self)
        said = self.cleaned_data
        crop = Crop(**{name: said[name] or 0 for name in SIDES})
        grade = {name: float(said[name]) / 100 for name in PERCENT if said[name] is not None}
        return PictureFinish(
            range=Range(said["range"]) if said["range"] else None,
            matrix=Matrix(said["matrix"]) if said["matrix"] else None,
            crop=crop,
            turn=Quarter(said["turn"] or Quarter.NONE),
            mirrored=said["mirrored"],
            width_px=said["width_px"] or 0,
            height_px=said["height_px"] or 0,
            fields=Fields(said["fields_become"] or Fields.AS_THEY_ARE),
            top_first=said["first_field"] == "top" if said["first_field"] else None,
            grade=Grade(**grade, gamma=float(said["gamma"] or 1)),
            sharpness=float(said["sharpness"] or 0),
            denoise=said["denoise"] or 0,
            speed=Fraction(said["speed"] or 100) / 100,
            rate=Fraction(said["rate"]) if said["rate"] else None,
        )


SIDES = ("left_px", "top_px", "right_px", "bottom_px")
PERCENT = ("brightness", "contrast", "saturation")
# What the page shows together, and what it takes that all is encoded anew.
GROUPS = (
    ("Fields", ("fields_become", "first_field")),
    ("Frame", ("left_px", "top_px", "right_px", "bottom_px", "turn", "width_px", "height_px", "mirrored")),
    ("Light, colour, edges", ("brightness", "contrast", "gamma", "saturation", "sharpness", "denoise")),
    ("Speed and rate", ("speed", "rate")),
)


def form_of(picture: PictureFinish, size: tuple[int, int]) -> PictureForm:
    """Return the form as a picture's finish would fill it; `size` is what comes of it."""
    plain, first = PictureFinish(), {True: "top", False: "bottom", None: ""}[picture.top_first]
    numbers = {
        **{name: getattr(picture.crop, name) for name in SIDES},
        **{name: getattr(picture, name) for name in ("width_px", "height_px", "sharpness", "denoise")},
        **{name: getattr(picture.grade, name) * 100 for name in PERCENT},
    }
    initial: dict[str, object] = {name: f"{value:g}" for name, value in numbers.items() if value}
    for name in PERCENT:
        if getattr(picture.grade, name) == getattr(plain.grade, name):
            initial.pop(name, None)
    initial |= {
        "range": picture.range or "",
        "matrix": picture.matrix or "",
        "fields_become": picture.fields,
        "first_field": first,
        "turn": picture.turn,
        "mirrored": picture.mirrored,
        "gamma": f"{picture.grade.gamma:g}" if picture.grade.gamma != 1 else "",
        "speed": f"{float(picture.speed * 100):.6g}" if picture.speed != 1 else "",
        "rate": str(picture.rate) if picture.rate is not None else "",
    }
    form = PictureForm(initial=initial, auto_id="picture-%s")
    for name, side in zip(("width_px", "height_px"), size, strict=True):
        form.fields[name].widget.attrs["placeholder"] = side
    return form


def with_picture(now: Opened, form: PictureForm) -> Finish:
    """Return the finish with what a form says of its picture; raises BadValueError."""
    picture, source = form.picture(), now.sources[0].pictures[0]
    crop = picture.crop
    if crop.left_px + crop.right_px > source.width_px - 16 or crop.top_px + crop.bottom_px > source.height_px - 16:
        raise BadValueError("Crop", f"of {source.width_px}×{source.height_px}", "at least 16 pixels stay each way")
    return replace(now.finish, picture=picture)


@dataclass(frozen=True, slots=True, kw_only=True)
class Remedy:
    """What was found in the picture, and the button that puts it right: what it says, the fields that it sets."""

    sentence: str
    button: str = ""
    only: str = ""
    fields: tuple[tuple[str, object], ...] = ()
    encodes: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class Looked:
    """What the frames of a take show: a drawing of how often each luma value is there, what that says, what else."""

    path: str
    levels: Remedy
    found: tuple[Remedy, ...]


def looked_at(looks: Looks, picture: SourceStream, asked: PictureFinish) -> Looked:
    """Hold what frames show against what they are tagged as, or are to become."""
    highest = max(looks.levels.histogram) or 1
    heights = [(one / highest) ** 0.35 * 56 for one in looks.levels.histogram]
    path = "M0 60 " + " ".join(
        f"L{value} {60 - height:.1f} L{value + 1} {60 - height:.1f}" for value, height in enumerate(heights)
    )
    found = [*_bars(looks, asked), *_fields(looks, asked)]
    return Looked(
        path=f"{path} L256 60Z", levels=_levels(looks.levels, asked.range or picture.range), found=tuple(found)
    )


def _levels(levels: Levels, tagged: Range) -> Remedy:
    really = levels.range_by_looking(tagged)
    reach = f"Nearly all samples lie from {levels.low} to {levels.high}"
    outside = f"{float(levels.outside) * 100:.1f} % lie outside of {BLACK} to {WHITE}"
    if really is not None:
        said = f"that is {really.value} range, and it is tagged as {tagged.value}. Players cut its shadows and lights."
        button = f"Tag it as {really.value} range"
        fields = (("range", really.value),)
        return Remedy(sentence=f"{reach}; {outside}: {said}", button=button, only="range", fields=fields, encodes=False)
    if tagged is Range.FULL and levels.outside == 0:
        return Remedy(
            sentence=f"{reach}, none outside of {BLACK} to {WHITE}: it may be limited range that is tagged as full."
        )
    return Remedy(sentence=f"{reach}. That goes with {tagged.value} range, as which it is tagged.")


def _bars(looks: Looks, asked: PictureFinish) -> Iterator[Remedy]:
    bars = looks.bars
    sides = {name.partition("_")[0]: getattr(bars, name) for name in SIDES}
    there = ", ".join(f"{value} px {side}" for side, value in sides.items() if value)
    if there and asked.crop == Crop():
        fields = tuple((name, getattr(bars, name)) for name in SIDES)
        yield Remedy(sentence=f"Black bars lie at its edges: {there}.", button="Crop them", only="crop", fields=fields)


def _fields(looks: Looks, asked: PictureFinish) -> Iterator[Remedy]:
    if asked.fields is not Fields.AS_THEY_ARE:
        return
    first = "top" if looks.top_first else "bottom"
    kinds = {FieldVerdict.APART: Fields.EACH, FieldVerdict.FILM: Fields.FILM}
    if (become := kinds.get(looks.fields)) is None:
        return
    what = "are moments of their own" if become is Fields.EACH else "hold film, some woven of two of its pictures"
    button = "One picture of each field" if become is Fields.EACH else "Undo the pull-down"
    fields = (("fields_become", become.value), ("first_field", first))
    yield Remedy(
        sentence=f"Its fields {what}; the {first} one comes first.", button=button, only="fields", fields=fields
    )


def with_remedy(now: Opened, only: str, form: PictureForm) -> Finish:
    """Return the finish with what the button beside something that was found sets; raises BadValueError."""
    said, picture = form.picture(), now.finish.picture
    made = {
        "range": replace(picture, range=said.range),
        "crop": replace(picture, crop=said.crop),
        "fields": replace(picture, fields=said.fields, top_first=said.top_first),
    }
    if only not in made:
        raise BadValueError("Picture", only[:20], f"what can be set alone is {', '.join(made)}")
    return replace(now.finish, picture=made[only])
