"""Estimates: what a file costs whose size the picture decides, from two seconds of a rig's own picture."""

import time
from dataclasses import replace
from fractions import Fraction
from typing import Any

from django.db import transaction

from reel.core.file import DEFAULT_PATTERN, FilePlan, forecast
from reel.core.line import RigSetup, file_plan
from reel.core.media import Sample, measure_speed
from reel.core.wire import from_plain, to_plain
from reel.web.jobs.actions import ask_for
from reel.web.jobs.kinds import Progress, Subject, WhileRolling, job_kind
from reel.web.jobs.models import Job
from reel.web.rigs.benching import take_fresh_sample
from reel.web.rigs.homefiles import sample_path
from reel.web.rigs.models import Estimate, Rig

ESTIMATE = "estimate"
# Encoding a sample may take so long; what has not been encoded by then is not needed.
_MAX_S = 10.0
# A sample that is younger than this is taken as what the rig shows.
_FRESH_S = 60.0
# So many estimates are kept for a rig.
_KEPT = 40


def is_needed(plan: FilePlan) -> bool:
    """Return whether the picture decides what a file by a plan costs."""
    return not plan.recipe.as_sent and forecast(plan) is None


def estimate_of(rig: Rig, setup: RigSetup) -> Estimate | None:
    """Return what was estimated for a rig as it would be set; None before it was asked for."""
    return rig.estimates.filter(of=_subject(setup)).first()


def picture_bits(rig: Rig, setup: RigSetup) -> float | None:
    """Return the bits of a picture as they were estimated; None where they were not."""
    found = estimate_of(rig, setup)
    return found.bits_per_picture if found is not None else None


def job_of(found: Estimate | None) -> Job | None:
    """Return the newest job that makes an estimate."""
    return Job.objects.filter(kind=ESTIMATE, subject=found.pk).first() if found is not None else None


def ask(rig: Rig, setup: RigSetup) -> Estimate:
    """Have an estimate made, unless it is being made; the oldest ones of the rig are forgotten."""
    with transaction.atomic():
        found, _ = Estimate.objects.get_or_create(rig=rig, of=_subject(setup))
        job = job_of(found)
        if job is None or not job.is_open:
            ask_for(ESTIMATE, Subject(subject=found.pk))
        old = rig.estimates.order_by("-pk").values_list("pk", flat=True)[_KEPT:]
        Estimate.objects.filter(pk__in=list(old)).delete()
    return found


@job_kind(ESTIMATE, label="Estimating", while_rolling=WhileRolling.BEGINS_ANEW)
def estimate(asked: Subject, progress: Progress) -> None:
    """Encode two seconds of the rig's picture; an estimate that is gone needs none."""
    found = Estimate.objects.select_related("rig").filter(pk=asked.subject).first()
    if found is None:
        return
    progress(0)
    plan = from_plain(found.of["plan"], FilePlan)
    plan.check()
    path = sample_path(found.rig)
    if not path.exists() or time.time() - path.stat().st_mtime > _FRESH_S:
        take_fresh_sample(found.rig, path)
    frames = Sample(path).frames(plan)
    speed = measure_speed(plan, frames, seconds=_MAX_S, pictures=len(frames), go_on=lambda: progress(0.5))
    Estimate.objects.filter(pk=found.pk).update(bits_per_picture=speed.bits_per_picture)


def _subject(setup: RigSetup) -> dict[str, Any]:
    """Return what an estimate is of: how pictures are encoded, and of what they are made."""
    plan = file_plan(setup)
    recipe = replace(plan.recipe, name_pattern=DEFAULT_PATTERN, part_minutes=0, part_gb=Fraction(0))
    return {"plan": to_plain(replace(plan, recipe=recipe, tracks=())), "frame": to_plain(setup.frame)}
