"""Fernhollow's takes: really recorded, on the virtual clock."""

import datetime
import itertools
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from django.conf import settings
from django.utils import timezone

from reel.core.file import FilePlan
from reel.core.media import Shelf
from reel.core.offload import Folder
from reel.core.roll import CutBy
from reel.recorder.clock import VirtualClock
from reel.recorder.inputs.drivers import openers_for
from reel.recorder.rig.source import Source
from reel.recorder.virtual import record
from reel.standins.scenario import Fault, Scenario
from reel.standins.trouble import Trouble
from reel.web.jobs.kinds import Progress
from reel.web.jobs.running import run_here
from reel.web.rigs.models import Rig
from reel.web.takes import actions as takes
from reel.web.takes import binning, bringing, choosing
from reel.web.takes.files import IncomingSource
from reel.web.takes.models import PROVE, RESCUE, Mark, Take
from reel.web.takes.pointing import look_for_missing
from reel.web.takes.proving import path_of, prove_part

DAYS, TAKES = 14, 32
# What was recorded, again and again: the rig, how many seconds, what is said of it.
_EVENINGS = (
    ("Moss & Stone, console", 3, "chapter two", "The moon garden, second try"),
    ("Potting bench, camera", 2, "bench", ""),
    ("Greenhouse camera, feed", 3, "greenhouse", "Night, lamps off"),
    ("Moss & Stone, console", 2, "chapter two", ""),
    ("Potting bench, camera", 3, "bench", "Seedlings, close"),
)


def record_take(
    rig: Rig, started: datetime.datetime, rolled_s: list[tuple[float, float]], *, is_trial: bool = False,
    troubles: Sequence[Trouble] = (), **more: Any,
) -> Take:  # fmt: skip
    """Record a take of a rig and prove it."""
    setup, clock = rig.plan, VirtualClock(timezone.localtime(started))
    home = settings.HOME
    openers = openers_for(setup, rig.scenarios, home.feeds, clock.now_ns, None, troubles)
    taken = record(setup, openers, Shelf(home.shelf), rig_name=rig.name, rolled_s=rolled_s, clock=clock, **more)
    take = _stored(rig, started, taken.path.name, taken.plan, is_trial=is_trial)
    Mark.objects.bulk_create(Mark(take=take, tick=mark.tick, label=mark.label, kind=mark.kind) for mark in taken.marks)
    files = [
        takes.ClosedFile(file_name=part.path.name, first_tick=part.first_tick, counts=part.counts)
        for part in taken.parts
    ]
    takes.close(take, files, counts=taken.counts, prove=False, ended_by=CutBy.LENGTH if is_trial else CutBy.PERSON)
    for part in take.all_parts:
        prove_part(part, lambda done: None)
    return take


def _stored(rig: Rig, started: datetime.datetime, file_name: str, plan: FilePlan, *, is_trial: bool = False) -> Take:
    number = Path(file_name).stem.rpartition("_")[2].partition(".")[0]
    return takes.begin(
        rig_id=rig.pk,
        rig_name=rig.name,
        name=f"{rig.name} {number}",
        file_name=file_name,
        setup=rig.plan,
        started_at=started,
        tracks=list(plan.tracks),
        is_trial=is_trial,
    )


def record_killed(rig: Rig, started: datetime.datetime) -> None:
    """Leave what a recorder that is killed in the fourth second leaves, and repair it as the next start does."""
    left: list[bytes] = []
    shelf = settings.HOME.shelf

    def copy(source: Source) -> None:
        left.extend(path.read_bytes() for path in shelf.glob("*.rolling.*"))

    setup, clock = rig.plan, VirtualClock(timezone.localtime(started))
    openers = openers_for(setup, rig.scenarios, settings.HOME.feeds, clock.now_ns)
    killed = record(setup, openers, Shelf(shelf), rig_name=rig.name, rolled_s=[(0, 5)], does_s=[(4, copy)], clock=clock)
    killed.path.unlink()
    rolling = killed.path.with_suffix(f".rolling{killed.path.suffix}")
    rolling.write_bytes(left[0])
    take = _stored(rig, started, rolling.name, killed.plan)
    takes.recover_interrupted({take.pk: 4.0})
    part = take.all_parts[0]
    run_here(RESCUE, part.pk)
    run_here(PROVE, part.pk)


def fill_shelf(progress: Progress) -> None:
    """Record two weeks of takes, the latest first; one goes to the bin, the file of another is lost."""
    rigs = {rig.name: rig for rig in Rig.objects.all()}
    now, made = timezone.now(), list[Take]()
    for number, (name, length_s, tag, note) in zip(range(TAKES), itertools.cycle(_EVENINGS), strict=False):
        if name not in rigs:
            continue  # somebody deleted it
        ago = datetime.timedelta(days=1 + number * DAYS / TAKES, minutes=37 * number % 240)
        faulty = [Trouble(Scenario())] if number % 8 == 3 else []
        does = [(1.0, _pull(faulty[0])), (1.5, _plug(faulty[0]))] if faulty else []
        take = record_take(rigs[name], now - ago, [(0, length_s)], troubles=faulty, does_s=does)
        choosing.note(take, note, tag)
        made.append(take)
        progress((number + 1) / (TAKES + 2))
    choosing.set_good([take.pk for take in made[::6]], is_good=True)
    _bring_in(settings.HOME.feeds)
    if len(made) > 9:
        binning.to_bin([made[4].pk])
        path_of(made[9].first).unlink()
        look_for_missing()
    progress(1.0)


def _bring_in(folder: Path) -> None:
    storage = Folder(folder)
    bringing.ask_for_files(IncomingSource.FOLDER, str(folder), storage.files()[:1])


def _pull(trouble: Trouble) -> Any:
    return lambda source: trouble.begin(Fault.PULLED, 0)


def _plug(trouble: Trouble) -> Any:
    return lambda source: trouble.end()
