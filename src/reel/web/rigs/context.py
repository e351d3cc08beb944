"""What the pages of one rig show."""

from typing import Any

from django.conf import settings
from django.http import HttpRequest

from reel.core.errors import ReelError
from reel.core.file import Recipe, forecast
from reel.core.line import (
    FELT_MS,
    HOPS,
    Chain,
    DeviceKind,
    HopKind,
    Plugged,
    RigSetup,
    Seen,
    chain,
    checks_after,
    checks_before,
    followed,
    framed_signal,
    label_of,
    told,
    walk,
)
from reel.core.line.edit import alternatives
from reel.core.measure import contradictions
from reel.core.measure.alarm import SILENT_DB
from reel.core.signal import SoundFormat
from reel.recorder.messages import RigStatus
from reel.web.rigs.actions import grouped_losses
from reel.web.rigs.forms import PlayForm
from reel.web.rigs.line import draw_line
from reel.web.rigs.models import Rig
from reel.web.roll.live import rig_facts
from reel.web.roll.recorder import glance, rig_status
from reel.web.takes.models import Take, TakeState
from reel.web.takes.proving import shelf


def stage_context(request: HttpRequest, rig: Rig, stage: str) -> dict[str, object]:
    """Give what every stage's page shows; each stage adds its own by `extra_context`."""
    live: RigStatus | None = rig_status(glance(request), rig.pk)
    plan, signal, sound = rig.plan, live.signal if live else None, live.sound if live else None
    measured_bps = measured_rate(rig, plan.recipe)
    stages = walk(plan, signal, sound, measured_bps)
    planned = chain(plan)
    sound = SoundFormat() if planned.is_remote else sound
    expected = planned.travel.arrives.signal if planned.travel.arrives else None
    comes = signal or expected
    sound_tracks = 1 if sound or plan.device.kind is not DeviceKind.FEED else 0
    context: dict[str, object] = {
        "rig": rig,
        "plan": plan,
        "stage": stage,
        "line": draw_line(stages, stage),
        "frame_losses": [told(loss, plan) for loss in stages[3].losses],
        "chain": planned,
        "is_unasked": not rig.is_asked,
        "sent": plan.device.signal or signal,
        "arrives": signal,
        "expected": expected,
        "goes_on": plan.arrival.signal_of(comes) if comes else None,
        "framed": framed_signal(followed(plan)),
        "sound": sound,
        "channels": [(place, channel_name(place, sound.channels)) for place in range(sound.channels)] if sound else [],
        "facts": rig_facts(live),
        "forecast": forecast(plan.recipe, sound_tracks=sound_tracks, measured_bps=measured_bps),
        "free_bytes": room_bytes(),
        "shelf_path": str(shelf().root),
        "rigs": Rig.objects.all(),
        "latest": rig.takes.exclude(state=TakeState.ROLLING).first(),
    }
    return context | extra_context(rig, plan, planned, live, stage)


def extra_context(rig: Rig, plan: RigSetup, planned: Chain, live: RigStatus | None, stage: str) -> dict[str, object]:
    """Give what only one stage's page shows."""
    if stage == "path":
        return path_context(plan, planned)
    if stage == "arrival":
        signal = live.signal if live else None
        warnings = contradictions(plan, signal, live.watched) if live and signal else ()
        return {"warnings": warnings, "groups": grouped_losses(plan, stage)}
    if stage == "device":
        simulated = isinstance(plan.origin, Plugged)
        play_form = PlayForm(setup=plan, play=rig.played) if simulated else None
        return {"groups": grouped_losses(plan, stage), "play_form": play_form}
    if stage == "roll":
        return {"checks": check_rows(rig, plan, live), "shelf_problem": shelf_problem()}
    return {}


def path_context(plan: RigSetup, planned: Chain) -> dict[str, object]:
    """Give the rows of the path's table, what can be added, the losses with their remedies, and advice."""
    way = planned.travel
    rows = [
        {
            "place": place,
            "setup": step.setup,
            "hop": step.setup.hop,
            "others": [(key, label_of(HOPS[key])) for key in alternatives(step.setup.model)],
            "passes": step.passes,
            "harms": step.losses,
        }
        for place, step in enumerate(way.steps)
    ]
    kinds = {kind: [(hop.key, label_of(hop)) for hop in HOPS.values() if hop.kind is kind] for kind in HopKind}
    late = planned.carried.latency_ms if planned.carried else 0
    return {
        "hop_rows": rows,
        "end_place": len(rows),
        "addable": [(kind.value.capitalize(), hops) for kind, hops in kinds.items()],
        "groups": grouped_losses(plan),
        "latency_ms": late,
        "felt_ms": FELT_MS if late > FELT_MS else 0,
        "can_watch": any(getattr(setup.hop, "has_pass_through", False) for setup in plan.path),
        "splits": any(setup.hop.kind is HopKind.SPLITTER for setup in plan.path),
    }


def check_rows(rig: Rig, plan: RigSetup, live: RigStatus | None) -> list[dict[str, Any]]:
    """Give the list of what to see to before a roll, each with how it stands."""
    heard = any(level.held_db > SILENT_DB for level in live.levels) if live and live.signal else None
    seen = Seen(has_room=not shelf_problem(), is_heard=heard)
    return _rows(rig, checks_before(plan, seen))


def rows_after(rig: Rig) -> list[dict[str, Any]]:
    """Give the list of what to put back after the cut."""
    return _rows(rig, checks_after(rig.plan))


def _rows(rig: Rig, checks: tuple[Any, ...]) -> list[dict[str, Any]]:
    ticked = frozenset(rig.ticked)
    return [{"check": check, "state": check.state(ticked).value} for check in checks]


def channel_name(place: int, channels: int) -> str:
    """Name a channel."""
    return ("Left", "Right")[place] if channels == 2 else f"Channel {place + 1}"


def room_bytes() -> int:
    """Give the room that a roll may use: what is free, less the reserve."""
    try:
        return max(0, shelf().free_bytes() - settings.RESERVE_BYTES)
    except ReelError:
        return 0


def shelf_problem() -> str:
    """Say why nothing can be written to the shelf; "" when it can."""
    try:
        shelf().check(settings.RESERVE_BYTES)
    except ReelError as error:
        return str(error)
    return ""


def measured_rate(rig: Rig, recipe: Recipe) -> int | None:
    """Give the data rate of this rig's newest proved take that was made with the same recipe."""
    for take in Take.objects.filter(rig=rig, bitrate_bps__isnull=False)[:10]:
        if take.setup.recipe == recipe:
            return take.bitrate_bps
    return None
