"""The bench through Django's client and its job: cells, the drawing, what is warned of."""

import random
from dataclasses import replace
from fractions import Fraction
from itertools import combinations
from unittest.mock import Mock, patch

from django.test import TestCase
from django.urls import reverse

from reel.core.errors import ReelError
from reel.core.file import CODECS, Draft, VideoCodec
from reel.core.line import DeviceKind, file_plan, propose
from reel.core.media import PartWriter
from reel.core.media.speed import Speed as MeasuredSpeed
from reel.core.media.tests.clips import picture
from reel.core.signal import Mode
from reel.recorder.messages import NotNowError, UnreachableError
from reel.web.jobs import kinds
from reel.web.jobs.kinds import BeginAnewError, Subject
from reel.web.jobs.models import Job, JobState
from reel.web.jobs.running import run_here
from reel.web.machine.models import Speed, choice_of
from reel.web.rigs import benching
from reel.web.rigs.actions import make_rig
from reel.web.rigs.benching import BENCH, cells, sample_path
from reel.web.stages.keeps_up import BOTTOM, LEFT, RIGHT, TOP, _Box, _box_of, keeping
from reel.web.takes.tests.home import HomeMixin

HTMX = {"HX-Request": "true"}


def sample_of(pictures):
    """What takes a sample of so many pictures that move."""

    def take(rig, path):
        with PartWriter(path, benching.cell_plan(rig.plan, (VideoCodec.FFV1, ""))) as writer:
            for tick in range(pictures):
                writer.write_picture(picture(tick, 1280, 720), tick)

    return take


class BenchTests(HomeMixin, TestCase):
    def setUp(self):
        super().setUp()
        self.rig = make_rig("Potting bench", propose(DeviceKind.CAMERA))
        self.plan = file_plan(self.rig.plan)

    def keep(self, codec, choice, per_s, bits=100_000, samples="4:2:0 8-bit", width_px=1280, height_px=720):
        Speed.objects.create(
            codec=codec, choice=choice, width_px=width_px, height_px=height_px, samples=samples,
            pictures_per_s=per_s, bits_per_picture=bits,
        )  # fmt: skip

    def test_every_cell_is_measured_with_the_rigs_own_picture_and_kept(self):
        with patch.object(benching, "take_fresh_sample", sample_of(3)), patch.object(benching, "CELL_S", 0.001):
            job = run_here(BENCH, self.rig.pk)
            self.assertEqual((job.state, job.problem), (JobState.DONE, ""))
            run_here(BENCH, self.rig.pk)  # done: it is not run again by itself
        rows = {(row.codec, row.choice): row for row in Speed.objects.filter(width_px=1280)}
        self.assertEqual(set(rows), {(codec.value, choice) for codec, choice in cells()})
        self.assertGreater(len(rows), 25)
        for cell, row in rows.items():
            with self.subTest(cell):
                self.assertEqual((row.problem, row.width_px), ("", 1280))
                self.assertGreater(row.pictures_per_s, 0)
        page = self.client.get(reverse("stages:stage", args=[self.rig.pk, "file"]))
        for facts in CODECS.values():
            self.assertContains(page, f">{facts.label}</text>")

    def test_what_does_not_keep_up_is_measured_at_smaller_sizes_until_it_does(self):
        speeds = {("h264", "medium"): 23, ("hevc", "fast"): 12, ("h264", "ultrafast"): 300}
        asked = []

        def measured(plan, frames, *, seconds, go_on):
            recipe = plan.recipe
            size, cell = plan.frame.size_label, (recipe.codec.value, choice_of(recipe))
            asked.append((*cell, size))
            per_s = speeds[cell] * (1280 * 720) / (plan.frame.width_px * plan.frame.height_px)
            return MeasuredSpeed(pictures_per_s=per_s, bits_per_picture=1000)

        done, recorder = [], Mock()
        with (
            patch.object(benching, "take_fresh_sample"),
            patch.object(benching, "Sample"),
            patch.object(benching, "measure_speed", measured),
            patch.object(benching, "client", lambda: recorder),
            patch.object(benching, "cells", lambda: [(VideoCodec(codec), choice) for codec, choice in speeds]),
        ):
            benching.bench(Subject(subject=self.rig.pk), done.append)
        self.assertEqual(
            asked[3:], [("h264", "medium", "960×540"), ("hevc", "fast", "960×540"), ("hevc", "fast", "640×360")]
        )
        self.assertEqual(done, sorted(done), "progress never goes back")
        ((asked_of_recorder,),) = {call.args for call in recorder.ask.call_args_list}
        self.assertEqual(asked_of_recorder.setup.roll.reach_back_s, 1, "every frame is composed meanwhile")
        found = keeping(self.plan, Draft(effort="medium"))
        self.assertEqual([one.words for one in found.frames], ["Record 960×540", "Record 15 a second"])
        found = keeping(self.plan, Draft(codec=VideoCodec.HEVC, effort="fast"))
        self.assertEqual([one.words for one in found.frames], ["Record 640×360", "Record 7.5 a second"])
        self.assertEqual(keeping(self.plan, Draft(effort="ultrafast")).frames, ())
        lapse = replace(self.plan, lapse=Fraction(2))
        self.assertEqual(keeping(lapse, Draft(effort="medium")).frames, (), "of a time-lapse fewer are needed")

    def test_what_of_the_samples_is_left_out_is_said_and_kept_by_a_button(self):
        setup = propose(DeviceKind.CONSOLE, {"hdmi-box"}, Mode.parse("1280x720p30"))
        rig = make_rig("Moss", setup)
        address = reverse("stages:stage", args=[rig.pk, "file"])
        kept = {"codec": "h264", "effort": "medium", **FIELDS}
        page = self.client.post(address, kept, headers=HTMX)
        self.assertContains(page, "4:2:2 8-bit arrives, 4:2:0 8-bit is written: some of it is left out.")
        page = self.client.post(address, kept | {"samples": "4:2:2 8-bit", "profile": ""}, headers=HTMX)
        self.assertContains(page, "MP4: H.264 High 4:2:2, 4:2:2 8-bit")
        self.assertNotContains(page, "is left out")
        page = self.client.post(address, kept | {"codec": "av1", "effort": "8"}, headers=HTMX)
        self.assertNotContains(page, "is left out", msg_prefix="AV1 as it is encoded here holds no more")

    def test_a_smaller_frame_is_taken_from_the_file_page(self):
        self.keep("h264", "medium", 23)
        self.keep("h264", "medium", 41, width_px=960, height_px=540)
        typed = {"codec": "h264", "effort": "medium", "tune": "grain", **FIELDS}
        page = self.client.post(reverse("stages:stage", args=[self.rig.pk, "file"]), typed, headers=HTMX)
        self.assertContains(page, "Record 960×540, 1.4×")
        self.assertContains(page, "medium, 0.8×")
        address = reverse("stages:record-at", args=[self.rig.pk])
        answer = self.client.post(address, {"mode": "960x540p30"}, headers=HTMX)
        self.assertContains(answer, '<option value="grain" selected>')
        self.assertContains(answer, "medium, 1.4×")
        self.assertEqual(answer["HX-Trigger"], "rig-changed")
        self.rig.refresh_from_db()
        self.assertEqual((self.rig.plan.frame.mode, self.rig.plan.recipe.tune), (Mode.parse("960x540p30"), "grain"))
        self.assertEqual(self.client.post(address, {"mode": "1x1"}).status_code, 409)

    def test_without_a_signal_and_without_a_sample_it_fails_with_its_reason(self):
        with patch.object(benching, "client", side_effect=UnreachableError), patch.object(benching, "_SIGNAL_S", 0):
            job = run_here(BENCH, self.rig.pk)
        self.assertEqual(job.state, JobState.FAILED)
        self.assertIn("does not answer", job.problem)
        page = self.client.get(reverse("stages:stage", args=[self.rig.pk, "file"]))
        self.assertContains(page, "does not answer")
        self.assertContains(page, "Measure this machine")
        sample_path(self.rig).write_bytes(b"an older one")
        with patch.object(benching, "client", side_effect=ReelError("busy")):
            benching.take_fresh_sample(self.rig, sample_path(self.rig))  # one of before will do
        rolls = patch.object(benching, "client", side_effect=NotNowError("Something is to roll."))
        with rolls, self.assertRaises(BeginAnewError):
            benching.take_fresh_sample(self.rig, sample_path(self.rig))

    def test_asking_twice_measures_once_and_progress_is_shown(self):
        address = reverse("stages:bench", args=[self.rig.pk])
        self.assertContains(self.client.post(address, headers=HTMX), "call off")
        self.client.post(address)
        self.assertEqual(Job.objects.filter(kind=BENCH).count(), 1)
        polled = self.client.get(reverse("stages:keeps-up", args=[self.rig.pk]))
        self.assertContains(polled, "waits for other work")
        with patch.object(kinds, "_rolls", [lambda: True]):
            polled = self.client.get(reverse("stages:keeps-up", args=[self.rig.pk]))
        self.assertContains(polled, "waits until nothing rolls")

    def assert_names_stand_free(self, found):
        boxes = [_box_of(curve.label, curve.label_x, curve.label_y, curve.anchor) for curve in found.curves]
        for one, other in combinations(boxes, 2):
            self.assertEqual(one.covers(other), 0, "no name stands on another")
        for box in boxes:
            for point in found.points:
                self.assertEqual(
                    box.covers(_Box(point.x - 6, point.y - 6, point.x + 6, point.y + 6)), 0, "nor on a point"
                )
            self.assertTrue(box.left >= LEFT and box.right <= 600, box)

    def test_names_stand_free_where_points_are_close(self):
        rng = random.Random(7)
        for _ in range(20):
            Speed.objects.all().delete()
            for codec in VideoCodec:
                place = rng.uniform(0.5, 6)
                for effort in ("a", "b", "c"):
                    bits = int(10 ** rng.uniform(3.5, 6.5))
                    self.keep(codec.value, effort, 30 * place * rng.uniform(0.7, 1.5), bits=bits)
            self.assert_names_stand_free(keeping(self.plan, Draft()))

    def test_headroom_is_speed_over_need_and_what_has_none_is_warned_of(self):
        self.keep("h264", "superfast", 240)
        self.keep("h264", "slow", 20)
        self.keep("h264", "fast", 60)
        self.keep("hevc", "ultrafast", 33)
        self.keep("prores", "422 HQ", 3, bits=4_000_000)
        found = keeping(self.plan, Draft())
        self.assertEqual((found.chosen.headroom, found.is_warned, found.nearest), (8, False, None))
        self.assertAlmostEqual(found.chosen.gigabytes, 100_000 * 30 * 3600 / 8e9)
        slow = keeping(self.plan, Draft(effort="slow"))
        self.assertTrue(slow.chosen.loses)
        self.assertEqual(slow.nearest.choice, "fast", "the most effort of the same codec that keeps up")
        self.keep("dnxhr", "HQX", 42, bits=12_000_000)
        hevc = keeping(self.plan, Draft(codec=VideoCodec.HEVC, effort="ultrafast"))
        self.assertEqual((hevc.is_warned, hevc.chosen.loses, hevc.nearest.label), (True, False, "H.264 fast"))
        for point in found.points:
            self.assertTrue(LEFT <= point.x <= RIGHT and TOP <= point.y <= BOTTOM, point)
        self.assert_names_stand_free(found)
        page = self.client.post(
            reverse("stages:stage", args=[self.rig.pk, "file"]),
            {"codec": "h264", "effort": "slow", **FIELDS},
            headers=HTMX,
        )
        self.assertContains(page, "loses frames here: 0.67×")
        self.assertContains(page, "Take H.264 fast, 2.0×")
        self.assertIsNone(keeping(self.plan, Draft(codec=VideoCodec.FFV1, effort="")).chosen, "it was not measured")
        Speed.objects.update(machine="another processor, 64 cores")
        self.assertIsNone(keeping(self.plan, Draft()), "nothing of it holds for this machine")
        self.keep("h264", "superfast", 90)
        self.assertEqual(keeping(self.plan, Draft()).chosen.headroom, 3)


FIELDS = {
    "container": "mp4", "rate": "quality", "number": "20", "samples": "4:2:0 8-bit", "matrix": "709",
    "range": "limited", "keyframe_s": "2", "sound_codec": "aac", "sound_kbps": "192", "sound_rate_hz": "48000",
    "sound_channels": "2", "sound_files": "none", "name_pattern": "{rig}_{number}",
}  # fmt: skip
