"""What the pages of one rig show."""

from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from django.conf import settings
from django.http import Http404, HttpRequest

from reel.core.errors import ReelError
from reel.core.file import Draft, FilePlan, Forecast, Measured, crash_cost_s, forecast
from reel.core.line import (
    DEVICES,
    FELT_MS,
    HOPS,
    DeviceKind,
    HopKind,
    InputSetup,
    Live,
    LossKind,
    LossMessage,
    Network,
    Plugged,
    RigSetup,
    Seen,
    SignalChain,
    Stage,
    checks_after,
    checks_before,
    computer_checks,
    file_plan,
    heard,
    label_of,
    line_stages,
    loss_message,
    signal_chain,
    strands,
)
from reel.core.line.edit import alternatives
from reel.core.media import Shelf
from reel.core.roll import TRIAL_S, roll_words
from reel.core.signal import Signal, SoundFormat
from reel.recorder.messages import RigStatus
from reel.web.jobs.models import Job
from reel.web.live.facts import is_heard, rig_facts
from reel.web.live.recorder import glance, place_of, rig_status
from reel.web.machine.shelves import home_place, places, shelf_in
from reel.web.rigs.actions import addresses_of, grouped_losses
from reel.web.rigs.benching import BENCH
from reel.web.rigs.estimating import estimate_of, is_needed, job_of, picture_bits
from reel.web.rigs.forms import FrameForm, ScenarioForm, StripForm, TracksForm
from reel.web.rigs.forms.frame import SIZES
from reel.web.rigs.framing import FramePage, piece_form
from reel.web.rigs.keeps_up import keeping
from reel.web.rigs.line import draw_line
from reel.web.rigs.models import Rig
from reel.web.rigs.patch import draw_patch
from reel.web.rigs.serial import shape_of
from reel.web.takes.models import Take, TakeState

# So many of the latest takes say what another one will cost.
MEASURED_TAKES = 12
# A take that lost more than this part of its frames measures nothing.
RUINED_PART = 0.05
# What can be added to a rig: whatever is plugged in. A feed is a rig of its own.
ADDABLE = {kind.value: device.facts.label for kind, device in DEVICES.items() if kind is not DeviceKind.FEED}


@dataclass(frozen=True)
class RigPage:
    """A rig at the moment of a request: its setup, its line, what is live of it, and which input is looked at."""

    rig: Rig
    live: RigStatus | None
    framing: FramePage
    asked_place: int = 0

    @classmethod
    def of(cls, request: HttpRequest, rig: Rig, place: int | None = None) -> "RigPage":
        """Look at a rig for one request, at the input that it names unless another place is given."""
        status = glance(request)
        framing = FramePage.of(request, rig.plan, status, rig.pk)
        return cls(rig, rig_status(status, rig.pk), framing, place_of(request) if place is None else place)

    @cached_property
    def plan(self) -> RigSetup:
        """The setup; raises BadValueError for one that can't be read."""
        return self.rig.plan

    @cached_property
    def place(self) -> int:
        """The place of the input that is looked at; raises Http404 for one that is not there."""
        if self.asked_place >= len(self.plan.inputs):
            raise Http404
        return self.asked_place

    @cached_property
    def input(self) -> InputSetup:
        """The input that is looked at."""
        return self.plan.inputs[self.place]

    @cached_property
    def planned(self) -> SignalChain:
        """Its way up to the frame."""
        return signal_chain(self.input)

    @cached_property
    def measured(self) -> Measured | None:
        """What earlier takes with this recipe came to."""
        return measured_rate(self.rig, self.plan)

    @cached_property
    def picture_bits(self) -> float | None:
        """What a picture by this recipe is estimated to take."""
        return picture_bits(self.rig, self.plan)

    @cached_property
    def lives(self) -> tuple[Live, ...]:
        """What each input says of itself; nothing while the rig is closed, or was opened with other inputs."""
        return lives_of(self.plan, self.live)

    @cached_property
    def file_plan(self) -> FilePlan:
        """What a take is to hold."""
        return file_plan(self.plan, heard(self.plan, self.lives))

    @cached_property
    def stages(self) -> tuple[Stage, ...]:
        """Its line."""
        return line_stages(self.plan, self.lives, self.measured, self.picture_bits)

    @property
    def signal(self) -> Signal | None:
        """What arrives just now from the input that is looked at."""
        return self.lives[self.place].signal if self.lives else None

    @property
    def expected(self) -> Signal | None:
        """What the line says arrives."""
        return self.planned.signal_path.arrives.signal if self.planned.signal_path.arrives else None

    @property
    def sound(self) -> SoundFormat | None:
        """The sound that arrives, or that a device's own file will have."""
        if self.planned.is_remote:
            return SoundFormat()
        return self.lives[self.place].sound if self.lives else None


def lives_of(plan: RigSetup, live: RigStatus | None) -> tuple[Live, ...]:
    """Give what each of a rig's inputs says of itself, as the line takes it."""
    if live is None or len(live.inputs) != len(plan.inputs):
        return ()
    return tuple(Live(signal=one.signal, sound=one.sound) for one in live.inputs)


def stage_context(request: HttpRequest, rig: Rig, stage: str, place: int | None = None) -> dict[str, object]:
    """Give what a stage's page shows: the line above it, and what is the stage's own."""
    page = RigPage.of(request, rig, place)
    return line_context(page, stage) | _STAGES[stage](page)


def line_context(page: RigPage, stage: str) -> dict[str, object]:
    """Give what stands on every page of a rig: the line, the other rigs, what is live.

    `of_input` is what an address ends with that is about the input that is looked at.
    """
    return {
        "rig": page.rig,
        "plan": page.plan,
        "input": page.input,
        "place": page.place,
        "shape": shape_of(page.plan),
        "of_input": f"?input={page.place}" if page.place else "",
        "stage": stage,
        "line": draw_line(page.stages, strands(page.plan, page.lives), stage),
        "chain": page.planned,
        "is_remote": signal_chain(page.plan.picture).is_remote,
        "addresses": [] if page.rig.is_asked else addresses_of(page.plan),
        "facts": rig_facts(page.live, page.place),
        "rigs": Rig.objects.only("pk", "name"),
    }


def _sent_and_received(page: RigPage) -> dict[str, object]:
    return {"sent": page.input.device.signal or page.signal, "arrives": page.signal, "expected": page.expected}


def _device(page: RigPage) -> dict[str, object]:
    one, play = page.input, page.rig.play_of(page.place)
    play_form = ScenarioForm(setup=one, play=play) if isinstance(one.origin, Plugged) else None
    return {"sent": one.device.signal or page.signal, "groups": grouped_losses(one, "device"), "play_form": play_form}


def _path(page: RigPage) -> dict[str, object]:
    return path_context(page.input, page.planned) | _sent_and_received(page)


def _arrival(page: RigPage) -> dict[str, object]:
    return {"groups": grouped_losses(page.input, "arrival")} | _sent_and_received(page)


def _frame(page: RigPage) -> dict[str, object]:
    plan, comes, framing = page.plan, page.signal or page.expected, page.framing
    losses = next(stage.losses for stage in page.stages if stage.key == "frame")
    return {
        "framing": framing,
        "piece_form": piece_form(framing.piece),
        "others": [one for one in plan.inputs if one.has_picture],
        "is_squeezed": [group for group in grouped_losses(plan.picture, "arrival") if is_shape(group[0])],
        "frame_form": FrameForm(frame=plan.frame),
        "goes_on": page.input.arrival.signal_of(comes) if comes else None,
        "framed": page.file_plan.signal,
        "file_plan": page.file_plan,
        "sizes": SIZES,
        "frame_losses": [loss_message(loss, plan.picture) for loss in losses],
    }


def _sound(page: RigPage) -> dict[str, object]:
    plan = page.plan
    rows = [
        {
            "place": place,
            "one": one,
            "form": StripForm(sound=one.sound),
            "sound": page.lives[place].sound if page.lives else None,
            "is_live": bool(page.lives),
        }
        for place, one in enumerate(plan.inputs)
    ]
    mixed = [number for number in range(1, len(plan.tracks) + 1) if _sources_of(plan, number) > 1]
    kinds = {one.device.kind for one in plan.inputs}
    seen = [place for place, one in enumerate(plan.inputs) if one.device.kind is DeviceKind.CAMERA] or [0]
    return {
        "strips": rows,
        "seen_by": [(place, plan.inputs[place].name) for place in seen],
        "synced": [row for row in rows if row["place"] in seen or not plan.inputs[int(str(row["place"]))].has_picture],
        "patch": draw_patch(plan),
        "track_rows": [(number, _track_name(plan, number), _sources_of(plan, number)) for number in range(1, 7)],
        "tracks_form": TracksForm(tracks=plan.tracks, mix_first=plan.mix_first),
        "mixed": mixed,
        "wants_microphone": DeviceKind.MICROPHONE not in kinds,
        "addable": ADDABLE,
        **_meters(page),
    }


def is_shape(told_losses: list[LossMessage]) -> bool:
    """Say whether losses are of a picture that arrives squeezed."""
    return any(one.loss.kind is LossKind.SQUEEZED_SHAPE for one in told_losses)


def _sources_of(plan: RigSetup, number: int) -> int:
    return sum(number in one.sound.tracks for one in plan.inputs)


def _track_name(plan: RigSetup, number: int) -> str:
    return plan.tracks[number - 1].name if number <= len(plan.tracks) else ""


def _meters(page: RigPage) -> dict[str, object]:
    """Give what the meters of the input that is looked at need."""
    sound = page.sound
    named = [(place, channel_name(place, sound.channels)) for place in range(sound.channels)] if sound else []
    return {"sound": sound, "channels": named, "arrives": page.signal, "file_plan": page.file_plan}


def file_context(page: RigPage) -> dict[str, object]:
    """Give the shelf that a rig's file goes to, and what comes to be written."""
    return {
        "free_bytes": room_bytes(page.rig),
        "write_bps": (page.rig.shelf or home_place()).write_bps,
        "shelf_path": str(shelf_of_rig(page.rig).root),
        "is_network": isinstance(page.plan.picture.origin, Network),
        "comes": page.signal or page.expected,
    }


def file_costs(rig: Rig, plan: RigSetup, draft: Draft, live: RigStatus | None) -> dict[str, object]:
    """Give what a rig's file costs by a plan, and what this machine keeps up with, with what a draft chooses."""
    asked = file_plan(plan, heard(plan, lives_of(plan, live)))
    estimate = estimate_of(rig, plan)
    costs = forecast(asked, measured_rate(rig, plan), estimate.bits_per_picture if estimate else None)
    return {
        "forecast": costs,
        "crash_s": crash_cost_s(asked),
        "estimating": job_of(estimate),
        "estimable": costs is None and is_needed(asked) and live is not None and live.picture.signal is not None,
        **keeps_context(rig, asked, draft),
    }


def keeps_context(rig: Rig, plan: FilePlan, draft: Draft) -> dict[str, object]:
    """Give what this machine keeps up with, with what a draft chooses, and the measuring that runs."""
    job = Job.objects.filter(kind=BENCH, subject=rig.pk).first()
    return {
        "keeps": keeping(plan, draft),
        "bench_job": job if job is not None and job.is_open else None,
        "bench_problem": job.problem if job is not None else "",
    }


def _others_to_roll(page: RigPage) -> list[Rig]:
    """Give the other rigs that may roll at the same time: none of their devices is one of this rig's."""
    held = _identities(page.plan)
    found = []
    for rig in Rig.objects.exclude(pk=page.rig.pk).order_by("name"):
        with suppress(ReelError):  # one that can't be read
            if (
                rig.is_asked
                and not held & _identities(rig.plan)
                and not signal_chain(rig.plan.picture).signal_path.block
            ):
                found.append(rig)
    return found


def _identities(plan: RigSetup) -> set[str]:
    return {one.origin.identity for one in plan.inputs if one.origin.identity}


def _roll(page: RigPage) -> dict[str, object]:
    return {
        "rolls_so": roll_words(page.plan.roll),
        "trial_s": TRIAL_S,
        "others_to_roll": _others_to_roll(page),
        "checks": check_rows(page.rig, page.plan, page.live),
        "shelf_problem": shelf_problem(page.rig),
        "shelves": places(),
        "framing": page.framing,
        "latest": page.rig.takes.exclude(state=TakeState.ROLLING).first(),
        "forecast": forecast(page.file_plan, page.measured, page.picture_bits),
        **file_context(page),
        **_meters(page),
    }


_STAGES: dict[str, Callable[[RigPage], dict[str, object]]] = {
    "device": _device,
    "path": _path,
    "arrival": _arrival,
    "frame": _frame,
    "sound": _sound,
    "file": file_context,
    "roll": _roll,
}


def path_context(one: InputSetup, planned: SignalChain) -> dict[str, object]:
    """Give the rows of the path's table, what can be added, the losses with their remedies, and advice."""
    way = planned.signal_path
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
        "groups": grouped_losses(one),
        "latency_ms": late,
        "felt_ms": FELT_MS if late > FELT_MS else 0,
        "can_watch": any(getattr(setup.hop, "has_pass_through", False) for setup in one.path),
        "splits": any(setup.hop.kind is HopKind.SPLITTER for setup in one.path),
    }


def check_rows(rig: Rig, plan: RigSetup, live: RigStatus | None) -> list[dict[str, Any]]:
    """Give the list of what to see to before a roll, for all inputs, each with how it stands."""
    heard_now = is_heard(live) if live and any(one.signal or one.sound for one in live.inputs) else None
    first = live.picture if live else None
    comes = None
    if first is not None and first.signal is not None and first.watched.per_s and not plan.frame.as_it_comes:
        comes = first.watched.per_s, float(first.signal.mode.rate)
    lives = lives_of(plan, live)
    keeps = keeping(file_plan(plan, heard(plan, lives)), plan.recipe.draft) if not plan.recipe.as_sent else None
    seen = Seen(
        has_room=not shelf_problem(rig),
        is_heard=heard_now,
        arriving=comes,
        headroom=keeps.chosen.headroom if keeps is not None and keeps.chosen is not None else None,
        lost=next(((one.counted.lost, one.counted.ticks) for one in _alike(rig, plan)), None),
    )
    checks = {check.key: check for one in plan.inputs for check in checks_before(one)}
    return _rows(rig, (*checks.values(), *computer_checks(plan.picture, seen)))


def rows_after(rig: Rig) -> list[dict[str, Any]]:
    """Give the list of what to put back after the cut."""
    checks = {check.key: check for one in rig.plan.inputs for check in checks_after(one)}
    return _rows(rig, tuple(checks.values()))


def _rows(rig: Rig, checks: tuple[Any, ...]) -> list[dict[str, Any]]:
    ticked = frozenset(rig.ticked)
    return [{"check": check, "state": check.state(ticked).value} for check in checks]


def channel_name(place: int, channels: int) -> str:
    """Name a channel."""
    return ("Left", "Right")[place] if channels == 2 else f"Channel {place + 1}"


def shelf_of_rig(rig: Rig) -> Shelf:
    """Give the shelf that a rig's takes are written to."""
    return shelf_in(rig.shelf.folder if rig.shelf else "")


def room_bytes(rig: Rig) -> int:
    """Give the room that a roll may use: what is free, less the reserve."""
    try:
        return max(0, shelf_of_rig(rig).free_bytes() - settings.RESERVE_BYTES)
    except ReelError:
        return 0


def shelf_problem(rig: Rig) -> str:
    """Say why nothing can be written to the shelf; "" when it can."""
    try:
        shelf_of_rig(rig).check(settings.RESERVE_BYTES)
    except ReelError as error:
        return str(error)
    return ""


def measured_rate(rig: Rig, plan: RigSetup) -> Measured | None:
    """Give what this rig's latest takes and trials with the same recipe and frame came to; None before there is one."""
    rates = [take.bitrate_bps for take in _alike(rig, plan) if not _is_ruined(take)]
    return Measured.of([rate for rate in rates if rate])


def _alike(rig: Rig, plan: RigSetup) -> Iterator[Take]:
    """Give a rig's latest takes and trials with the same recipe and frame, the newest first."""
    unlike = {name: getattr(plan.recipe, name) for name in ("name_pattern", "part_minutes", "part_gb")}
    for take in rig.takes.with_parts()[:MEASURED_TAKES]:
        with suppress(ReelError):  # one that can't be read
            asked = take.setup
            is_alike = (replace(asked.recipe, **unlike), asked.frame) == (plan.recipe, plan.frame)
            if is_alike and file_plan(asked).lapse == file_plan(plan).lapse and take.state != TakeState.ROLLING:
                yield take


def _is_ruined(take: Take) -> bool:
    """Say whether a take lost so much that its size says nothing of another one."""
    counts = take.counted
    return counts.lost > RUINED_PART * counts.ticks


def cost_of(rig: Rig) -> Forecast | None:
    """Give what a rig's takes cost; None where that is not known yet."""
    plan = rig.plan
    asked = file_plan(plan)
    return forecast(asked, measured_rate(rig, plan), picture_bits(rig, plan))
