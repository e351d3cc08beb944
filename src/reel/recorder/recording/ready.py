"""What a take is made of before it rolls: its name on a shelf, what is asked of it, what ends it."""

import datetime
from dataclasses import dataclass

from reel.core.file import FilePlan
from reel.core.media import Reserved, Shelf
from reel.core.roll import RollSetup
from reel.recorder.journal import Rolled
from reel.recorder.messages import RigToRoll, StartRoll


@dataclass(frozen=True, slots=True, kw_only=True)
class Ready:
    """What a take is made of before it has a file: its shelf, its name there, what it rolls, and what ends it."""

    shelf: Shelf
    reserved: Reserved
    rolled: Rolled
    conduct: RollSetup


def conduct_of(roll: RollSetup, request: StartRoll) -> RollSetup:
    """Return how a take rolls: a trial ends by its length only, and what is asked for counts before what is set."""
    return RollSetup(gone_s=0) if request.is_trial else roll


def rolled_by(
    request: RigToRoll,
    plan: FilePlan,
    reserved: Reserved,
    at: datetime.datetime,
    on_device: str = "",
    *,
    is_trial: bool = False,
    follows: int | None = None,
) -> Rolled:
    """What is stored of a take of a rig that begins at a time; `on_device` is the kind of one that records it."""
    return Rolled(
        rig_id=request.rig_id,
        rig_name=request.rig_name,
        setup=request.setup,
        plan=plan,
        name=f"{request.rig_name} {reserved.number:03}",
        rolling=reserved.rolling,
        started_at=at,
        on_device=on_device,
        is_trial=is_trial,
        follows=follows,
        folder=request.folder,
        shelf_key=request.shelf_key,
    )
