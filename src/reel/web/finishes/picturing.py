"""The picture of a finish: the form that says what becomes of it, and what its samples say of its range."""

from dataclasses import dataclass, replace

from django import forms

from reel.core.errors import BadValueError
from reel.core.finish import Finish, PictureFinish, SourceStream
from reel.core.frame import Crop, Quarter
from reel.core.frame.piece import MAX_SIDE_PX
from reel.core.media.levels import BLACK, WHITE, Levels
from reel.core.signal import Matrix, Range
from reel.web.finishes.editing import Opened
from reel.web.ui.fields import WholeField
from reel.web.ui.forms import refuse_invalid

AS_TAGGED = "as it is tagged"
TURNS = {Quarter.NONE: "not turned", Quarter.RIGHT: "90° right", Quarter.OVER: "180°", Quarter.LEFT: "90° left"}


def _side() -> WholeField:
    return WholeField(required=False, min_value=0, max_value=MAX_SIDE_PX)


class PictureForm(forms.Form):
    """What becomes of the picture; an empty field leaves that as it is."""

    range = forms.ChoiceField(required=False, choices=[("", AS_TAGGED), *((one.value, one.value) for one in Range)])
    matrix = forms.ChoiceField(required=False, choices=[("", AS_TAGGED), *((one.value, one.value) for one in Matrix)])
    left_px = _side()
    top_px = _side()
    right_px = _side()
    bottom_px = _side()
    turn = forms.ChoiceField(required=False, choices=[(one.value, label) for one, label in TURNS.items()])
    mirrored = forms.BooleanField(required=False)
    width_px = _side()
    height_px = _side()

    def picture(self) -> PictureFinish:
        """Return what was said of the picture; raises BadValueError, which names the field."""
        refuse_invalid(self)
        said = self.cleaned_data
        crop = Crop(**{name: said[name] or 0 for name in ("left_px", "top_px", "right_px", "bottom_px")})
        return PictureFinish(
            range=Range(said["range"]) if said["range"] else None,
            matrix=Matrix(said["matrix"]) if said["matrix"] else None,
            crop=crop,
            turn=Quarter(said["turn"] or Quarter.NONE),
            mirrored=said["mirrored"],
            width_px=said["width_px"] or 0,
            height_px=said["height_px"] or 0,
        )


def with_picture(now: Opened, form: PictureForm) -> Finish:
    """Return the finish with what a form says of its picture; raises BadValueError."""
    picture, source = form.picture(), now.sources[0].pictures[0]
    crop = picture.crop
    if crop.left_px + crop.right_px > source.width_px - 16 or crop.top_px + crop.bottom_px > source.height_px - 16:
        raise BadValueError("Crop", f"of {source.width_px}×{source.height_px}", "at least 16 pixels stay each way")
    return replace(now.finish, picture=picture)


@dataclass(frozen=True, slots=True, kw_only=True)
class Looked:
    """What the samples of a take say of its range: a drawing of how often each value is there, and a sentence.

    `really` is the range that they have where the tag says another one, "" where it may be right.
    """

    path: str
    low: int
    high: int
    sentence: str
    really: str


def looked_at(levels: Levels, picture: SourceStream, tags: PictureFinish) -> Looked:
    """Hold the levels of a picture against what it is tagged as, or is to be tagged as."""
    tagged = tags.range or picture.range
    really = levels.range_by_looking(tagged)
    reach = f"Nearly all samples lie from {levels.low} to {levels.high}"
    outside = f"{float(levels.outside) * 100:.1f} % lie outside of {BLACK} to {WHITE}"
    if really is not None:
        sentence = (
            f"{reach}; {outside}: that is full range, and it is tagged as limited. Players cut its shadows and lights."
        )
    elif tagged is Range.FULL and levels.outside == 0:
        sentence = f"{reach}, none outside of {BLACK} to {WHITE}: it may be limited range that is tagged as full."
    else:
        sentence = f"{reach}. That goes with {tagged.value} range, as which it is tagged."
    highest = max(levels.histogram) or 1
    heights = [(one / highest) ** 0.35 * 56 for one in levels.histogram]
    path = "M0 60 " + " ".join(
        f"L{value} {60 - height:.1f} L{value + 1} {60 - height:.1f}" for value, height in enumerate(heights)
    )
    return Looked(
        path=f"{path} L256 60Z",
        low=levels.low,
        high=levels.high,
        sentence=sentence,
        really=really.value if really else "",
    )
