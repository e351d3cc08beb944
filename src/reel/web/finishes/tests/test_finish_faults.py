"""What a finish refuses, what fails while one is made, and that neither leaves anything behind."""

from unittest.mock import patch

from django.urls import reverse

from reel.core.errors import BadValueError
from reel.core.media import MediaError
from reel.web.finishes import making
from reel.web.finishes.models import OpenFinish
from reel.web.finishes.tests.finish_pages import FinishTestCase
from reel.web.jobs.models import Job
from reel.web.jobs.running import CalledOffError, run_waiting
from reel.web.takes import made_of
from reel.web.takes.models import Take


class FinishFaultTests(FinishTestCase):
    def test_what_cannot_be_is_refused_and_nothing_is_lost(self):
        self.open()
        self.do("only", **{"in": "1", "out": "2"})
        for doing, typed in (
            ("set", {"range": "2", "in": "0", "out": "1"}),
            ("set", {"range": "1", "in": "9:xx", "out": "1"}),
            ("set", {"range": "1", "in": "2", "out": "1"}),
            ("leave-out", {"range": "1"}),
            ("split", {"at": "0:00:00:05"}),
            ("rule", {"rule": "dull"}),
            ("rule", {"rule": "black", "least_s": "9" * 20}),
            ("between-marks", {}),
            ("explode", {}),
            ("split", {"at": "1.5", "seen": "of another window"}),
        ):
            with self.subTest(doing, typed=typed):
                self.assertEqual(self.do(doing, **typed).status_code, 409)
        self.assertEqual(self.ranges(), [(30, 60)])
        stored = OpenFinish.objects.get(take=self.take)
        stored.value["keep"]["ranges"] = [{"first": 5, "end": 10**6}]
        stored.save()
        self.assertEqual(self.ranges(), [(0, 90)])  # its file became shorter meanwhile

    def test_what_is_called_off_or_fails_at_any_step_leaves_nothing(self):
        self.open()
        self.do("only", **{"in": "1", "out": "2"})
        asked = making.Make(subject=self.take.pk, finish=self.now().finish)

        def called_off(done):
            raise CalledOffError("called off")

        self.assertRaises(CalledOffError, making.make, asked, called_off)
        with patch.object(made_of, "sum_up", side_effect=BadValueError("Sum", 1, "planted")):
            self.assertRaises(BadValueError, making.make, asked, lambda done: None)
        with patch("reel.core.media.finishing.read_sent", side_effect=MediaError(self.shelf, "broke")):
            self.assertRaises(MediaError, making.make, asked, lambda done: None)
        self.assertEqual(sorted(path.name for path in self.shelf.iterdir()), self.before)
        self.assertEqual(Take.objects.count(), 1)
        (self.shelf / "stone.mkv").unlink()
        self.client.post(reverse("finishes:make", args=[self.take.pk]))
        self.assertEqual(self.page().status_code, 409)  # it says that the file is gone
        self.assertFalse(Job.objects.filter(kind="prove", state="waiting").exists())

    def test_a_file_that_cannot_be_read_is_said_once(self):
        (self.shelf / "stone.mkv").write_bytes(b"no media")
        self.page()
        run_waiting()
        address = reverse("finishes:stage", args=[self.take.pk, "keep"])
        for _ in range(2):
            self.assertContains(self.client.get(f"{address}?waits=1"), "can&#x27;t be read as a media file")
        self.assertEqual(Job.objects.filter(kind="read packets").count(), 1)
