"""Pages of rigs."""

from reel.web.rigs.views.path import change, mend, put_back, tick
from reel.web.rigs.views.rigs import allow, delete, duplicate, export, import_rig, index, new, proposal
from reel.web.rigs.views.stages import cost, fit_frame, line, play, stage

__all__ = [
    "allow",
    "change",
    "cost",
    "delete",
    "duplicate",
    "export",
    "fit_frame",
    "import_rig",
    "index",
    "line",
    "mend",
    "new",
    "play",
    "proposal",
    "put_back",
    "stage",
    "tick",
]
