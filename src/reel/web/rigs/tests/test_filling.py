"""The demo's shelf is filled by a job: what it records is whole, also where it fails or is called off half way."""

from functools import partial
from unittest.mock import patch

from django.conf import settings
from django.test import TestCase

from reel.core.line import DeviceKind, propose
from reel.core.media import MediaError
from reel.web.jobs.actions import ask_for, call_off
from reel.web.jobs.kinds import Subject
from reel.web.jobs.models import Job, JobState
from reel.web.jobs.running import run_waiting
from reel.web.rigs import demo_takes
from reel.web.rigs.actions import make_rig
from reel.web.rigs.filling import FILL
from reel.web.takes.models import Take, TakeState
from reel.web.takes.tests.home import HomeMixin

BENCH = "Potting bench, camera"


class FillingTests(HomeMixin, TestCase):
    def setUp(self):
        super().setUp()
        self.rig = make_rig(BENCH, propose(DeviceKind.CAMERA))
        self.enterContext(patch.object(demo_takes, "TAKES", 1))
        self.enterContext(patch.object(demo_takes, "_EVENINGS", ((BENCH, 1, "bench", "Seedlings"),)))

    def fill(self, evening):
        """Run the job with another evening; returns it."""
        with patch.object(demo_takes, "record_evening", evening):
            ask_for(FILL, Subject(subject=self.rig.pk))
            run_waiting()
        lying = {path.name for path in settings.HOME.shelf.iterdir() if path.is_file()}
        self.assertEqual(
            lying, {take.first.file_name for take in Take.objects.all()}, "nothing lies there that is no take"
        )
        self.assertEqual(set(Take.objects.values_list("state", flat=True)), {TakeState.CLOSED})
        return Job.objects.get(kind=FILL)

    def test_the_evening_holds_all_that_is_drawn(self):
        job = self.fill(partial(demo_takes.record_evening, times=0.03))
        self.assertEqual((job.state, job.problem), (JobState.DONE, ""))
        evening = Take.objects.get(note="The whole evening, ten minutes")
        self.assertEqual((evening.length_ms, evening.tracks), (18_000, ["bench", "voice", "backup"]))
        labels = list(evening.marks.order_by("tick").values_list("label", flat=True))
        self.assertEqual([one for one in labels if one in dict(demo_takes._EVENING_MARKS).values()], [
            "lamps on", "first visitor", "moss, close", "lamps off",
        ])  # fmt: skip
        picture = evening.first.along.in_time.picture
        self.assertGreater(max(picture.new), 0)
        self.assertEqual(len(evening.first.along.in_time.tracks), 3)

    def test_what_fails_or_is_called_off_leaves_what_was_whole(self):
        def called_off(rig, started, progress):
            call_off(Job.objects.get(kind=FILL))
            return demo_takes_evening(rig, started, progress, times=0.03)

        demo_takes_evening = demo_takes.record_evening
        for evening, state in ((called_off, JobState.CALLED_OFF), (None, JobState.FAILED)):
            with self.subTest(state):
                Job.objects.all().delete()
                if evening is None:
                    planted = MediaError(settings.HOME.shelf, "is full (planted)")
                    with patch.object(demo_takes, "record", side_effect=planted):
                        job = self.fill(demo_takes_evening)
                    self.assertIn("is full (planted)", job.problem)
                else:
                    job = self.fill(evening)
                self.assertEqual(job.state, state)
                self.assertEqual([take.note for take in Take.objects.all()], ["Seedlings"])
