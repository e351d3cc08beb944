"""What to see to before a roll, and to put back after it."""

from dataclasses import replace
from typing import Any

from reel.core.line import RigSetup, Seen, checks_after, checks_before, computer_checks, file_plan, heard
from reel.core.line.pairing import InputState, pairing_checks
from reel.core.measure import AlarmKind, causes
from reel.recorder.messages import RigStatus
from reel.web.live.facts import is_black, is_heard
from reel.web.rigs.drawing import lives_of
from reel.web.rigs.models import Rig
from reel.web.stages.costs import alike_takes, own_storage, room_bytes, shelf_problem
from reel.web.stages.keeps_up import keeping
from reel.web.stages.page import RigPage


def check_rows(rig: Rig, plan: RigSetup, live: RigStatus | None) -> list[dict[str, Any]]:
    """Return the list of what to see to before a roll, for all inputs, each with how it stands."""
    heard_now = is_heard(live) if live and any(one.signal or one.sound for one in live.inputs) else None
    first = live.picture if live else None
    comes = None
    if first is not None and first.signal is not None and first.watched.per_s and not plan.frame.as_it_comes:
        comes = first.watched.per_s, float(first.signal.mode.rate)
    lives = lives_of(plan, live)
    keeps = keeping(file_plan(plan, heard(plan, lives)), plan.recipe.draft) if not plan.recipe.as_sent else None
    seen = Seen(
        has_room=room_bytes(rig) > 0 if own_storage(plan) else not shelf_problem(rig),
        is_heard=heard_now,
        arriving=comes,
        headroom=keeps.chosen.headroom if keeps is not None and keeps.chosen is not None else None,
        lost=next(((one.counted.lost, one.counted.ticks) for one in alike_takes(rig, plan)), None),
    )
    checks = {check.key: check for one in plan.inputs for check in checks_before(one)}
    return _rows(rig, (*checks.values(), *computer_checks(plan.picture, seen)))


def pairing_context(page: RigPage, stage: str) -> dict[str, object]:
    """Return the steps of an input's pairing, and the ways out where its picture is black.

    On Roll the list beside it says of the sleep lock.
    """
    rows = [row for row in _pairing_rows(page) if stage != "roll" or row["step"].key != "lock-off"]
    return {"pairing": rows, "black_ways": _black_ways(page)}


def _pairing_rows(page: RigPage) -> list[dict[str, Any]]:
    """Return the steps, each with how it stands; none where nothing is to be done."""
    live = page.input_live
    arrives = None if live is None else live.problem is None and (live.signal or live.sound) is not None
    state = InputState(
        arrives=arrives,
        needs=live.needs if live else None,
        is_black=live is not None and is_black(live),
        has_room=room_bytes(page.rig) > 0 if own_storage(page.plan) else None,
    )
    stands, prefix = pairing_checks(page.input, state), f"pairing-{page.place}-"
    rows = _rows(page.rig, tuple(replace(check, key=prefix + check.key) for _, check in stands))
    return [row | {"step": step} for row, (step, _) in zip(rows, stands, strict=True)]


def _black_ways(page: RigPage) -> tuple[str, ...]:
    """Return what a picture may be black from although the person sees one: while it is, or where nobody sees it."""
    live = page.input_live
    if page.planned.is_remote or (live is not None and is_black(live)):
        return causes(AlarmKind.BLACK, page.input)
    return ()


def rows_after(rig: Rig) -> list[dict[str, Any]]:
    """Return the list of what to put back after the cut."""
    checks = {check.key: check for one in rig.plan.inputs for check in checks_after(one)}
    return _rows(rig, tuple(checks.values()))


def _rows(rig: Rig, checks: tuple[Any, ...]) -> list[dict[str, Any]]:
    ticked = frozenset(rig.ticked)
    return [{"check": check, "state": check.state(ticked).value} for check in checks]
