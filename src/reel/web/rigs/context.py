"""What the pages of one rig show."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cached_property
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
    Stage,
    chain,
    checks_after,
    checks_before,
    framed_signal,
    label_of,
    setup_of_the_file,
    told,
    walk,
)
from reel.core.line.edit import alternatives
from reel.core.signal import Signal, SoundFormat
from reel.recorder.messages import RigStatus
from reel.web.live.facts import is_heard, rig_facts
from reel.web.live.recorder import glance, rig_status
from reel.web.rigs.actions import grouped_losses
from reel.web.rigs.forms import PlayForm
from reel.web.rigs.line import draw_line
from reel.web.rigs.models import Rig
from reel.web.takes.models import Take, TakeState
from reel.web.takes.proving import shelf


@dataclass(frozen=True)
class RigPage:
    """A rig at the moment of a request: its setup, its line, and what is live of it."""

    rig: Rig
    live: RigStatus | None

    @classmethod
    def of(cls, request: HttpRequest, rig: Rig) -> "RigPage":
        """Look at a rig for one request."""
        return cls(rig, rig_status(glance(request), rig.pk))

    @cached_property
    def plan(self) -> RigSetup:
        """The setup; raises BadValueError for one that can't be read."""
        return self.rig.plan

    @cached_property
    def planned(self) -> Chain:
        """Its way up to the frame."""
        return chain(self.plan)

    @cached_property
    def measured_bps(self) -> int | None:
        """The data rate of an earlier take with this recipe."""
        return measured_rate(self.rig, self.plan.recipe)

    @cached_property
    def stages(self) -> tuple[Stage, ...]:
        """Its line."""
        heard = self.live.sound if self.live else None
        return walk(self.plan, self.signal, heard, self.measured_bps)

    @property
    def signal(self) -> Signal | None:
        """What arrives just now."""
        return self.live.signal if self.live else None

    @property
    def expected(self) -> Signal | None:
        """What the line says arrives."""
        return self.planned.travel.arrives.signal if self.planned.travel.arrives else None

    @property
    def sound(self) -> SoundFormat | None:
        """The sound that arrives, or that a device's own file will have."""
        if self.planned.is_remote:
            return SoundFormat()
        return self.live.sound if self.live else None


def stage_context(request: HttpRequest, rig: Rig, stage: str) -> dict[str, object]:
    """Give what a stage's page shows: the line above it, and what is the stage's own."""
    page = RigPage.of(request, rig)
    return line_context(page, stage) | _STAGES[stage](page)


def line_context(page: RigPage, stage: str) -> dict[str, object]:
    """Give what stands on every page of a rig: the line, the other rigs, what is live."""
    return {
        "rig": page.rig,
        "plan": page.plan,
        "stage": stage,
        "line": draw_line(page.stages, stage),
        "chain": page.planned,
        "is_unasked": not page.rig.is_asked,
        "facts": rig_facts(page.live),
        "rigs": Rig.objects.only("pk", "name"),
    }


def _sent_and_received(page: RigPage) -> dict[str, object]:
    return {"sent": page.plan.device.signal or page.signal, "arrives": page.signal, "expected": page.expected}


def _device(page: RigPage) -> dict[str, object]:
    plan = page.plan
    play_form = PlayForm(setup=plan, play=page.rig.played) if isinstance(plan.origin, Plugged) else None
    return {"sent": plan.device.signal or page.signal, "groups": grouped_losses(plan, "device"), "play_form": play_form}


def _path(page: RigPage) -> dict[str, object]:
    return path_context(page.plan, page.planned) | _sent_and_received(page)


def _arrival(page: RigPage) -> dict[str, object]:
    return {"groups": grouped_losses(page.plan, "arrival")} | _sent_and_received(page)


def _frame(page: RigPage) -> dict[str, object]:
    plan, comes = page.plan, page.signal or page.expected
    losses = next(stage.losses for stage in page.stages if stage.key == "frame")
    return {
        "goes_on": plan.arrival.signal_of(comes) if comes else None,
        "framed": framed_signal(setup_of_the_file(plan)),
        "frame_losses": [told(loss, plan) for loss in losses],
    }


def _sound(page: RigPage) -> dict[str, object]:
    sound = page.sound
    named = [(place, channel_name(place, sound.channels)) for place in range(sound.channels)] if sound else []
    return {"sound": sound, "channels": named, "arrives": page.signal}


def _file(page: RigPage) -> dict[str, object]:
    tracks = 1 if page.sound or page.plan.device.kind is not DeviceKind.FEED else 0
    costs = forecast(page.plan.recipe, sound_tracks=tracks, measured_bps=page.measured_bps)
    return {"forecast": costs, "free_bytes": room_bytes(), "shelf_path": str(shelf().root)}


def _roll(page: RigPage) -> dict[str, object]:
    return {
        "checks": check_rows(page.rig, page.plan, page.live),
        "shelf_problem": shelf_problem(),
        "latest": page.rig.takes.exclude(state=TakeState.ROLLING).first(),
        **_file(page),
        **_sound(page),
    }


_STAGES: dict[str, Callable[[RigPage], dict[str, object]]] = {
    "device": _device,
    "path": _path,
    "arrival": _arrival,
    "frame": _frame,
    "sound": _sound,
    "file": _file,
    "roll": _roll,
}


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
    heard = is_heard(live) if live and live.signal else None
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
