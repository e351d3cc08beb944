"""`./reel bench-machine`."""

import json
import sys

from django.core.management.base import BaseCommand, CommandParser

from reel.core.file import CODECS, FilePlan, VideoCodec
from reel.core.frame import smaller
from reel.core.line import file_plan
from reel.core.signal import rate_label
from reel.web.jobs.kinds import Subject
from reel.web.machine.models import Speed
from reel.web.rigs.benching import bench, headroom
from reel.web.rigs.models import Rig
from reel.web.roll.here import recorder_here
from reel.web.roll.management.commands.roll import CommandError, find_rig


class Command(BaseCommand):
    """Measures how fast this machine encodes a rig's picture with each codec and effort, and prints it."""

    help = "Measure this machine with a rig's own picture."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("rig", nargs="?", default="")
        parser.add_argument("--json", action="store_true")

    def handle(self, *args: object, rig: str, **options: object) -> None:
        """Measure; what was measured is kept, as the File page's button does it."""
        found = find_rig(rig) if rig else Rig.objects.order_by("pk").first()
        if found is None:
            raise CommandError("There is no rig yet, whose picture could be measured.")
        with recorder_here():
            bench(Subject(subject=found.pk), self._say)
        plan = file_plan(found.plan)
        sizes = (plan.frame, *smaller(plan.frame))
        rows = [row for mode in sizes for row in Speed.objects.here(mode)]
        if options["json"]:
            self.stdout.write(json.dumps([_facts(row, plan) for row in rows], indent=2))
            return
        self.stdout.write(f"{found.name}: {plan.frame.size_label} at {rate_label(plan.frame.rate)}")
        for row in rows:
            self.stdout.write(_words(row, plan))

    def _say(self, part: float) -> None:
        if sys.stderr.isatty():
            self.stderr.write(f"\r{part:4.0%}", ending="")


def _facts(row: Speed, plan: FilePlan) -> dict[str, object]:
    return {
        "codec": row.codec,
        "choice": row.choice,
        "width_px": row.width_px,
        "height_px": row.height_px,
        "samples": row.samples,
        "pictures_per_s": row.pictures_per_s,
        "bits_per_picture": row.bits_per_picture,
        "headroom": row.pictures_per_s and round(headroom(row.pictures_per_s, plan), 3),
        "problem": row.problem,
    }


def _words(row: Speed, plan: FilePlan) -> str:
    name = f"{CODECS[VideoCodec(row.codec)].label} {row.choice}".strip()
    if row.width_px != plan.frame.width_px:
        name = f"{name} at {row.width_px}×{row.height_px}"
    if row.pictures_per_s is None:
        return f"{name:32} {row.problem}"
    times = headroom(row.pictures_per_s, plan)
    return f"{name:32} {row.pictures_per_s:7.1f} pictures/s  {times:6.2f}× of what is needed"
