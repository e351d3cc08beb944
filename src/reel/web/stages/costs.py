"""What a rig's file costs by a plan, and where it is written."""

import shutil
from collections.abc import Iterator
from contextlib import suppress
from dataclasses import replace
from pathlib import Path

from django.conf import settings

from reel.core.errors import ReelError
from reel.core.file import FilePlan, Forecast, Measured, crash_cost_s, forecast
from reel.core.line import RigSetup, file_plan, heard
from reel.core.measure import is_ruined
from reel.core.media import Shelf
from reel.recorder.messages import RigStatus
from reel.web.jobs.models import Job
from reel.web.machine.shelves import shelf_in
from reel.web.rigs.benching import BENCH
from reel.web.rigs.drawing import lives_of
from reel.web.rigs.estimating import estimate_of, is_needed, job_of, picture_bits
from reel.web.rigs.models import Rig
from reel.web.stages.keeps_up import keeping
from reel.web.takes.models import Take, TakeState

# So many of the latest takes say what another one will cost.
MEASURED_TAKES = 12


def file_costs(rig: Rig, plan: RigSetup, live: RigStatus | None) -> dict[str, object]:
    """Return what a rig's file costs by a plan, and what this machine keeps up with."""
    asked = file_plan(plan, heard(plan, lives_of(plan, live)))
    estimate = estimate_of(rig, plan)
    costs = forecast(asked, measured_rate(rig, plan), estimate.bits_per_picture if estimate else None)
    return {
        "forecast": costs,
        "crash_s": crash_cost_s(asked),
        "estimating": job_of(estimate),
        "estimable": costs is None and is_needed(asked) and live is not None and live.picture.signal is not None,
        **keeps_context(rig, asked),
    }


def keeps_context(rig: Rig, plan: FilePlan) -> dict[str, object]:
    """Return what this machine keeps up with, and the measuring that runs."""
    job = Job.objects.filter(kind=BENCH, subject=rig.pk).first()
    return {
        "keeps": keeping(plan, plan.recipe.draft),
        "bench_job": job if job is not None and job.is_open else None,
        "bench_problem": job.problem if job is not None else "",
    }


def shelf_of_rig(rig: Rig) -> Shelf:
    """Return the shelf that a rig's takes are written to."""
    return shelf_in(rig.shelf.folder if rig.shelf else "")


def room_bytes(rig: Rig) -> int:
    """Return the room that a roll may use: what is free, less the reserve; or all of a device's own storage."""
    storage = own_storage(rig.plan)
    if storage is not None:
        return free_on(storage)
    try:
        return max(0, shelf_of_rig(rig).free_bytes() - settings.RESERVE_BYTES)
    except ReelError:
        return 0


def own_storage(plan: RigSetup) -> Path | None:
    """Return the storage of the device itself, where a rig's takes stay on it."""
    recorder = plan.picture.own_recorder
    if recorder is None or recorder.comes_over:
        return None
    return Path(settings.HOME.devices / plan.picture.device.kind.value)


def free_on(storage: Path) -> int:
    """Return the bytes that are free on a device's storage, also before anything lies there."""
    found = next((place for place in (storage, *storage.parents) if place.exists()), None)
    try:
        return shutil.disk_usage(found).free if found is not None else 0
    except OSError:
        return 0


def shelf_problem(rig: Rig) -> str:
    """Return why nothing can be written to the shelf; "" when it can."""
    try:
        shelf_of_rig(rig).check(settings.RESERVE_BYTES)
    except ReelError as error:
        return str(error)
    return ""


def measured_rate(rig: Rig, plan: RigSetup) -> Measured | None:
    """What this rig's latest takes and trials with the same recipe and frame came to; None before there is one."""
    rates = [take.bitrate_bps for take in alike_takes(rig, plan) if not is_ruined(take.counted)]
    return Measured.of([rate for rate in rates if rate])


def alike_takes(rig: Rig, plan: RigSetup) -> Iterator[Take]:
    """Return a rig's latest takes and trials with the same recipe and frame, the newest first."""
    unlike = {name: getattr(plan.recipe, name) for name in ("name_pattern", "part_minutes", "part_gb")}
    for take in rig.takes.with_parts()[:MEASURED_TAKES]:
        with suppress(ReelError):  # one that can't be read
            asked = take.setup
            is_alike = (replace(asked.recipe, **unlike), asked.frame) == (plan.recipe, plan.frame)
            if is_alike and file_plan(asked).lapse == file_plan(plan).lapse and take.state != TakeState.ROLLING:
                yield take


def cost_of(rig: Rig) -> Forecast | None:
    """Return what a rig's takes cost; None where that is not known yet."""
    plan = rig.plan
    asked = file_plan(plan)
    return forecast(asked, measured_rate(rig, plan), picture_bits(rig, plan))
