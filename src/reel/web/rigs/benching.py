"""The bench: measuring how fast this machine encodes a rig's own picture by codec, effort and size."""

import math
import time
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import replace
from functools import partial
from pathlib import Path

from reel.core.errors import ReelError
from reel.core.file import CODECS, FilePlan, RateKind, VideoCodec, default_rate, resolve
from reel.core.frame import smaller
from reel.core.line import RigSetup, file_plan
from reel.core.media import MediaError, Sample, measure_speed
from reel.core.signal import Mode
from reel.recorder.messages import NotNowError, RefusedError, TakeSample, UnreachableError
from reel.web.jobs.kinds import BeginAnewError, Lane, Progress, Subject, WhileRolling, job_kind
from reel.web.live.recorder import client, rig_status
from reel.web.machine.models import Speed, this_machine
from reel.web.rigs.homefiles import sample_path
from reel.web.rigs.models import Rig

BENCH = "bench"
CELL_S = 2.5
# Headroom under this is warned of: a busy scene, or another program, takes the rest.
SAFE = 1.3
# The part of the work in which the rig's own size is done; the rest is for smaller ones.
_OWN_SIZE_PART = 0.7
_SIGNAL_S = 15.0
# How often the recorder is told that a rig is measured.
_KEPT_S = 1.0
Cell = tuple[VideoCodec, str]


def cells() -> list[Cell]:
    """Return every codec with each of its efforts or profiles, "" where it has neither."""
    return [
        (codec, choice.name if choice else "")
        for codec, facts in CODECS.items()
        for choice in facts.efforts or facts.profiles or (None,)
    ]


def cell_plan(setup: RigSetup, cell: Cell, mode: Mode | None = None) -> FilePlan:
    """What a rig's file would be with a cell's codec, at the quality that is usual for it, and at another size."""
    codec, choice = cell
    facts = CODECS[codec]
    default = next(
        (kind for kind in (RateKind.QUALITY, RateKind.QUANTISER) if kind in facts.rates),
        facts.rates[0],
    )
    has_efforts = bool(facts.efforts)
    wanted = replace(
        setup.recipe.draft,
        codec=codec,
        rate=default_rate(default, facts),
        effort=choice if has_efforts else "",
        profile="" if has_efforts else choice,
        level="",
    )
    frame = replace(setup.frame, mode=mode or setup.frame.mode)
    return file_plan(replace(setup, recipe=resolve(wanted), frame=frame))


@job_kind(BENCH, label="Measuring this machine", lane=Lane.LONG, priority=1, while_rolling=WhileRolling.BEGINS_ANEW)
def bench(asked: Subject, progress: Progress) -> None:
    """Measure every cell with a rig's picture; a rig that is gone needs none.

    What does not keep up with the rig's size is measured at the next smaller ones too. Meanwhile the recorder reads,
    composes and mixes as while the rig rolls: what is left beside that is what encoding has.
    """
    rig = Rig.objects.filter(pk=asked.subject).first()
    if rig is None:
        return
    progress(0)
    path = sample_path(rig)
    take_fresh_sample(rig, path)
    setup, sample = rig.plan, Sample(path)
    own, keep = setup.frame.mode, _as_while_rolling(rig)

    def go_on(part: float) -> None:
        progress(part)
        keep()

    slow = _measure_all(setup, own, cells(), sample, _stretch(go_on, 0, _OWN_SIZE_PART))
    others = smaller(own)
    span = (1 - _OWN_SIZE_PART) / max(1, len(others))
    for number, mode in enumerate(others):
        stretch = _stretch(go_on, _OWN_SIZE_PART + number * span, span)
        slow = _measure_all(setup, mode, slow, sample, stretch)


def _stretch(progress: Callable[[float], None], at: float, span: float) -> Callable[[float], None]:
    """Return the progress of a stretch of the whole work."""
    return lambda part: progress(at + part * span)


def _as_while_rolling(rig: Rig) -> Callable[[], None]:
    """What, called now and then, has the recorder compose every frame of a rig; a rig that can't be opened rests.

    Frames are composed for what was before the press, so that is set for a second where the rig has none.
    """
    opening, asked_s = rig.opening, -math.inf
    roll = opening.setup.roll
    roll = roll if roll.reach_back_s else replace(roll, reach_back_s=1)
    opening = replace(opening, setup=replace(opening.setup, roll=roll), viewer="bench")

    def keep() -> None:
        nonlocal asked_s
        if time.monotonic() - asked_s >= _KEPT_S:
            asked_s = time.monotonic()
            with suppress(ReelError):
                client().ask(opening)

    return keep


def take_fresh_sample(rig: Rig, path: Path) -> None:
    """Record two seconds of what arrives; where that can't be done, one of before will do. Raises ReelError.

    Where something rolls, is to, or takes one just now, it raises BeginAnewError.
    """
    try:
        _await_signal(rig)
        client().ask(TakeSample(rig_id=rig.pk, path=str(path)))
    except NotNowError as error:
        raise BeginAnewError(str(error)) from error
    except ReelError:
        if not path.exists():
            raise


def _await_signal(rig: Rig) -> None:
    """Wait until a rig's picture comes; raises UnreachableError, RefusedError when it does not."""
    deadline_s = time.monotonic() + _SIGNAL_S
    while True:
        missing: ReelError = RefusedError(f"No signal of {rig.name} came in {_SIGNAL_S:.0f} s; nothing was measured.")
        try:
            if _arrives(rig):
                return
        except UnreachableError as error:  # it may be starting
            missing = error
        if time.monotonic() > deadline_s:
            raise missing
        time.sleep(0.2)


def _arrives(rig: Rig) -> bool:
    """Keep a rig open, and say whether its picture has come."""
    found = rig_status(client().ask(rig.opening).status, rig.pk)
    return found is not None and found.picture.signal is not None and bool(found.picture.watched.per_s)


def _measure_all(
    setup: RigSetup, mode: Mode, todo: Sequence[Cell], sample: Sample, progress: Callable[[float], None]
) -> list[Cell]:
    """Measure cells at a size; gives those that do not keep up there."""
    slow = []
    for number, cell in enumerate(todo):
        part = number / len(todo)
        progress(part)
        plan = cell_plan(setup, cell, mode)
        per_s = _measure(plan, cell, sample, partial(progress, part))
        if per_s is not None and headroom(per_s, plan) < SAFE:
            slow.append(cell)
    return slow


def headroom(pictures_per_s: float, plan: FilePlan) -> float:
    """Return how many times faster than a plan needs it pictures are encoded."""
    return pictures_per_s / float(plan.frame.rate / plan.lapse)


def _measure(plan: FilePlan, cell: Cell, sample: Sample, go_on: Callable[[], None]) -> float | None:
    """Measure a cell and keep it; returns its pictures a second, None where it can't be encoded."""
    found: dict[str, object] = {"pictures_per_s": None, "bits_per_picture": None, "problem": ""}
    found["samples"] = plan.recipe.samples
    speed = None
    try:
        plan.check()
        speed = measure_speed(plan, sample.frames(plan), seconds=CELL_S, go_on=go_on)
        found |= {"pictures_per_s": speed.pictures_per_s, "bits_per_picture": speed.bits_per_picture}
    except (MediaError, ValueError) as error:
        found["problem"] = str(error)
    Speed.objects.update_or_create(
        machine=this_machine(),
        codec=cell[0].value,
        choice=cell[1],
        width_px=plan.frame.width_px,
        height_px=plan.frame.height_px,
        defaults=found,
    )
    return speed.pictures_per_s if speed is not None else None
