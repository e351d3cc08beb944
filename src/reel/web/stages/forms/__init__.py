"""The forms of a rig's stages."""

from reel.web.stages.forms.arrival import ArrivalForm
from reel.web.stages.forms.device import device_form
from reel.web.stages.forms.file import RecipeForm
from reel.web.stages.forms.frame import FrameForm
from reel.web.stages.forms.own import OwnForm
from reel.web.stages.forms.roll import RollForm
from reel.web.stages.forms.scenario import ScenarioForm
from reel.web.stages.forms.sound import StripForm, TracksForm

__all__ = [
    "ArrivalForm",
    "FrameForm",
    "OwnForm",
    "RecipeForm",
    "RollForm",
    "ScenarioForm",
    "StripForm",
    "TracksForm",
    "device_form",
]
