"""Changes of a rig from its pages: stored at once, beside those of other windows, and undone from any of them."""

import random
from dataclasses import replace

from django.test import TestCase
from django.urls import reverse

from reel.core.frame import FrameSetup
from reel.core.line import DeviceKind, propose, write_rig
from reel.core.line.tests.rigs import feed
from reel.core.signal import Mode
from reel.web.rigs.actions import import_rig, make_rig
from reel.web.rigs.models import Rig

HTMX = {"HX-Request": "true"}
# A field of each stage, with values that it may have.
TOUCHED = (
    ("device", "mode", ("1280x720p30", "1920x1080p60", "1280x720p60")),
    ("device", "matrix", ("601", "709", "2020")),
    ("frame", "size", ("640×360", "1280×720", "960×540")),
    ("frame", "rate", ("24", "25", "30")),
    ("arrival", "range", ("", "full", "limited")),
    ("file", "effort", ("superfast", "veryfast", "fast")),
    ("file", "part_minutes", ("5", "30", "60")),
    ("file", "number", ("18", "22", "27")),
    ("roll", "countdown_s", ("0", "3", "5")),
    ("strip", "level_db", ("-6.0", "0.0", "3.0")),
)


class StoringTests(TestCase):
    def setUp(self):
        setup = replace(propose(DeviceKind.CONSOLE), frame=FrameSetup(mode=Mode.parse("1280x720p30")))
        self.rig = make_rig("Moss & Stone", setup)

    def address(self, stage):
        if stage == "strip":
            return reverse("stages:strip", args=[self.rig.pk])
        return reverse("stages:stage", args=[self.rig.pk, stage])

    def touch(self, stage="file", **fields):
        """Store what a page sends where some fields were touched."""
        return self.client.post(self.address(stage), fields | {"touched": list(fields)}, headers=HTMX)

    def test_two_windows_lose_nothing_of_each_other(self):
        """Each changes a field of its own, in any order: both are there, and both can be undone."""
        chosen = random.Random(11)
        for _ in range(100):
            pair = chosen.sample(TOUCHED, 2)
            before = Rig.objects.get().plan
            for stage, field, values in pair:
                self.assertEqual(self.touch(stage, **{field: chosen.choice(values)}).status_code, 200)
            both = Rig.objects.get().plan
            undone = 0
            while Rig.objects.get().plan != before:
                self.client.post(reverse("stages:undo", args=[self.rig.pk, "file"]))
                undone += 1
                self.assertLessEqual(undone, 2)
            for _ in range(undone):
                self.client.post(reverse("stages:undo", args=[self.rig.pk, "file"]), {"again": "1"})
            self.assertEqual(Rig.objects.get().plan, both)

    def test_only_what_was_touched_is_stored(self):
        """Another window may have changed the rest meanwhile."""
        self.touch("file", keyframe_s="0.5")
        for stage, field, value in (
            ("file", "number", "25"),
            ("file", "part_minutes", "30"),
            ("device", "mode", "1920x1080p60"),
            ("frame", "rate", "25"),
            ("arrival", "range", "full"),
            ("roll", "countdown_s", "3"),
        ):
            with self.subTest(stage, field=field):
                self.assertEqual(self.touch(stage, **{field: value}).status_code, 200)
        plan = Rig.objects.get().plan
        recipe = plan.recipe
        self.assertEqual((recipe.rate.number, recipe.part_minutes, float(recipe.keyframe_s)), (25, 30, 0.5))
        self.assertEqual((plan.frame.mode.key, plan.roll.countdown_s), ("1280x720p25", 3))
        self.assertEqual((plan.picture.arrival.range, plan.picture.device.mode.key), ("full", "1920x1080p60"))
        self.client.post(self.address("roll"), {"touched": "may_lighten"}, headers=HTMX)
        self.assertEqual(Rig.objects.get().plan.roll.countdown_s, 3, "a box that was ticked off is sent by its name")
        self.assertEqual(self.touch(frame="1").status_code, 200, "what is no field changes nothing")
        self.assertEqual(Rig.objects.get().plan.recipe, recipe)

    def test_a_change_of_any_stage_is_undone_from_any_other(self):
        plans = [Rig.objects.get().plan]
        for stage, field, value in (
            ("device", "mode", "1920x1080p60"),
            ("frame", "size", "640x360"),
            ("file", "effort", "fast"),
            ("roll", "countdown_s", "5"),
        ):
            self.touch(stage, **{field: value})
            plans.append(Rig.objects.get().plan)
        page = self.client.get(self.address("sound"))
        self.assertContains(page, "Roll options")
        undo = reverse("stages:undo", args=[self.rig.pk, "sound"])
        for plan, words in zip(plans[-2::-1], ("Roll options", "Encoder speed", "Frame size", "Device"), strict=True):
            self.assertContains(self.client.post(undo, headers=HTMX), f"Undone: {words}.")
            self.assertEqual(Rig.objects.get().plan, plan)
        self.assertContains(self.client.post(undo, headers=HTMX), "nothing to undo", status_code=409)
        for plan in plans[1:]:
            self.assertRedirects(self.client.post(undo, {"again": "1"}), self.address("sound"))
            self.assertEqual(Rig.objects.get().plan, plan)
        self.client.post(undo)
        self.touch("file", effort="faster")
        self.assertEqual(self.client.post(undo, {"again": "1"}).status_code, 409, "a new change ends what was undone")

    def test_an_address_that_nobody_allowed_comes_back_as_such(self):
        rig = import_rig(write_rig("Far camera", feed("rtsp://camera.invalid:554/garden")))
        device = reverse("stages:stage", args=[rig.pk, "device"])
        self.client.post(device, {"feed": "", "address": "rtsp://127.0.0.1:554/bed", "loop": "on"})
        self.assertTrue(Rig.objects.get(pk=rig.pk).is_asked)
        self.client.post(reverse("stages:undo", args=[rig.pk, "device"]))
        rig.refresh_from_db()
        self.assertEqual((rig.plan.picture.origin.address, rig.is_asked), ("rtsp://camera.invalid:554/garden", False))
        self.client.post(reverse("stages:undo", args=[rig.pk, "device"]), {"again": "1"})
        self.assertTrue(Rig.objects.get(pk=rig.pk).is_asked)
