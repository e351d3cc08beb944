"""The forms of a rig's stages."""

from reel.web.rigs.forms.arrival import ArrivalForm
from reel.web.rigs.forms.device import device_form
from reel.web.rigs.forms.file import RecipeForm, shown
from reel.web.rigs.forms.frame import FrameForm
from reel.web.rigs.forms.new import NewRigForm
from reel.web.rigs.forms.play import PlayForm
from reel.web.rigs.forms.roll import RollForm
from reel.web.rigs.forms.sound import StripForm, TracksForm

__all__ = [
    "ArrivalForm",
    "FrameForm",
    "NewRigForm",
    "PlayForm",
    "RecipeForm",
    "RollForm",
    "StripForm",
    "TracksForm",
    "device_form",
    "shown",
]
