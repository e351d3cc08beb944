"""What a file costs whose size the picture decides: estimated from two seconds of it, until a take says it."""

import os
from dataclasses import replace
from pathlib import Path
from tempfile import TemporaryDirectory
from unittest.mock import patch

from django.test import TestCase
from django.urls import reverse

from reel.core.file import ConstantBitrate, ConstantQuality, Lossless, VideoCodec, resolve
from reel.core.line import DeviceKind, file_plan, propose
from reel.core.media import PartWriter, probe
from reel.core.media.tests.clips import picture
from reel.recorder.messages import RefusedError
from reel.web.jobs.kinds import Subject
from reel.web.jobs.models import Job, JobState
from reel.web.jobs.running import run_here
from reel.web.rigs import estimating
from reel.web.rigs.actions import make_rig
from reel.web.rigs.benching import sample_path
from reel.web.rigs.estimating import ESTIMATE, ask, is_needed, picture_bits
from reel.web.rigs.models import Estimate
from reel.web.rigs.tests.test_bench import FIELDS, HTMX, sample_of
from reel.web.stages.costs import cost_of
from reel.web.takes.tests.home import HomeMixin


class EstimateTests(HomeMixin, TestCase):
    def setUp(self):
        super().setUp()
        self.rig = make_rig("Potting bench", propose(DeviceKind.CAMERA))
        self.address = reverse("stages:estimate", args=[self.rig.pk])

    def estimated(self, setup, pictures=60):
        found = ask(self.rig, setup)
        with patch.object(estimating, "take_fresh_sample", sample_of(pictures)):
            job = run_here(ESTIMATE, found.pk)
        self.assertEqual((job.state, job.problem), (JobState.DONE, ""))
        return picture_bits(self.rig, setup)

    def with_recipe(self, **changes):
        return replace(self.rig.plan, recipe=resolve(replace(self.rig.plan.recipe.draft, **changes)))

    def test_an_estimate_is_what_a_file_of_these_pictures_takes(self):
        for changes in (
            {"rate": ConstantQuality(quality=24)},
            {"codec": VideoCodec.MPEG2},
            {"codec": VideoCodec.FFV1, "rate": Lossless()},
        ):
            setup = self.with_recipe(**changes)
            plan = file_plan(setup)
            with self.subTest(setup.recipe.label), TemporaryDirectory() as folder:
                bits = self.estimated(setup)
                written = Path(folder) / f"written.{plan.recipe.suffix}"
                with PartWriter(written, plan) as writer:
                    for tick in range(60):
                        writer.write_picture(picture(tick, 1280, 720), tick)
                self.assertAlmostEqual(bits / (probe(written).video.bitrate_bps / 30), 1, delta=0.15)

    def test_only_what_the_picture_decides_is_estimated_and_another_name_or_part_is_the_same(self):
        self.assertTrue(is_needed(file_plan(self.rig.plan)))
        self.assertFalse(is_needed(file_plan(self.with_recipe(rate=ConstantBitrate(bitrate_bps=2_000_000)))))
        bits = self.estimated(self.rig.plan, pictures=4)
        self.assertGreater(bits, 1000)
        recipe = self.rig.plan.recipe
        alike = replace(recipe, name_pattern="bed_{number}", part_minutes=5)
        self.assertEqual(picture_bits(self.rig, replace(self.rig.plan, recipe=alike)), bits)
        for changes in ({"rate": ConstantQuality(quality=21)}, {"effort": "fast"}, {"tune": "grain"}, {"b_frames": 1}):
            other = replace(self.rig.plan, recipe=replace(recipe, **changes))
            self.assertIsNone(picture_bits(self.rig, other), changes)
        cropped = replace(self.rig.plan, frame=replace(self.rig.plan.frame, ground="#102030"))
        self.assertIsNone(picture_bits(self.rig, cropped), "it was of another frame")

    def test_the_page_asks_for_it_says_how_far_it_is_and_what_it_came_to(self):
        file = reverse("stages:stage", args=[self.rig.pk, "file"])
        self.client.post(file, {"codec": "h264", "effort": "superfast", **FIELDS})
        said = self.client.post(self.address, headers=HTMX)
        self.assertContains(said, "two seconds are being encoded")
        self.assertContains(said, "load delay:1s")
        self.client.post(self.address, headers=HTMX)
        (job,) = Job.objects.filter(kind=ESTIMATE)
        with patch.object(estimating, "take_fresh_sample", sample_of(4)):
            run_here(ESTIMATE, job.subject)
        said = self.client.get(self.address, headers=HTMX)
        self.assertContains(said, "Estimated from two seconds of this rig")
        self.assertNotContains(said, "load delay:1s")
        other = self.client.post(file, {"touched": "number", "number": "30"}, headers=HTMX)
        self.assertContains(other, "Record a trial on Roll to measure it")
        self.client.post(reverse("stages:undo", args=[self.rig.pk, "file"]))
        self.rig.refresh_from_db()
        self.assertTrue(cost_of(self.rig).estimated)
        page = self.client.get(reverse("stages:stage", args=[self.rig.pk, "roll"]))
        self.assertContains(page, "Time left")
        self.assertContains(page, "B/h", msg_prefix="the line says it too")

    def test_what_fails_says_why_and_is_asked_for_again(self):
        found = ask(self.rig, self.rig.plan)
        with patch.object(estimating, "take_fresh_sample", side_effect=RefusedError("No signal came.")):
            job = run_here(ESTIMATE, found.pk)
        self.assertEqual((job.state, job.problem), (JobState.FAILED, "No signal came."))
        said = self.client.get(self.address, headers=HTMX)
        self.assertContains(said, "No estimate: No signal came.")
        self.assertContains(said, "try again")
        self.client.post(self.address, headers=HTMX)
        self.assertEqual(Job.objects.filter(kind=ESTIMATE).count(), 2)

    def test_a_sample_that_is_fresh_is_taken_again_and_few_estimates_are_kept(self):
        path = sample_path(self.rig)
        sample_of(2)(self.rig, path)
        found = ask(self.rig, self.rig.plan)
        with patch.object(estimating, "take_fresh_sample", side_effect=RefusedError("asked")) as take:
            self.assertEqual(run_here(ESTIMATE, found.pk).state, JobState.DONE)
            self.assertEqual(take.call_count, 0)
            os.utime(path, (0, 0))
            Job.objects.all().delete()
            self.assertEqual(run_here(ESTIMATE, found.pk).state, JobState.FAILED, "it is too old")
        for quality in range(45):
            ask(self.rig, self.with_recipe(rate=ConstantQuality(quality=1 + quality)))
        self.assertEqual(Estimate.objects.count(), 40)
        self.assertIsNotNone(estimating.estimate_of(self.rig, self.with_recipe(rate=ConstantQuality(quality=45))))
        self.rig.delete()
        estimating.estimate(Subject(subject=found.pk), lambda part: None)  # a rig that is gone needs none
