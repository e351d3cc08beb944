"""A home of its own for each test, and takes in it."""

import tempfile
from pathlib import Path

from django.conf import settings
from django.utils import timezone

from reel.core.file import Container, Recipe
from reel.core.line import Console, file_plan
from reel.core.line.tests.rigs import rig
from reel.core.media.tests.clips import FRAME, write_clip
from reel.core.signal import Mode
from reel.options import Home
from reel.web.takes import actions
from reel.web.takes.proving import prove_part

SETUP = rig(Console(mode=Mode.parse("1280x720p30")), mode=FRAME, recipe=Recipe(container=Container.MKV))


class HomeMixin:
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        home = Home(Path(folder.name))
        home.make()
        self.enterContext(self.settings(HOME=home))


def make_take(name, counts, started_at=None):
    """Make a take of three seconds, of whose frames 40 and 41 are missing, with its proof."""
    take = actions.begin(
        rig_id=None, rig_name="Moss & Stone", name=name, file_name=f"{name}.mkv", setup=SETUP,
        started_at=started_at or timezone.now(), tracks=["Sound"],
    )  # fmt: skip
    write_clip(settings.HOME.shelf / f"{name}.mkv", file_plan(SETUP), [n for n in range(90) if n not in (40, 41)])
    files = [actions.ClosedFile(file_name=f"{name}.mkv", first_tick=0, counts=counts)]
    actions.close(take, files, counts=counts, prove=False)
    prove_part(take.first, lambda part: None)
    take.refresh_from_db()
    return take
