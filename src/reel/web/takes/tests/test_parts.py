"""Takes of several parts: proved each, renamed and deleted together, got back after a kill; marks; trials."""

from unittest.mock import patch

from django.conf import settings
from django.db import OperationalError
from django.test import TestCase
from django.urls import reverse
from django.utils import timezone

from reel.core.file import Container, Recipe
from reel.core.line import Console, file_plan
from reel.core.line.tests.rigs import rig
from reel.core.measure import Counts
from reel.core.media.tests.clips import FRAME, write_clip
from reel.core.roll import CutBy, MarkKind
from reel.core.signal import Mode
from reel.web.jobs.models import Job
from reel.web.jobs.running import run_waiting
from reel.web.takes import actions
from reel.web.takes.models import PROVE, RESCUE, Mark, Part, ProofState, Take, TakeState
from reel.web.takes.tests.home import HomeMixin

SETUP = rig(Console(mode=Mode.parse("1280x720p30")), mode=FRAME, recipe=Recipe(container=Container.MKV))


class PartTests(HomeMixin, TestCase):
    def take(self, names=("stone.mkv", "stone_part2.mkv"), state=TakeState.CLOSED, **facts):
        take = actions.begin(
            rig_id=None, rig_name="Moss & Stone", name="stone", file_name=names[0], setup=SETUP,
            started_at=timezone.now(), tracks=["Sound"], state=TakeState.ROLLING, **facts,
        )  # fmt: skip
        for number, name in enumerate(names, start=1):
            write_clip(settings.HOME.shelf / name, file_plan(SETUP), range(60))
            if number > 1:
                actions.add_part(take.pk, number=number, first_tick=60 * (number - 1), file_name=name)
        if state == TakeState.CLOSED:
            files = [
                actions.ClosedFile(file_name=name, first_tick=60 * place, counts=Counts(ticks=60))
                for place, name in enumerate(names)
            ]
            actions.close(take, files, counts=Counts(ticks=60 * len(names)), ended_by=CutBy.LENGTH)
        return take

    def names(self):
        return sorted(path.name for path in settings.HOME.shelf.iterdir())

    def test_each_part_is_proved_and_the_take_is_as_good_as_its_worst(self):
        take = self.take()
        self.assertEqual(Job.objects.filter(kind=PROVE).count(), 2)
        run_waiting()
        take = Take.objects.get()
        self.assertEqual((take.proof_state, take.length_ms), (ProofState.AS_ASKED, 4000))
        part = take.all_parts[1]
        part.counts = {"ticks": 70}
        part.save()
        actions.prove_again(take)
        run_waiting()
        self.assertEqual(Take.objects.get().proof_state, ProofState.DIFFERS)
        page = self.client.get(reverse("takes:take", args=[take.pk]), {"part": 2})
        self.assertContains(page, "Proof of part 2")
        self.assertContains(page, "4.0 s in 2 parts")
        self.assertEqual(self.client.get(reverse("takes:video", args=[take.pk, 3])).status_code, 404)

    def test_all_files_are_renamed_and_deleted_together_or_none_is(self):
        take = self.take()
        (settings.HOME.shelf / "bloom_part2.mkv").write_text("another")
        response = self.client.post(reverse("takes:rename", args=[take.pk]), {"name": "Bloom"})
        self.assertEqual(response.status_code, 422)
        self.assertEqual(self.names(), ["bloom_part2.mkv", "stone.mkv", "stone_part2.mkv"])
        with patch.object(Part, "save", side_effect=OperationalError("planted")), self.assertRaises(OperationalError):
            actions.rename(take, "Moss")
        self.assertEqual(self.names(), ["bloom_part2.mkv", "stone.mkv", "stone_part2.mkv"], "what failed is put back")
        actions.rename(take, "Moss")
        self.assertEqual([part.file_name for part in Take.objects.get().all_parts], ["moss.mkv", "moss_part2.mkv"])
        self.assertContains(self.client.get(reverse("takes:delete", args=[take.pk])), "Delete the files")
        self.client.post(reverse("takes:delete", args=[take.pk]))
        self.assertEqual((self.names(), Job.objects.count()), (["bloom_part2.mkv"], 0))

    def test_a_killed_take_of_parts_is_named_repaired_and_says_what_it_lost(self):
        take = self.take(("a.mkv", "a_part2.rolling.mkv"), TakeState.ROLLING)
        actions.recover_interrupted({take.pk: 4.4})
        self.assertEqual(self.names(), ["a.mkv", "a_part2.mkv"])
        self.assertEqual([job.kind for job in Job.objects.order_by("pk")], [PROVE, RESCUE])
        run_waiting()
        first, second = Take.objects.get().all_parts
        self.assertEqual((first.original_name, first.lost_s), ("", None))
        self.assertEqual((second.file_name, second.original_name), ("a_part2_rescued.mkv", "a_part2.mkv"))
        self.assertAlmostEqual(second.lost_s, 0.4, places=2)
        self.assertContains(self.client.get(reverse("takes:take", args=[take.pk]), {"part": 2}), "At least 0.4 s")
        actions.rename(take, "Bloom")
        self.assertEqual(self.names(), ["bloom.mkv", "bloom_part2.mkv", "bloom_part2_rescued.mkv"])
        actions.delete(take)
        self.assertEqual(self.names(), [])

    def test_what_can_not_be_repaired_stays_and_is_said(self):
        take = self.take(("a.rolling.mkv",), TakeState.ROLLING)
        (settings.HOME.shelf / "a.rolling.mkv").write_bytes(b"\x1a\x45\xdf\xa3 no more")
        actions.recover_interrupted()
        run_waiting()
        part = Take.objects.get().first
        self.assertEqual((part.file_name, part.original_name, part.proof_state), ("a.mkv", "", ProofState.FAILED))
        self.assertContains(self.client.get(reverse("takes:take", args=[take.pk])), "could not be repaired")

    def test_marks_lie_in_their_parts_and_are_made_noted_and_taken_away_afterwards(self):
        take = self.take()
        run_waiting()
        Mark.objects.create(take=take, tick=75, kind=MarkKind.GONE)
        page = self.client.get(reverse("takes:take", args=[take.pk]), {"part": 2})
        self.assertContains(page, 'data-seek="0.500"')
        self.assertContains(page, "the signal was gone")
        address = reverse("takes:mark", args=[take.pk])
        self.client.post(address, {"part": 2, "at_s": "1.5", "label": "bloom"})
        made = Mark.objects.get(label="bloom")
        self.assertEqual((made.tick, made.kind), (105, MarkKind.PERSON))
        for at_s in ("-1", "2.1", "nan", "x"):
            self.assertGreaterEqual(self.client.post(address, {"part": 2, "at_s": at_s}).status_code, 400, at_s)
        note = reverse("takes:note", args=[take.pk, made.pk])
        self.client.post(note, {"part": 2, "label": "bloom, good"})
        self.assertTrue(Mark.objects.filter(label="bloom, good").exists())
        self.client.post(note, {"part": 2, "remove": "1"})
        self.assertFalse(Mark.objects.filter(pk=made.pk).exists())

    def test_a_trial_is_shown_held_against_another_kept_or_forgotten(self):
        trial, other = self.take(("a.mkv",), is_trial=True), self.take(("b.mkv",), is_trial=True)
        run_waiting()
        page = self.client.get(reverse("takes:take", args=[trial.pk]))
        self.assertContains(page, "Forget it")
        for name in ("first", "hardest", "last"):
            response = self.client.get(reverse("takes:still", args=[trial.pk, name]))
            self.assertEqual((response.status_code, response["Content-Type"]), (200, "image/jpeg"), name)
        compared = self.client.get(reverse("takes:compare"), {"one": trial.pk, "other": other.pk})
        self.assertContains(compared, "both were asked for alike")
        self.assertContains(compared, "Hardest second")
        self.assertEqual(self.client.get(reverse("takes:compare"), {"one": trial.pk, "other": "x"}).status_code, 404)
        self.client.post(reverse("takes:keep", args=[trial.pk]))
        self.assertEqual(
            self.client.post(reverse("takes:forget", args=[trial.pk])).status_code, 404, "it is a take now"
        )
        self.client.post(reverse("takes:forget", args=[other.pk]))
        self.assertEqual(self.names(), ["a.mkv"])
        self.assertEqual(len(list(settings.HOME.cache.glob("*-first.jpg"))), 1, "its pictures went with it")
