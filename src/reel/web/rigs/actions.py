"""What changes rigs."""

from dataclasses import replace

from reel.core.file import Recipe
from reel.core.line import DeviceSetup, RigSetup
from reel.recorder.messages import RefusedError, Status
from reel.web.rigs.models import Rig


def make_rig(name: str, plan: RigSetup) -> Rig:
    """Store a new rig."""
    rig = Rig(name=name)
    rig.plan = plan
    rig.save()
    return rig


def set_device(rig: Rig, device: DeviceSetup, status: Status | None) -> None:
    """Change the device; refused while the rig rolls."""
    _refuse_rolling(rig, status)
    rig.plan = replace(rig.plan, device=device)
    rig.save(update_fields=["setup"])


def set_recipe(rig: Rig, recipe: Recipe, status: Status | None) -> None:
    """Change the file settings; refused while the rig rolls."""
    _refuse_rolling(rig, status)
    rig.plan = replace(rig.plan, recipe=recipe)
    rig.save(update_fields=["setup"])


def _refuse_rolling(rig: Rig, status: Status | None) -> None:
    if status is not None and status.roll is not None and status.roll.rig_id == rig.pk:
        raise RefusedError(f"{rig.name} is rolling; cut it before you change its settings.")
