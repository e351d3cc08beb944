"""Takes rewrapped: takes of their own, proved against the same, and nothing left of what was not done."""

from unittest.mock import patch

from django.conf import settings
from django.test import TestCase
from django.urls import reverse

from reel.core.errors import BadValueError
from reel.core.file import Container
from reel.core.measure import Counts
from reel.core.media import MediaError, probe
from reel.core.media import finishing as core_finishing
from reel.web.jobs.models import Job
from reel.web.jobs.running import CalledOffError, run_waiting
from reel.web.takes import made_of, rewrapping
from reel.web.takes.models import Mark, Take, TakeOrigin
from reel.web.takes.tests.home import HomeMixin, make_take


class RewrappingTests(HomeMixin, TestCase):
    def setUp(self):
        super().setUp()
        self.take = make_take("stone", Counts(ticks=90))
        Mark.objects.create(take=self.take, tick=30, label="a jay")
        self.shelf = settings.HOME.shelf
        self.before = sorted(path.name for path in self.shelf.iterdir())

    def ask(self, *takes, container="mp4"):
        fields = {"do": "rewrap", "container": container, "take": [take.pk for take in takes]}
        return self.client.post(reverse("takes:several"), fields)

    def test_a_take_becomes_one_of_its_own_that_is_proved_against_the_same(self):
        self.ask(self.take)
        run_waiting()
        run_waiting()  # its proof waits in the other lane
        made = Take.objects.get(origin=TakeOrigin.MADE)
        self.assertEqual((made.name, made.first.file_name), ("stone MP4", "stone.mp4"))
        self.assertEqual(list(made.made_from.all()), [self.take])
        self.assertEqual([mark.label for mark in made.marks.all()], ["a jay"])
        self.assertEqual((made.setup.recipe.container, made.proof_state), (Container.MP4, self.take.proof_state))
        self.assertEqual(probe(self.shelf / "stone.mp4").video.frames, probe(self.shelf / "stone.mkv").video.frames)
        self.assertContains(self.client.get(made.get_absolute_url()), "Made from")
        self.assertContains(self.client.get(self.take.get_absolute_url()), "Made of it")
        self.assertEqual(list(self.shelf.glob("*rolling*")), [])

    def test_several_at_once_and_one_that_cannot_be_says_why(self):
        other = make_take("leaf", Counts(ticks=30))
        self.ask(self.take, other, container="mov")
        (self.shelf / "leaf.mkv").unlink()
        run_waiting()
        self.assertEqual(Take.objects.filter(origin=TakeOrigin.MADE).count(), 1)
        self.assertContains(self.client.get(other.get_absolute_url()), "Not rewrapped: leaf.mkv is gone")
        for container in ("mkv", "exe", ""):
            self.assertEqual(self.ask(self.take, container=container).status_code, 409)
        self.ask(self.take, container="webm")
        run_waiting()
        self.assertContains(self.client.get(self.take.get_absolute_url()), "does not hold H.264")

    def test_what_is_called_off_or_fails_at_any_step_leaves_nothing(self):
        asked = rewrapping.Rewrap(subject=self.take.pk, finish=rewrapping.Finish(container=Container.MP4))

        def called_off(done):
            raise CalledOffError("called off")

        with self.assertRaises(CalledOffError):
            rewrapping.rewrap(asked, called_off)
        for place in ("rewrap", "carry_alike"):
            with patch.object(core_finishing, place, side_effect=MediaError(self.shelf, "broke")):
                self.assertRaises(MediaError, rewrapping.rewrap, asked, lambda done: None)
        with patch.object(made_of, "sum_up", side_effect=BadValueError("Sum", 1, "planted")):
            self.assertRaises(BadValueError, rewrapping.rewrap, asked, lambda done: None)
        self.assertEqual(sorted(path.name for path in self.shelf.iterdir()), self.before)
        self.assertEqual(Take.objects.count(), 1)
        self.assertFalse(Job.objects.filter(kind="prove").exists())
