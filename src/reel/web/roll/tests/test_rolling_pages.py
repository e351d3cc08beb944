"""How a rig rolls, set on its page; what is refused stays as it was typed."""

from dataclasses import replace
from fractions import Fraction
from unittest.mock import patch

from django.test import TestCase
from django.urls import reverse

from reel.core.line import file_plan
from reel.core.line.tests.rigs import feed
from reel.core.media.tests.clips import FRAME
from reel.core.roll import RollSetup
from reel.recorder.messages import Done, StartRoll, Status
from reel.web.rigs.actions import make_rig
from reel.web.takes.tests.home import HomeMixin

TYPED = {
    "countdown_s": "", "reach_back_s": "5", "cut_after": "90 min", "cut_gb": "2.5", "cut_at": "23:30", "gone": "10s",
    "black": "", "still": "2 min", "cut_on_event": "on", "lapse": "1", "may_lighten": "on",
}  # fmt: skip


class RollPageTests(HomeMixin, TestCase):
    def setUp(self):
        super().setUp()
        self.rig = make_rig("Moss", feed("garden.mp4", FRAME))
        self.address = reverse("stages:stage", args=[self.rig.pk, "roll"])

    def test_what_is_typed_is_how_it_rolls_and_is_said_in_a_sentence(self):
        self.assertRedirects(self.client.post(self.address, TYPED), self.address)
        self.rig.refresh_from_db()
        asked = RollSetup(
            reach_back_s=5, cut_after_s=5400, cut_gb=Fraction(5, 2), cut_at="23:30", gone_s=10, still_s=120,
            cut_on_event=True, may_lighten=True,
        )  # fmt: skip
        self.assertEqual(self.rig.plan.roll, asked)
        page = self.client.get(self.address)
        self.assertContains(page, "Begins with the 5 s before the press; cut by you, or by itself after 90 min")
        self.assertContains(page, 'value="90 min"')

    def test_what_is_refused_stays_typed_and_changes_nothing(self):
        for changes, said in (
            ({"countdown_s": "11"}, "less than or equal to 10"),
            ({"countdown_s": "3"}, "neither a countdown"),
            ({"cut_after": "soon"}, "reads like 10s"),
            ({"gone": "1.5s"}, "whole seconds"),
            ({"cut_at": "25:00"}, "valid time"),
            ({"lapse": "4000"}, "less than or equal to 3600"),
            ({"reach_back_s": "", "lapse": "60", "every_s": "10"}, "not by both"),
            ({"reach_back_s": "", "every_s": "0.01"}, "greater than or equal to 0.1"),
        ):
            with self.subTest(changes):
                response = self.client.post(self.address, TYPED | changes)
                self.assertContains(response, said, status_code=422)
                self.assertContains(response, 'value="2 min"', status_code=422)
        self.rig.refresh_from_db()
        self.assertEqual(self.rig.plan.roll, RollSetup())

    def test_a_time_lapse_is_said_and_what_it_does_not_go_with_stays_typed(self):
        typed = TYPED | {"reach_back_s": "", "every_s": "2.5"}
        self.assertRedirects(self.client.post(self.address, typed), self.address)
        self.assertContains(self.client.get(self.address), "A time-lapse, a frame every 2.5 s, without sound.")
        self.rig.refresh_from_db()
        plan = self.rig.plan
        self.assertEqual((plan.roll.every_s, file_plan(plan).pace), (Fraction(5, 2), Fraction(2, 5)))
        self.rig.plan = replace(plan, roll=RollSetup(), frame=replace(plan.frame, as_it_comes=True))
        self.rig.save()
        response = self.client.post(self.address, typed)
        self.assertContains(response, "it needs a fixed rate", status_code=422)
        self.assertContains(response, 'value="2.5"', status_code=422)

    def test_a_trial_asks_for_its_length_and_goes_to_it(self):
        with patch("reel.web.roll.views.client") as client:
            client.return_value.ask.return_value = Done(status=Status(), takes=(7,))
            response = self.client.post(reverse("roll:try", args=[self.rig.pk]), {"seconds": "4"})
        (asked,) = client.return_value.ask.call_args.args
        self.assertEqual((type(asked), asked.length_s, asked.is_trial), (StartRoll, 4, True))
        self.assertEqual(response["Location"], reverse("takes:take", args=[7]))
        for seconds in ("1", "61", "9" * 30, "x"):
            response = self.client.post(reverse("roll:try", args=[self.rig.pk]), {"seconds": seconds})
            self.assertContains(response, "from 2 to 60 s", status_code=409)
