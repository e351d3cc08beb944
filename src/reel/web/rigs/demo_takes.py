"""Fernhollow's takes: really recorded, on the virtual clock."""

import datetime
import itertools
from collections.abc import Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from django.conf import settings
from django.utils import timezone

from reel.core.file import FilePlan
from reel.core.frame import Arrangement, Caption, Piece, Place
from reel.core.line import Camera, DeviceKind, RigSetup, Simulated, propose_input
from reel.core.media import Shelf
from reel.core.offload import Folder
from reel.core.roll import CutBy
from reel.core.signal import NS, Mode
from reel.core.sound import SoundSetup, TrackSetup
from reel.recorder.clock import VirtualClock
from reel.recorder.inputs.drivers import openers_for
from reel.recorder.rig.source import Source
from reel.recorder.virtual import record
from reel.standins.room import Claps
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
# The part of the work that the short takes are.
_SHORT_PART = 0.4
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
    troubles: Sequence[Trouble] = (), claps: Claps | None = None, setup: RigSetup | None = None, **more: Any,
) -> Take:  # fmt: skip
    """Record a take of a rig, as it is or as it was set up then, and prove it."""
    setup, clock = setup or rig.plan, VirtualClock(timezone.localtime(started))
    home = settings.HOME
    openers = openers_for(setup, rig.scenarios, home.feeds, clock.now_ns, claps, troubles)
    taken = record(setup, openers, Shelf(home.shelf), rig_name=rig.name, rolled_s=rolled_s, clock=clock, **more)
    take = _stored(rig, setup, started, taken.path.name, taken.plan, is_trial=is_trial)
    Mark.objects.bulk_create(Mark(take=take, tick=mark.tick, label=mark.label, kind=mark.kind) for mark in taken.marks)
    files = [
        takes.ClosedFile(file_name=part.path.name, first_tick=part.first_tick, counts=part.counts)
        for part in taken.parts
    ]
    takes.close(take, files, counts=taken.counts, prove=False, ended_by=CutBy.LENGTH if is_trial else CutBy.PERSON)
    for part in take.all_parts:
        prove_part(part, lambda done: None)
    return take


def _stored(
    rig: Rig, setup: RigSetup, started: datetime.datetime, file_name: str, plan: FilePlan, *, is_trial: bool = False
) -> Take:
    number = Path(file_name).stem.rpartition("_")[2].partition(".")[0]
    return takes.begin(
        rig_id=rig.pk,
        rig_name=rig.name,
        name=f"{rig.name} {number}",
        file_name=file_name,
        setup=setup,
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
    take = _stored(rig, setup, started, rolling.name, killed.plan)
    takes.recover_interrupted({take.pk: 4.0})
    part = take.all_parts[0]
    run_here(RESCUE, part.pk)
    run_here(PROVE, part.pk)


# The long evening: what happens in it, and when, in seconds.
_EVENING_S = 600
_BLACK_S, _CARD_S, _PULLED_S, _SILENT_S = (90, 105), (300, 330), ((497.0, 497.3), (540.0, 540.1)), (400, 430)
_CLAPS_S = (188.0, 190.2, 193.1)
_EVENING_MARKS = ((45, "lamps on"), (130, "first visitor"), (260, "moss, close"), (485, "lamps off"))


def record_evening(rig: Rig, started: datetime.datetime, progress: Progress, *, times: float = 1.0) -> Take:
    """Record ten minutes of a camera at half its file's rate, in which all happens that is drawn along a take.

    It falls black, shows a card, loses frames; one microphone clips while somebody claps, and is unplugged; its backup
    hears on. So many `times` its length is recorded.
    """
    picture = rig.plan.picture
    assert isinstance(picture.device, Camera)
    slow = replace(picture.device, mode=Mode.parse("640x480p30"))
    inputs = [replace(picture, device=slow)]
    for number, (name, level_db) in enumerate((("Bench microphone", 11.5), ("Backup microphone", 0.0)), start=2):
        sound = SoundSetup(level_db=level_db, tracks=(number,))
        inputs.append(
            replace(propose_input(DeviceKind.MICROPHONE), name=name, origin=Simulated(device=name), sound=sound)
        )
    card = Piece(overlay=Caption(text="Back in a moment"), place=Place(x_px=160, y_px=150, width_px=320, height_px=60))
    arrangements = (
        Arrangement(name="The bench"),
        Arrangement(name="Nothing", pieces=(Piece(opacity=0),)),
        Arrangement(name="A card", pieces=(card,)),
    )
    setup = replace(
        rig.plan,
        inputs=tuple(inputs),
        frame=replace(rig.plan.frame, mode=Mode.parse("640x360p60"), arrangements=arrangements),
        tracks=tuple(TrackSetup(name=name) for name in ("bench", "voice", "backup")),
        recipe=replace(rig.plan.recipe, effort="ultrafast"),
    )
    cable, microphone = (Trouble(Scenario()) for _ in range(2))
    claps = Claps()
    claps.moments_ns = tuple(round(at_s * times * NS) for at_s in _CLAPS_S)
    does: list[tuple[float, Any]] = [
        (at_s, lambda source, at_s=at_s: progress(at_s / _EVENING_S)) for at_s in range(5, _EVENING_S, 5)
    ]
    for place, (from_s, to_s) in ((1, _BLACK_S), (2, _CARD_S)):
        does += [(from_s, _arrange(place)), (to_s, _arrange(0))]
    for trouble, (begin_s, end_s) in (*((cable, one) for one in _PULLED_S), (microphone, _SILENT_S)):
        does += [(begin_s, _pull(trouble)), (end_s, _plug(trouble))]
    return record_take(
        rig, started, [(0, _EVENING_S * times)], setup=setup, troubles=(cable, microphone), claps=claps,
        marks_s=[(at_s * times, label) for at_s, label in _EVENING_MARKS],
        does_s=[(at_s * times, deed) for at_s, deed in does],
    )  # fmt: skip


def fill_shelf(progress: Progress) -> None:
    """Record two weeks of takes, the latest first; one goes to the bin, the file of another is lost. One is long."""
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
        progress((number + 1) / TAKES * _SHORT_PART)
    choosing.set_good([take.pk for take in made[::6]], is_good=True)
    _bring_in(settings.HOME.feeds)
    if len(made) > 9:
        binning.to_bin([made[4].pk])
        path_of(made[9].first).unlink()
        look_for_missing()
    if "Potting bench, camera" in rigs:
        evening = record_evening(
            rigs["Potting bench, camera"],
            now - datetime.timedelta(days=3, hours=2),
            lambda part: progress(_SHORT_PART + part * (1 - _SHORT_PART)),
        )
        choosing.note(evening, "The whole evening, ten minutes", "bench")
    progress(1.0)


def _bring_in(folder: Path) -> None:
    storage = Folder(folder)
    bringing.ask_for_files(IncomingSource.FOLDER, str(folder), storage.files()[:1])


def _arrange(place: int) -> Any:
    return lambda source: source.arrange(place)


def _pull(trouble: Trouble) -> Any:
    return lambda source: trouble.begin(Fault.PULLED, 0)


def _plug(trouble: Trouble) -> Any:
    return lambda source: trouble.end()
