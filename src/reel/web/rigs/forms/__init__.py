"""The forms of a rig's stages."""

from reel.web.rigs.forms.arrival import ArrivalForm
from reel.web.rigs.forms.device import device_form
from reel.web.rigs.forms.file import RecipeForm, shown
from reel.web.rigs.forms.frame import FrameForm
from reel.web.rigs.forms.new import NewRigForm
from reel.web.rigs.forms.roll import RollForm
from reel.web.rigs.forms.scenario import ScenarioForm
from reel.web.rigs.forms.sound import StripForm, TracksForm

__all__ = [
    "ArrivalForm",
    "FrameForm",
    "NewRigForm",
    "RecipeForm",
    "RollForm",
    "ScenarioForm",
    "StripForm",
    "TracksForm",
    "device_form",
    "shown",
]
