"""The forms of a rig's stages."""

from reel.web.rigs.forms.arrival import ArrivalForm
from reel.web.rigs.forms.device import device_form
from reel.web.rigs.forms.file import FileForm
from reel.web.rigs.forms.new import NewRigForm, free_name
from reel.web.rigs.forms.play import PlayForm

__all__ = ["ArrivalForm", "FileForm", "NewRigForm", "PlayForm", "device_form", "free_name"]
