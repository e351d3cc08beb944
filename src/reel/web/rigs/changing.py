"""The one way to change how a rig is set; every change can be undone, and redone."""

from collections.abc import Mapping
from typing import Any

from reel.core.line import RigSetup, changed_words
from reel.recorder.messages import RefusedError, Status
from reel.standins.scenario import Scenario
from reel.web.rigs.actions import refuse_rolling
from reel.web.rigs.homefiles import images_of, remove_unused_images
from reel.web.rigs.models import MAX_WORDS, Edit, Rig

# As many changes of a rig can be undone.
MAX_UNDO = 30


def change(rig: Rig, plan: RigSetup, status: Status | None, scenarios: Mapping[str, Scenario] | None = None) -> None:
    """Set a rig anew; raises RefusedError while it rolls.

    `scenarios`, by the names of inputs, are those of inputs that it did not have; an input that stays keeps its own.
    """
    before = rig.plan
    if plan == before:
        return
    refuse_rolling(rig, status)
    rig.edits.create(words=changed_words(before, plan)[:MAX_WORDS], **_held(rig))
    _set(rig, plan, scenarios or {})
    done, undone = rig.edits.filter(is_undone=False), rig.edits.filter(is_undone=True)
    gone = [*undone, *done.order_by("-id")[MAX_UNDO:]]
    rig.edits.filter(pk__in=[edit.pk for edit in gone]).delete()
    if any(images_of(edit.setup) for edit in gone):
        remove_unused_images()


def undo(rig: Rig, status: Status | None) -> str:
    """Undo the last change of a rig and return what it was about; raises RefusedError where there is none."""
    return _swap(rig, rig.edits.filter(is_undone=False).last(), "undo", status)


def redo(rig: Rig, status: Status | None) -> str:
    """Redo the change that was undone last and return what it was about; raises RefusedError where there is none."""
    return _swap(rig, rig.edits.filter(is_undone=True).first(), "redo", status)


def _swap(rig: Rig, edit: Edit | None, what: str, status: Status | None) -> str:
    """Give a rig what an edit holds, and the edit what the rig had."""
    refuse_rolling(rig, status)
    if edit is None:
        raise RefusedError(f"There is nothing to {what}.")
    had = _held(rig)
    kept = Rig(**{name: getattr(edit, name) for name in had})
    rig.is_asked = kept.is_asked  # an address that nobody has allowed comes back as such
    _set(rig, kept.plan, _by_name(kept))
    for name, value in had.items():
        setattr(edit, name, value)
    edit.is_undone = not edit.is_undone
    edit.save()
    return str(edit.words)


def _held(rig: Rig) -> dict[str, Any]:
    return {"setup": rig.setup, "simulation": rig.simulation, "is_asked": rig.is_asked}


def _by_name(rig: Rig) -> dict[str, Scenario]:
    return {one.name: rig.scenario_of(place) for place, one in enumerate(rig.plan.inputs)}


def _set(rig: Rig, plan: RigSetup, scenarios: Mapping[str, Scenario]) -> None:
    known = {**scenarios, **_by_name(rig)}
    rig.scenarios = [known.get(one.name, Scenario()) for one in plan.inputs]
    rig.plan = plan
    rig.save(update_fields=["setup", "simulation", "is_asked"])
