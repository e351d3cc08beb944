"""Speaking over a take: pieces come, break off, become tries; one of them is a track of what is made."""

import datetime

import numpy as np
from django.conf import settings
from django.test import TestCase
from django.urls import reverse
from django.utils import timezone

from reel.core.finish import Finish
from reel.core.measure import Counts
from reel.core.media import probe
from reel.core.wire import from_plain
from reel.web.finishes.editing import opened
from reel.web.finishes.models import CommentaryTry, KeptFinish
from reel.web.jobs.models import Job
from reel.web.jobs.running import run_waiting
from reel.web.takes.models import Take, TakeOrigin
from reel.web.takes.proving import path_of
from reel.web.takes.tests.home import HomeMixin, make_take

HZ = 48_000


def frames(seconds=1.0, level=0.3):
    """Raw frames of a tone that is heard while nothing is played."""
    tone = level * np.sin(np.arange(round(seconds * HZ)) * 0.05)
    return np.rint(np.stack([tone, np.zeros_like(tone)], axis=1) * 32767).astype("<i2").tobytes()


class SpeakingTests(HomeMixin, TestCase):
    def setUp(self):
        super().setUp()
        self.take = make_take("stone", Counts(ticks=90))
        self.client.get(reverse("finishes:stage", args=[self.take.pk, "keep"]))
        run_waiting()

    def at(self, name, *more):
        return reverse(f"finishes:speak{name}", args=[self.take.pk, *more])

    def now(self):
        return opened(Take.objects.with_parts().get(pk=self.take.pk))

    def begun(self, **typed):
        answer = self.client.post(self.at("-begin"), {"rate_hz": HZ, **typed})
        return answer.json()["number"]

    def send(self, number, data, at=0, at_s="0.5"):
        address = f"{self.at('-piece', number)}?at={at}&at_s={at_s}"
        return self.client.post(address, data, content_type="application/octet-stream")

    def spoken(self, **typed):
        """A whole try of two seconds."""
        number, data = self.begun(**typed), frames(2)
        half = len(data) // 2
        self.assertEqual(self.send(number, data[:half]).json(), {"at": half})
        self.assertEqual(self.send(number, data[:half]).json(), {"at": half})  # sent twice, kept once
        self.assertEqual(self.send(number, data[half:], at=half).json(), {"at": len(data)})
        self.client.post(self.at("-end", number))
        return CommentaryTry.objects.get(pk=number)

    def choose(self, number=""):
        typed = {"try": number} if number else {}
        return self.client.post(self.at("-choose"), {"seen": self.now().seen, **typed})

    def sound(self, **typed):
        return self.client.post(
            reverse("finishes:sound", args=[self.take.pk]), {"seen": self.now().seen, "kept": "on", **typed}
        )

    def test_a_try_becomes_a_track_that_is_treated_like_any_other(self):
        self.assertContains(self.client.get(self.at("")), "Nothing was spoken yet.")
        one = self.spoken(late_ms="100")
        self.assertEqual(
            (one.file_name, round(one.length_s, 3), round(one.at_s, 3), one.is_found),
            (f"{self.take.pk}-{one.pk}.flac", 2.0, 0.4, False),
        )
        self.assertEqual([path.name for path in settings.HOME.spoken.iterdir()], [one.file_name])
        self.assertEqual(self.client.get(self.at("-sound", one.pk)).status_code, 200)
        self.choose(one.pk)
        self.assertContains(self.client.get(self.at("")), "is the track")
        self.assertEqual(
            self.sound(track=1, under=2, under_db="9", muted_ranges="0:01 – 0:01.5, 2-2.5", mixed="on").status_code, 302
        )
        self.assertEqual(self.sound(track=2, level_db="-6", title="Ada", mixed="on").status_code, 302)
        page = self.client.get(reverse("finishes:stage", args=[self.take.pk, "sound"]))
        self.assertContains(page, "00:00:01:00 – 00:00:01:15, 00:00:02:00 – 00:00:02:15")
        for wrong in (
            {"track": 3},
            {"track": 1, "under": 1},
            {"track": 1, "muted_ranges": "1 to 2"},
            {"track": 1, "muted_ranges": "3-2"},
            {"track": 1, "under": 7},
            {"track": 1, "end_slide_ms": "9000"},
        ):
            self.assertEqual(self.sound(**wrong).status_code, 409, wrong)
        self.client.post(reverse("finishes:make", args=[self.take.pk]))
        for _ in range(2):
            run_waiting()
        made = Take.objects.get(origin=TakeOrigin.MADE)
        self.assertEqual(made.tracks, ["Mix", "Sound", "Ada"])
        found = probe(path_of(made.first)).sound
        self.assertEqual([one.title for one in found], made.tracks)
        self.assertAlmostEqual(found[2].peak_db, 20 * np.log10(0.3) - 6, delta=0.5)
        self.assertEqual({line.label for line in made.first.proved.differing}, {"Frames", "Lost frames"})  # as the take
        # what is kept for other takes has nothing of this one's
        self.client.post(reverse("finishes:keep-as", args=[self.take.pk]), {"name": "Evening"})
        kept = from_plain(KeptFinish.objects.get().value, Finish)
        self.assertEqual(
            (kept.commentary, kept.mixdown, [(one.track, one.muted, one.under) for one in kept.sound]), ("", (1,), [])
        )
        self.choose()
        left = self.now().finish
        self.assertEqual((left.commentary, left.mixdown, [one.track for one in left.sound]), ("", (1,), [1]))

    def test_what_breaks_off_is_kept_and_a_part_is_spoken_again(self):
        number = self.begun()
        self.send(number, frames(1))
        self.assertContains(self.client.get(self.at("")), "is being spoken")
        CommentaryTry.objects.update(heard_at=timezone.now() - datetime.timedelta(minutes=1))
        self.assertContains(self.client.get(self.at("")), "broke off")
        self.client.post(self.at("-end", number))
        first = CommentaryTry.objects.get()
        self.assertContains(self.client.get(self.at("")), "delay not measured")
        again = self.spoken(into=first.pk)
        self.assertEqual(again.into_id, first.pk)
        self.choose(again.pk)
        self.assertEqual(self.client.post(self.at("-delete", again.pk)).status_code, 409)  # it is the track
        self.client.post(self.at("-delete", first.pk))
        self.assertEqual([path.name for path in settings.HOME.spoken.iterdir()], [again.file_name])
        (settings.HOME.spoken / again.file_name).unlink()
        self.client.post(reverse("finishes:make", args=[self.take.pk]))
        run_waiting()
        self.assertIn("what was spoken is gone", Job.objects.filter(kind="finish").first().problem)
        self.assertFalse(Take.objects.filter(origin=TakeOrigin.MADE).exists())

    def test_what_cannot_be_is_refused_and_nothing_is_lost(self):
        for wrong in ({"rate_hz": "7"}, {"rate_hz": "1e9"}, {"late_ms": "-4"}, {"late_ms": "99999"}, {"into": "77"}):
            self.assertEqual(self.client.post(self.at("-begin"), {"rate_hz": HZ, **wrong}).status_code, 409, wrong)
        number = self.begun()
        for at, at_s, data in (
            (0, "x", frames(0.1)),
            (0, "1e400", frames(0.1)),
            (0, "0", b"odd"),
            (10**12, "0", frames(0.1)),
            ("x", "0", frames(0.1)),
        ):
            self.assertEqual(self.send(number, data, at=at, at_s=at_s).status_code, 409, (at, at_s))
        self.assertEqual(self.client.post(self.at("-end", number)).status_code, 409)
        self.assertEqual(self.send(number, frames(0.1), at=4).json(), {"at": 0})  # what comes before it is missing
        address = self.at("-late")
        for query in (
            "",
            "?rate_hz=48000&played=x",
            f"?rate_hz=48000&played={'9' * 900}",
            "?rate_hz=99999999999&played=1",
        ):
            answer = self.client.post(address + query, frames(1), content_type="application/octet-stream")
            self.assertIn(answer.status_code, (409, 422), query)
        self.assertEqual(self.choose(number).status_code, 409)
        self.client.post(self.at("-delete", number))
        self.assertEqual(list(settings.HOME.spoken.iterdir()), [])
        self.assertEqual(self.send(999, b"").status_code, 404)
