"""Prepares a home: brings the database up to date and, for the demo, fills an empty one."""

import datetime
from collections.abc import Iterator
from dataclasses import replace
from pathlib import Path

from django.conf import settings
from django.core.management import call_command
from django.core.management.base import BaseCommand, CommandParser
from django.db import transaction
from django.utils import timezone

from reel.core.file import Container, Recipe, start_from
from reel.core.frame import FrameSetup
from reel.core.line import DeviceKind, Feed, HopSetup, InputSetup, MediaFile, RigSetup, propose
from reel.core.media import Shelf
from reel.core.signal import Mode
from reel.recorder.rig.source import Source
from reel.recorder.virtual import record
from reel.standins import Assembled, greenhouse_camera
from reel.web.jobs.actions import ask_for
from reel.web.jobs.kinds import Subject
from reel.web.recipes.actions import keep
from reel.web.rigs import demo
from reel.web.rigs.actions import make_rig
from reel.web.rigs.benching import BENCH
from reel.web.rigs.demo_takes import record_killed, record_take
from reel.web.rigs.filling import FILL
from reel.web.rigs.models import Rig
from reel.web.takes.proving import path_of

FEED_NAME = "greenhouse.mp4"


def _other_rigs() -> Iterator[tuple[str, RigSetup]]:
    """Return the other devices of the media room, some of them as a newcomer would plug them in."""
    slow = propose(DeviceKind.CONSOLE, {"hdmi-box"}, Mode.parse("1920x1080p60"))
    yield "Moss & Stone at 60, too much", _with_path(slow, (*slow.picture.path[:-1], HopSetup(model="usb-2")))
    yield "Leafkey, phone", propose(DeviceKind.PHONE)
    yield "Pollen Atlas, tablet", propose(DeviceKind.TABLET, {"receiver-720"})
    yield "Canopy, headset", propose(DeviceKind.HEADSET)
    yield "Opening Day, tape", propose(DeviceKind.DECK, {"analogue-box"})
    yield "Potting bench, camera", propose(DeviceKind.CAMERA)


def _with_path(rig: RigSetup, path: tuple[HopSetup, ...]) -> RigSetup:
    return rig.with_input(0, replace(rig.picture, path=path))


def _feed_rig(frame: Mode, **settings: str) -> RigSetup:
    one = InputSetup(name="Greenhouse camera", device=Feed(), origin=MediaFile(name=FEED_NAME))
    recipe = Recipe(container=Container.MP4, **settings)  # type: ignore[arg-type]
    return RigSetup(inputs=(one,), frame=FrameSetup(mode=frame), recipe=recipe)


class Command(BaseCommand):
    """Migrates the database; with --demo it adds Fernhollow's rigs, a feed and the first takes where there are none.

    With --measure the worker then measures this machine with the first rig's picture; with --shelf it records two
    weeks of takes.
    """

    help = "Bring the home's database up to date; --demo fills an empty one."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--demo", action="store_true")
        parser.add_argument("--measure", action="store_true")
        parser.add_argument("--shelf", action="store_true")

    def handle(self, *args: object, **options: object) -> None:
        call_command("migrate", verbosity=0, interactive=False)
        if options["demo"] and not Rig.objects.exists():
            rig = self._fill()
            if options["shelf"]:
                ask_for(FILL, Subject(subject=rig.pk))
            if options["measure"]:
                ask_for(BENCH, Subject(subject=rig.pk))

    @transaction.atomic
    def _fill(self) -> Rig:
        home = settings.HOME
        rig = make_rig("Moss & Stone, console", propose(DeviceKind.CONSOLE, {"hdmi-box"}))
        make_rig("Greenhouse camera, feed", _feed_rig(Mode.parse("1280x720p25")))
        for name, setup in _other_rigs():
            make_rig(name, setup)
        for name, setup, scenarios in demo.workspaces():
            make_rig(name, setup, scenarios=scenarios)
        for name, purpose in demo.RECIPES.items():
            keep(name, start_from(purpose, Recipe()))
        self._make_feed(home.feeds)
        self._record_takes(rig)
        return rig

    def _make_feed(self, feeds: Path) -> None:
        """Record the feed's file from the stand-in camera: 6 s at 960×540, 25 pictures a second."""
        if (feeds / FEED_NAME).exists():
            return
        frame = Mode.parse("960x540p25")
        taken = record(
            _feed_rig(frame, name_pattern="making_{number}"),
            lambda start_ns: Assembled(greenhouse_camera(frame, start_ns=start_ns)),
            Shelf(feeds),
            rig_name="greenhouse",
            rolled_s=[(0, 6)],
        )
        taken.path.rename(feeds / FEED_NAME)

    def _record_takes(self, console: Rig) -> None:
        """Record the media room's first takes on the virtual clock, and prove them."""
        started = timezone.now()
        marks = [(2, "first bloom"), (4.5, "stone path, good")]
        home = settings.HOME
        console_take = record_take(console, started, [(0, 6)], marks_s=marks)
        bench, feed = (Rig.objects.get(name=name) for name in ("Potting bench, camera", "Greenhouse camera, feed"))
        hour = datetime.timedelta(hours=1)
        record_take(bench, started - hour, [(0, 5)], does_s=[(3, Source.split)], marks_s=[(1, "repotting")])
        for rig in (bench, feed):
            record_take(rig, started - 2 * hour, [(0, 3)], begins_s=0.5)
        record_take(bench, started - 3 * hour, [(0, 4)], is_trial=True)
        record_killed(bench, started - 4 * hour)
        phone = record_take(Rig.objects.get(name="Leafkey, phone"), started - 5 * hour, [(0, 2)])
        demo.fill_phone(home.devices / DeviceKind.PHONE.value, [path_of(phone.first), path_of(console_take.first)])
