"""Finishes of takes: what is kept is found, set and undone; what is made is a take of its own, or nothing."""

import datetime
import io
import json
import os
import re
from dataclasses import replace
from pathlib import Path
from unittest.mock import patch

import numpy as np
from django.core.management import call_command
from django.urls import reverse
from django.utils import timezone
from PIL import Image

from reel.core.file import Draft, VideoCodec, resolve
from reel.core.finish import TickRange
from reel.core.line import file_plan
from reel.core.measure import Counts
from reel.core.measure.in_time import Span
from reel.core.measure.tests.test_claps import clicks, lit
from reel.core.media import MediaError, probe
from reel.core.media.tests.clips import write_clip
from reel.core.signal import Range
from reel.web.finishes.claps import FIND
from reel.web.finishes.editing import parts_of
from reel.web.finishes.models import KeptFinish
from reel.web.finishes.proposals import Rule, found
from reel.web.finishes.tests.finish_pages import FinishTestCase
from reel.web.jobs.models import Job
from reel.web.jobs.running import run_waiting
from reel.web.machine.models import Speed, choice_of
from reel.web.recipes import actions as recipes
from reel.web.takes import verifying
from reel.web.takes.models import InTime, Mark, Take, TakeOrigin
from reel.web.takes.tests.home import SETUP, make_take


class FinishTests(FinishTestCase):
    def test_what_is_kept_is_set_in_many_ways_each_of_which_is_undone(self):
        Mark.objects.create(take=self.take, tick=30, label="a jay")
        Mark.objects.create(take=self.take, tick=60, label="it leaves")
        self.open()
        self.assertEqual(self.ranges(), [(0, 90)])
        steps = [
            ("split", {"at": "00:00:01:00"}, [(0, 30), (30, 90)]),
            ("set", {"range": "2", "in": "00:00:01:10", "out": "2.5"}, [(0, 30), (40, 75)]),
            ("leave-out", {"range": "1"}, [(40, 75)]),
            ("put-back", {"at": "0:00:00:05"}, [(0, 75)]),
            ("cut-out", {"in": "0:00:00:10", "out": "0:00:00:20"}, [(0, 10), (20, 75)]),
            ("join", {"range": "1"}, [(0, 75)]),
            ("only", {"in": "1", "out": "2"}, [(30, 60)]),
            ("all", {}, [(0, 90)]),
            ("between-marks", {}, [(30, 60)]),
            ("around-marks", {"around_s": "0.4"}, [(18, 42), (48, 72)]),
        ]
        for doing, typed, ranges in steps:
            with self.subTest(doing):
                self.assertEqual(self.do(doing, **typed).status_code, 302)
                self.assertEqual(self.ranges(), ranges)
        for _, _, ranges in reversed(steps[:-1]):
            address = reverse("finishes:history", args=[self.take.pk, "keep"])
            self.client.post(address, {"seen": self.now().seen})
            self.assertEqual(self.ranges(), ranges)
        self.client.post(address, {"seen": self.now().seen, "again": "1"})
        self.assertEqual(self.ranges(), [(0, 30), (40, 75)])

    def test_what_was_found_in_it_is_proposed(self):
        self.open()
        kept = InTime.objects.get(part=self.take.first)
        self.assertEqual(kept.in_time.picture.still, ())
        self.assertEqual(found(Rule.STILL, parts_of([self.take], self.now().sources), self.now().rate, 1), ())
        in_time = kept.in_time
        spans = (Span(begin_ms=0, end_ms=500), Span(begin_ms=1000, end_ms=2200), Span(begin_ms=2500, end_ms=3000))
        kept.packed = replace(in_time, picture=replace(in_time.picture, still=spans)).packed()
        kept.save()
        address = reverse("finishes:stage", args=[self.take.pk, "keep"])
        self.assertContains(self.client.get(f"{address}?least_s=1"), "Leave out what is still, 1.2 s")
        files = parts_of([self.take], self.now().sources)
        self.assertEqual(found(Rule.STILL, files, self.now().rate, 1), (TickRange(30, 66),))
        self.assertEqual(found(Rule.ENDS, files, self.now().rate, 1), (TickRange(0, 15), TickRange(75, 90)))
        self.do("rule", rule="still", least_s="1")
        self.assertEqual(self.ranges(), [(0, 30), (66, 90)])

    def test_a_cut_becomes_a_take_that_is_proved_and_knows_its_marks(self):
        for tick in (5, 35, 50):
            Mark.objects.create(take=self.take, tick=tick, label=f"at {tick}")
        self.open()
        self.do("cut-out", **{"in": "0:00:00:10", "out": "0:00:01:02"})
        self.do("", name="file", how="as-is", container="mp4")
        page = self.page("make")
        self.assertContains(page, "frames as they were")
        self.client.post(reverse("finishes:make", args=[self.take.pk]))
        run_waiting()
        run_waiting()
        made = Take.objects.get(origin=TakeOrigin.MADE)
        self.assertEqual((made.name, made.first.file_name), ("stone cut", "stone-cut.mp4"))
        self.assertEqual(
            [(mark.tick, mark.label) for mark in made.marks.all()], [(5, "at 5"), (13, "at 35"), (28, "at 50")]
        )
        facts = probe(self.shelf / "stone-cut.mp4")
        self.assertEqual((facts.video.frames, facts.video.undecodable), (66, 0))
        labels = {line.label for line in made.first.proved.differing}
        self.assertEqual(labels, {"Frames", "Lost frames"})  # the two that the take has lost
        self.assertContains(self.page("make"), "stone cut")
        self.assertContains(self.client.get(made.get_absolute_url()), "Made from")
        self.assertEqual(list(self.shelf.glob("*rolling*")), [])

    def test_what_keeps_all_of_a_take_has_its_packets(self):
        self.open()
        self.client.post(reverse("finishes:make", args=[self.take.pk]))
        run_waiting()
        made = Take.objects.get(origin=TakeOrigin.MADE)
        read = Path(self.shelf / made.first.file_name)
        self.assertEqual(probe(read).video.bitrate_bps, probe(self.shelf / "stone.mkv").video.bitrate_bps)

    def test_a_track_is_treated_and_what_is_typed_wrong_is_refused(self):
        self.open()
        track = {"track": "1", "kept": "on", "title": "Music", "level_db": "-6", "slide_ms": "12,5", "sides": "mono"}
        self.do("", name="sound", **track)
        (change,) = self.now().finish.sound
        self.assertEqual((change.title, change.sound.level_db, float(change.slide_ms)), ("Music", -6.0, 12.5))
        self.assertContains(self.page("sound"), "its samples are changed")
        for wrong in (
            {"level_db": "loud"},
            {"level_db": "99"},
            {"slide_ms": "1e9"},
            {"loudness_lufs": "-3"},
            {"track": "4"},
        ):
            self.assertEqual(self.do("", name="sound", **(track | wrong)).status_code, 409, wrong)
        self.assertEqual(self.now().finish.sound, (change,))
        self.client.post(reverse("finishes:make", args=[self.take.pk]))
        run_waiting()
        run_waiting()
        made = Take.objects.get(origin=TakeOrigin.MADE)
        facts = probe(self.shelf / made.first.file_name)
        self.assertEqual((facts.sound[0].title, made.tracks), ("Music", ["Music"]))
        was = probe(self.shelf / "stone.mkv")
        self.assertAlmostEqual(facts.sound[0].rms_db, was.sound[0].rms_db - 6, delta=0.3)
        slide = reverse("finishes:slide", args=[self.take.pk, 1])
        for wrong in ("", "1e9", "99999"):
            self.assertEqual(self.client.post(slide, {"seen": self.now().seen, "slide_ms": wrong}).status_code, 409)
        self.client.post(slide, {"seen": self.now().seen, "slide_ms": "-43.5"})
        (slid,) = self.now().finish.sound
        self.assertEqual((slid.title, slid.sound.level_db, float(slid.slide_ms)), ("Music", -6.0, -43.5))
        self.assertContains(self.client.get(reverse("finishes:step", args=[self.take.pk, 1])), "slides by -43.5 ms")
        near = reverse("finishes:near", args=[self.take.pk, 1])
        self.assertContains(self.client.get(near, {"frame": "20"}), "Nothing sharp is heard near this frame.")
        for track, frame, part in ((1, "90", 1), (1, "x", 1), (2, "5", 1), (0, "5", 1), (1, "5", 2)):
            address, asked = reverse("finishes:near", args=[self.take.pk, track]), {"frame": frame, "part": part}
            self.assertEqual(self.client.get(address, asked).status_code, 404, asked)
        self.do("", name="sound", track="1")
        self.assertEqual((self.now().finish.sound, self.now().finish.tracks), ((), ()))

    def test_claps_say_how_far_a_track_is_off_and_a_button_slides_it(self):
        """The file is a clip with four claps, heard 85 ms late."""
        path = self.shelf / "stone.mkv"
        sounds = clicks(85)
        write_clip(path, file_plan(SETUP), range(200), draw=lit, sound=sounds)
        self.open()
        self.assertContains(self.page("sound"), "Find claps")
        address = reverse("finishes:claps", args=[self.take.pk])
        with patch("reel.web.finishes.claps.claps_in", side_effect=MediaError(path, "broke")):
            self.client.post(address)
            run_waiting()
        self.assertContains(self.page("sound"), "broke")
        for _ in range(2):
            self.client.post(address)
        self.assertEqual(Job.objects.filter(kind=FIND, state="waiting").count(), 1)
        run_waiting()
        page = self.page("sound")
        self.assertContains(page, "after the picture, by 4 claps")
        slide_ms = re.search(r'name="slide_ms" value="(-[0-9.]+)"', page.content.decode())[1]
        self.assertAlmostEqual(float(slide_ms), -85, delta=1000 / 30)
        slid = {"seen": self.now().seen, "slide_ms": slide_ms}
        self.client.post(reverse("finishes:slide", args=[self.take.pk, 1]), slid)
        self.assertEqual(float(self.now().finish.sound[0].slide_ms), float(slide_ms))
        self.assertNotContains(self.page("sound"), f"Slide it by {slide_ms}")
        write_clip(path, file_plan(SETUP), range(200), draw=lit)
        os.utime(path, ns=(1, 1))
        self.page("sound")
        run_waiting()
        self.assertContains(self.page("sound"), "Find claps")  # of another file nothing is known
        self.client.post(address)
        run_waiting()
        self.assertContains(self.page("sound"), "No three claps agree")

    def test_a_take_is_encoded_anew_and_an_archive_copy_is_verified(self):
        self.open()
        for how, size_mb, quality in (
            ("as if", "", ""),
            ("archive", "3", ""),
            ("archive", "", "20"),
            ("point:share", "0.000001", ""),
            ("point:share", "1e9", ""),
            ("point:share", "", "0"),
            ("point:share", "", "1e3"),
            ("point:share", "9", "20"),
        ):
            typed = {"how": how, "size_mb": size_mb, "quality": quality}
            self.assertEqual(self.do("", name="file", **typed).status_code, 409, typed)
        self.do("", name="file", how="point:share", quality="31")
        page = self.page("file")
        self.assertEqual(self.now().finish.encoding.recipe.rate.label, "CRF 31")
        self.assertContains(page, 'value="point:share" checked')
        self.assertNotContains(page, "as this machine was measured")
        facts = {"codec": "h264", "choice": choice_of(self.now().finish.encoding.recipe), "width_px": 320}
        Speed.objects.create(height_px=180, samples="420 8", pictures_per_s=9.0, **facts)
        self.assertContains(self.page("file"), "about 9.8 s to encode, as this machine was measured")
        recipe = recipes.keep("Small", resolve(Draft(codec=VideoCodec.HEVC)))
        self.do("", name="file", how=f"kept:{recipe.pk}")
        self.assertEqual(self.now().finish.encoding.recipe.codec, VideoCodec.HEVC)
        self.assertContains(self.page(), "all of it is encoded anew")
        self.do("only", **{"in": "0:00:00:10", "out": "0:00:01:00"})
        self.do("", name="file", how="archive")
        self.client.post(reverse("finishes:make", args=[self.take.pk]))
        for _ in range(2):
            run_waiting()
        part = Take.objects.get(origin=TakeOrigin.MADE).first
        self.assertEqual((part.file_name, part.is_hashed, part.proof_state), ("stone-archive.mkv", True, "as asked"))
        page = self.client.get(part.take.get_absolute_url())
        self.assertContains(page, "all frames are what they were")
        before = part.verified_at
        self.assertEqual(verifying.verify_due(), 0)
        self.assertEqual(verifying.verify_due(timezone.now() + datetime.timedelta(days=200)), 1)
        run_waiting()
        part.refresh_from_db()
        self.assertGreater(part.verified_at, before)
        text = verifying.hashes_path(self.shelf / part.file_name)
        text.write_text(text.read_text().replace(" ", " 0", 1))
        self.client.post(reverse("takes:verify", args=[part.take.pk, 1]))
        run_waiting()
        page = self.client.get(part.take.get_absolute_url())
        self.assertContains(page, "1 of 20 frames are not what they were: 0.")
        text.unlink()
        self.client.post(reverse("takes:verify", args=[part.take.pk, 1]))
        run_waiting()
        self.assertContains(self.client.get(part.take.get_absolute_url()), "what the frames were is not known")
        self.assertEqual(self.client.post(reverse("takes:verify", args=[self.take.pk, 1])).status_code, 409)

    def test_the_picture_is_tagged_or_drawn_anew_and_what_cannot_be_is_refused(self):
        self.open()
        self.assertContains(self.client.get(reverse("finishes:looks", args=[self.take.pk])), "limited range, as which")
        self.do("", name="picture-do", range="full")
        self.assertContains(self.page("picture"), "tagged full")
        for wrong in ({"range": "half"}, {"left_px": "99"}, {"left_px": "x"}, {"width_px": "17", "height_px": "90"}):
            self.assertEqual(self.do("", name="picture-do", **wrong).status_code, 409, wrong)
        self.client.post(reverse("finishes:make", args=[self.take.pk]))
        for _ in range(2):
            run_waiting()
        made = Take.objects.get(origin=TakeOrigin.MADE)
        self.assertEqual(made.setup.recipe.range, Range.FULL)
        self.assertEqual({line.label for line in made.first.proved.differing}, {"Frames", "Lost frames"})
        self.do("", name="file", how="point:share")
        self.assertEqual(self.do("", name="picture-do", left_px="320").status_code, 409)
        self.do("", name="picture-do", left_px="20", turn="90")
        self.assertContains(self.page("picture"), "180×300")
        Mark.objects.create(take=self.take, tick=40, label="Owl")
        typed = {"left_px": "20", "speed": "50", "rate": "24", "brightness": "10", "gamma": "1,5", "first_field": "top"}
        self.assertEqual(self.do("", name="picture-do", **typed, range="full").status_code, 302)
        page = self.page("picture")
        self.assertContains(page, 'value="1.5"')
        self.assertContains(page, "37.5 % of the frames repeat a picture")
        pictures = [
            Image.open(io.BytesIO(self.client.get(reverse("finishes:compared", args=[self.take.pk, 9, which])).content))
            for which in ("before", "after")
        ]
        wave = self.client.get(reverse("finishes:compared", args=[self.take.pk, 9, "after-wave"])).content
        self.assertEqual(Image.open(io.BytesIO(wave)).size, (320, 256))
        self.assertEqual(
            self.client.get(reverse("finishes:compared", args=[self.take.pk, 9, "between"])).status_code, 404
        )
        dark, bright = (np.asarray(one.convert("L"), dtype=float).mean() for one in pictures)
        self.assertEqual([one.size for one in pictures], [(300, 180)] * 2)
        self.assertGreater(bright, dark + 10)
        self.client.post(reverse("finishes:make", args=[self.take.pk]))
        for _ in range(2):
            run_waiting()
        slow = Take.objects.filter(origin=TakeOrigin.MADE).latest("pk")
        frame = slow.plan.frame
        self.assertEqual((frame.width_px, frame.rate, [one.tick for one in slow.marks.all()]), (300, 24, [64]))
        self.assertEqual({line.label for line in slow.first.proved.differing}, set())

    def test_a_kept_finish_is_used_on_many_takes(self):
        other = make_take("leaf", Counts(ticks=90))
        self.open()
        self.do("", name="file", how="as-is", container="mov")
        address = reverse("finishes:keep-as", args=[self.take.pk])
        self.client.post(address, {"name": "Tidied", "rule": ["ends"], "least_s": "1"})
        self.assertContains(self.page("file"), "dead ends left out")
        self.assertContains(self.client.get(reverse("finishes:dock")), "Tidied")
        written = io.StringIO()
        with self.assertRaises(SystemExit):
            call_command("finish_takes", "leaf", "gone", kept="Tidied", json=True, stdout=written)
        done, missing = json.loads(written.getvalue())
        self.assertEqual((Path(done["file"]).name, missing["problem"]), ("leaf.mov", "there is no such take"))
        several = reverse("finishes:several")
        self.client.post(several, {"finish": "Tidied", "take": [self.take.pk, other.pk]})
        run_waiting()
        run_waiting()
        made = Take.objects.filter(origin=TakeOrigin.MADE)
        self.assertEqual({one.first.file_name for one in made}, {"stone.mov", "leaf.mov", "leafb.mov"})
        self.assertEqual(self.client.post(several, {"finish": "Gone", "take": [other.pk]}).status_code, 409)
        self.client.post(reverse("finishes:forget", args=[KeptFinish.objects.get().pk]))
        self.assertFalse(KeptFinish.objects.exists())

    def test_another_take_is_joined_behind_it_and_its_marks_come_along(self):
        other, unlike = make_take("leaf", Counts(ticks=90)), make_take("moss", Counts(ticks=90))
        Mark.objects.create(take=other, tick=10, label="Owl")
        self.open()
        self.assertEqual(self.do("join-take", other=other.pk).status_code, 409)  # it is being read
        run_waiting()
        self.do("join-take", other=other.pk)
        self.assertEqual(self.ranges(), [(0, 90), (90, 180)])
        self.assertContains(self.page(), "Take off the last")
        for wrong in ({"other": other.pk}, {"other": self.take.pk}, {"other": "x"}, {"other": 999}):
            self.assertEqual(self.do("join-take", **wrong).status_code, 409, wrong)
        self.do("set", range="1", **{"in": "0:00:00:00", "out": "0:00:01:00"})
        self.assertEqual(self.ranges(), [(0, 30), (90, 180)])
        self.assertEqual(self.client.get(reverse("finishes:picture", args=[self.take.pk, 120])).status_code, 200)
        self.client.post(reverse("finishes:make", args=[self.take.pk]))
        run_waiting()
        made = Take.objects.get(origin=TakeOrigin.MADE)
        self.assertEqual((made.name, [one.tick for one in made.marks.all()]), ("stone joined", [40]))
        self.assertEqual(set(made.made_from.all()), {self.take, other})
        self.assertEqual(probe(self.shelf / made.first.file_name).video.frames, 30 + 88)
        self.do("take-off")
        self.assertEqual((self.ranges(), self.now().finish.behind), ([(0, 30)], ()))
        self.client.post(reverse("finishes:history", args=[self.take.pk, "keep"]), {"seen": self.now().seen})
        self.assertEqual(self.now().finish.behind, (other.pk,))
        Take.objects.filter(pk=other.pk).update(binned_at=timezone.now())  # what is gone is not joined any more
        self.assertEqual((self.ranges(), self.now().finish.behind), ([(0, 90)], ()))
        Take.objects.filter(pk=unlike.pk).update(
            asked=None,
            measured={
                "width_px": 320,
                "height_px": 180,
                "rate": "25",
                "tick_rate": "25",
                "lapse": "1",
                "devices": [],
                "container": "MKV",
                "codec": "H.264",
            },
        )
        self.assertContains(self.do("join-take", other=unlike.pk), "25 frames a second, not 30", status_code=409)
        self.do("", name="file", how="point:share")  # where all is encoded anew, it may be of another kind
        self.assertEqual(self.do("join-take", other=unlike.pk).status_code, 409)  # it is being read
        run_waiting()
        self.do("join-take", other=unlike.pk)
        self.assertEqual((self.ranges(), self.now().plan().frames), ([(0, 90), (90, 180)], 2 * 88))
        os.utime(self.shelf / "stone.mkv")
        Take.objects.filter(pk=unlike.pk).delete()
        self.assertContains(self.page(), "packets of stone are being read")
        run_waiting()
        self.assertEqual((self.ranges(), self.now().finish.behind), ([(0, 90)], ()))

    def test_a_frame_is_shown_by_its_tick(self):
        self.open()
        picture = self.client.get(reverse("finishes:picture", args=[self.take.pk, 89]))
        self.assertEqual(picture["Content-Type"], "image/jpeg")
        self.assertEqual(self.client.get(reverse("finishes:picture", args=[self.take.pk, 90])).status_code, 404)
