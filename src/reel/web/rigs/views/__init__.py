"""Pages of rigs."""

from reel.web.rigs.views.frame import (
    arrange,
    draw,
    find_bars,
    lay_over,
    piece,
    show,
    take_advice,
    toggle,
    touches,
    undo,
)
from reel.web.rigs.views.path import change, mend, put_back, tick
from reel.web.rigs.views.rigs import allow, delete, duplicate, export, import_rig, index, new, proposal
from reel.web.rigs.views.sound import add_input, balance, remove_input, rename_input, strip, sync, test_sync, tracks
from reel.web.rigs.views.stages import bench, fit_frame, keep_recipe, keeps_up, line, play, recipe, stage

__all__ = [
    "add_input",
    "allow",
    "arrange",
    "balance",
    "bench",
    "change",
    "delete",
    "draw",
    "duplicate",
    "export",
    "find_bars",
    "fit_frame",
    "import_rig",
    "index",
    "keep_recipe",
    "keeps_up",
    "lay_over",
    "line",
    "mend",
    "new",
    "piece",
    "play",
    "proposal",
    "put_back",
    "recipe",
    "remove_input",
    "rename_input",
    "show",
    "stage",
    "strip",
    "sync",
    "take_advice",
    "test_sync",
    "tick",
    "toggle",
    "touches",
    "tracks",
    "undo",
]
