"""Shelves on several drives: added, measured, chosen for a rig, refused where they are too slow."""

from pathlib import Path
from unittest.mock import patch

from django.conf import settings
from django.test import TestCase
from django.urls import reverse
from django.utils import timezone

from reel.core.file import ConstantBitrate, Recipe
from reel.core.line.tests.rigs import feed
from reel.core.measure import Counts
from reel.core.media import MediaError, Shelf, write_speed
from reel.core.media.shelf import OWN_FILE
from reel.core.media.tests.clips import FRAME
from reel.recorder.messages import RefusedError
from reel.web.jobs.running import run_waiting
from reel.web.machine.models import ShelfPlace
from reel.web.machine.shelves import home_place
from reel.web.rigs.actions import duplicate, make_rig, refuse_slow_drive
from reel.web.stages.costs import cost_of
from reel.web.stages.edits import set_shelf
from reel.web.takes import actions
from reel.web.takes.proving import path_of
from reel.web.takes.tests.home import HomeMixin


class ShelfTests(HomeMixin, TestCase):
    def setUp(self):
        super().setUp()
        self.drive = Path(settings.HOME.root / "drive")
        self.drive.mkdir()

    def add(self, name="Fast drive", folder=None):
        return self.client.post(reverse("machine:index"), {"name": name, "folder": folder or str(self.drive)})

    def test_a_folder_is_added_measured_chosen_and_taken_off_with_its_takes_left_alone(self):
        self.assertRedirects(self.add(), reverse("machine:index"))
        with patch("reel.core.media.drive.MAX_BYTES", 16_000_000):
            run_waiting()
        place = ShelfPlace.objects.get(name="Fast drive")
        self.assertGreater(place.write_bps, 1_000_000)
        self.assertEqual([one.name for one in self.drive.iterdir()], [OWN_FILE], "nothing is left of measuring")
        rig = make_rig("Moss", feed("garden.mp4", FRAME))
        self.client.post(reverse("stages:shelf", args=[rig.pk]), {"shelf": place.pk})
        rig.refresh_from_db()
        self.assertEqual(rig.to_roll.folder, str(self.drive))
        take = actions.begin(
            rig_id=rig.pk, rig_name="Moss", name="Moss 001", file_name="a.mp4", setup=rig.plan,
            started_at=timezone.now(), folder=rig.to_roll.folder,
        )  # fmt: skip
        refused = self.client.post(reverse("machine:remove", args=[place.pk]))
        self.assertContains(refused, "Moss write to it", status_code=409)
        actions.close(take, [], counts=Counts(), prove=False)
        set_shelf(rig, None, None)
        self.client.post(reverse("machine:remove", args=[place.pk]))
        rig.refresh_from_db()
        self.assertEqual((rig.to_roll.folder, path_of(take.first)), ("", self.drive / "a.mp4"))

    def test_what_can_not_be_a_shelf_is_refused_with_its_reason(self):
        closed = self.drive / "closed"
        closed.write_text("a file")
        loop = self.drive / "loop"
        loop.symlink_to(loop)
        home = settings.HOME
        for folder, said in (
            ("drive", "whole path"), ("/nowhere", "no such folder"), (str(closed), "no such folder"),
            ("~nosuchuser/takes", "no such folder"), (str(loop), "no such folder"), ("/x" * 150, "no such folder"),
            ("/" + "n" * 300, "no such folder"), ("/x" * 3000, "400 characters"), ("/dev", "system"),
            (str(home.root), "of its own"), (str(home.run), "of its own"), (str(home.feeds), "of its own"),
            (str(home.cache), "of its own"),
        ):  # fmt: skip
            with self.subTest(folder[:40]):
                response = self.add(folder=folder)
                self.assertContains(response, said, status_code=422)
                self.assertContains(response, folder[:80], status_code=422)
        self.assertContains(self.add(name="n" * 300), "60", status_code=422)
        self.add()
        self.assertContains(self.add("Other"), "already", status_code=422)
        self.client.get(reverse("machine:index"))
        response = self.client.post(reverse("machine:remove", args=[home_place().pk]))
        self.assertContains(response, "stays", status_code=409)

    def test_a_drive_that_is_not_there_while_its_folder_is_takes_nothing_and_loses_nothing(self):
        """It is known by a file of its own: what was unmounted leaves an empty folder."""
        self.add()
        rig, place = make_rig("Moss", feed("garden.mp4", FRAME)), ShelfPlace.objects.get(name="Fast drive")
        set_shelf(rig, place, None)
        asked = rig.to_roll
        shelf = Shelf(Path(asked.folder), asked.shelf_key)
        shelf.check(0)
        take = actions.begin(
            rig_id=rig.pk, rig_name="Moss", name="Moss 001", file_name="a.mp4", setup=rig.plan,
            started_at=timezone.now(), folder=asked.folder, shelf_key=asked.shelf_key,
        )  # fmt: skip
        actions.close(take, [], counts=Counts(), prove=False)
        (self.drive / OWN_FILE).rename(home_file := settings.HOME.root / "away")
        for refused in (lambda: shelf.check(0), lambda: actions.delete(take)):
            with self.assertRaisesRegex(MediaError, "not the drive"):
                refused()
        self.assertContains(self.client.get(reverse("stages:stage", args=[rig.pk, "roll"])), "not the drive")
        home_file.rename(self.drive / OWN_FILE)
        actions.delete(take)
        self.drive.joinpath(OWN_FILE).unlink()
        self.drive.rmdir()
        with self.assertRaisesRegex(MediaError, "can't be reached"):
            shelf.check(0)

    def test_the_home_s_shelf_may_be_a_folder_that_is_listed(self):
        self.add()
        with patch.dict("os.environ", {"REEL_SHELF": str(self.drive)}):
            for address in (reverse("machine:index"), reverse("rigs:index"), reverse("takes:index")):
                self.assertEqual(self.client.get(address).status_code, 200)
            self.assertEqual(home_place().name, "Fast drive")
        self.assertEqual(home_place().folder, str(settings.HOME.shelf))

    def test_a_copy_of_a_rig_keeps_its_shelf(self):
        self.add()
        rig, place = make_rig("Moss", feed("garden.mp4", FRAME)), ShelfPlace.objects.get(name="Fast drive")
        set_shelf(rig, place, None)
        copy = duplicate(rig)
        copy.refresh_from_db()
        self.assertEqual(copy.shelf, place)

    def test_a_recipe_that_needs_more_than_the_drive_writes_does_not_roll(self):
        rig = make_rig("Moss", feed("garden.mp4", FRAME, Recipe(rate=ConstantBitrate(bitrate_bps=50_000_000))))
        place = ShelfPlace.objects.create(name="Slow stick", folder=str(self.drive), write_bps=40_000_000.0)
        refuse_slow_drive(rig, cost_of(rig))  # the home's shelf was not measured
        set_shelf(rig, place, None)
        with self.assertRaises(RefusedError) as raised:
            refuse_slow_drive(rig, cost_of(rig))
        self.assertIn("needs 50.2 Mb/s, and “Slow stick” writes 40.0 Mb/s", str(raised.exception))
        page = self.client.get(reverse("stages:stage", args=[rig.pk, "file"]))
        self.assertContains(page, "Drive write speed")

    def test_a_drive_without_room_is_said(self):
        with patch("os.statvfs") as stat, self.assertRaises(MediaError) as raised:
            stat.return_value.f_bavail, stat.return_value.f_frsize = 10, 4096
            write_speed(self.drive)
        self.assertIn("too little room", str(raised.exception))

    def test_hardware_encoders_are_opened_to_find_out(self):
        page = self.client.get(reverse("machine:hardware"))
        self.assertContains(page, "H.264, h264_nvenc")
        said = [page.content.count(words) for words in (b"not here:", b"not part of", b"works here")]
        self.assertEqual(page.content.count(b"<tr>"), sum(said))
