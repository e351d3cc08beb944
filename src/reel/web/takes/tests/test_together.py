"""Many at once, and what the database refuses: one name a file, one file a take, and every job ends."""

import os
import threading
from dataclasses import replace
from pathlib import Path
from unittest.mock import patch

from django.conf import settings
from django.db import OperationalError, connections
from django.test import Client, TestCase, TransactionTestCase
from django.urls import reverse
from django.utils import timezone

from reel.core.file import Container, Recipe
from reel.core.frame import FrameSetup
from reel.core.line import DeviceKind, file_plan, propose
from reel.core.measure import Counts
from reel.core.media import MediaError
from reel.core.media.tests.clips import FRAME, write_clip
from reel.core.sound import Sides
from reel.recorder.journal import Closed, JournalError, Rolled
from reel.web.jobs.kinds import KINDS, Kind
from reel.web.jobs.models import Job, JobState
from reel.web.jobs.running import run_waiting, take_up_left
from reel.web.rigs.actions import make_rig
from reel.web.rigs.models import Rig
from reel.web.roll.journal import DatabaseJournal
from reel.web.setups import stored
from reel.web.takes import actions
from reel.web.takes.models import Part, ProofState, Take, TakeState
from reel.web.takes.proving import prove_part
from reel.web.takes.tests.home import HomeMixin

SETUP = replace(propose(DeviceKind.CONSOLE), recipe=Recipe(container=Container.MKV))


class ShelfMixin(HomeMixin):
    def make(self, name="stone", content=b"x", state=TakeState.CLOSED, file_name=None):
        file_name = file_name or f"{name}.mkv"
        if content is not None:
            (settings.HOME.shelf / file_name).write_bytes(content)
        return actions.begin(
            rig_id=None, rig_name="Moss", name=name, file_name=file_name, setup=SETUP, started_at=timezone.now(),
            tracks=["Console"], state=state,
        )  # fmt: skip


class TogetherTests(ShelfMixin, TransactionTestCase):
    tags = frozenset({"live"})

    def together(self, requests):
        """Send all at once, each from a thread of its own; returns the answers' codes."""
        start, codes = threading.Barrier(len(requests)), []

        def send(address, fields):
            try:
                start.wait()
                codes.append(Client(raise_request_exception=False).post(address, fields).status_code)
            finally:
                connections.close_all()

        threads = [threading.Thread(target=send, args=request) for request in requests]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        return codes

    def assert_every_file_has_its_take(self):
        names = {path.name for path in settings.HOME.shelf.iterdir()}
        self.assertEqual(names, set(Part.objects.values_list("file_name", flat=True)))

    def test_twenty_renames_and_a_delete_of_one_take(self):
        take = self.make()
        address = reverse("takes:rename", args=[take.pk])
        codes = self.together([(address, {"name": f"name {number}"}) for number in range(20)])
        self.assertEqual(set(codes), {302})
        self.assert_every_file_has_its_take()
        codes = self.together(
            [(address, {"name": f"other {number}"}) for number in range(10)]
            + [(reverse("takes:delete", args=[take.pk]), {})] * 2
        )
        self.assertTrue(set(codes) <= {302, 404, 409, 422}, codes)
        self.assertFalse(Take.objects.exists())
        self.assert_every_file_has_its_take()

    def test_twenty_rigs_of_one_name(self):
        rig = make_rig("Moss", SETUP)
        codes = self.together([(reverse("rigs:duplicate", args=[rig.pk]), {})] * 20)
        self.assertEqual((set(codes), Rig.objects.count()), ({302}, 21))
        codes = self.together([(reverse("rigs:new"), {"name": "One", "kind": "console"})] * 20)
        self.assertEqual((codes.count(302), set(codes)), (1, {302, 422}))

    def test_two_edits_of_one_rig_at_once_are_both_kept(self):
        """The level of one input and of another, and a name, over and over: none is lost."""
        rig = make_rig("Moss", SETUP)
        self.client.post(reverse("stages:add-input", args=[rig.pk]), {"kind": "microphone"})
        strip = reverse("stages:strip", args=[rig.pk])
        for number in range(20):
            levels = (-number, number / 2 - 30)
            edits = [
                (
                    f"{strip}?input={place}",
                    {"level_db": str(level), "delay_ms": "0", "sides": Sides.AS_IS.value, "tracks": ["1"]},
                )
                for place, level in enumerate(levels)
            ]
            codes = self.together([*edits, (reverse("stages:shelf", args=[rig.pk]), {"shelf": "0"})])
            self.assertLessEqual(set(codes), {200, 302, 404})
            plan = Rig.objects.get(pk=rig.pk).plan
            self.assertEqual(tuple(one.sound.level_db for one in plan.inputs), levels)


class LifeTests(ShelfMixin, TestCase):
    def test_a_recorder_that_was_killed_at_any_moment_leaves_a_take_with_its_file(self):
        """While it was written, after it was named, after another took the name, and when nothing is left."""
        for name, files, found in (
            ("a", ("a.rolling.mkv",), "a.mkv"),
            ("b", ("b.mkv",), "b.mkv"),
            ("c", ("c.mkv", "cb.mkv"), "cb.mkv"),
            ("d", (), None),
        ):
            with self.subTest(name):
                if name == "c":
                    self.make("c")  # another take of that name
                take = self.make(name, None, TakeState.ROLLING, f"{name}.rolling.mkv")
                for file in files:
                    (settings.HOME.shelf / file).write_bytes(b"x")
                actions.recover_interrupted()
                take.refresh_from_db()
                self.assertEqual(take.state, TakeState.INTERRUPTED)
                if found:
                    self.assertEqual(take.first.file_name, found)
                else:
                    self.assertIn("can't be found", take.problem)

    def test_a_take_on_a_device_is_sought_on_the_device(self):
        storage = settings.HOME.devices / "headset"
        storage.mkdir(parents=True)
        (storage / "walk.rolling.mp4").write_bytes(b"x")
        take = self.make("walk", None, TakeState.ROLLING, "walk.rolling.mp4")
        Take.objects.filter(pk=take.pk).update(on_device="headset")
        actions.recover_interrupted()
        take.refresh_from_db()
        self.assertEqual((take.first.file_name, take.first.job), ("walk.mp4", None))
        self.assertTrue((storage / "walk.mp4").exists())

    def test_what_was_on_a_drive_that_was_pulled_is_found_once_it_is_there_again(self):
        """By the next start, or by the button on the take's page."""
        for again in (lambda take: actions.look_for_left(), actions.repair_again):
            take = self.make("pulled", None, TakeState.ROLLING, "pulled.rolling.mkv")
            actions.recover_interrupted()
            self.assertEqual(actions.look_for_left(), 0)
            take.refresh_from_db()
            self.assertIn("can't be found", take.problem)
            page = self.client.get(reverse("takes:take", args=[take.pk]))
            Job.objects.all().delete()
            (settings.HOME.shelf / "pulled.rolling.mkv").write_bytes(b"x")
            again(take)
            take.refresh_from_db()
            self.assertEqual((take.first.file_name, take.first.job.kind), ("pulled.mkv", "rescue"))
            self.assertNotIn("can't be found", take.problem)
            self.assertEqual(page.status_code, 200)
            take.delete()
            (settings.HOME.shelf / "pulled.mkv").unlink()
        closed = self.make("closed")
        answer = self.client.post(reverse("takes:repair", args=[closed.pk]))
        self.assertContains(answer, "nothing to repair", status_code=409)

    def test_what_the_database_refuses_is_said_in_the_recorders_words(self):
        journal = DatabaseJournal()
        locked = patch.object(Take.objects, "create", side_effect=OperationalError("database is locked"))
        rolled = Rolled(
            rig_id=1, rig_name="Moss", setup=SETUP, plan=file_plan(SETUP), name="x",
            rolling=settings.HOME.shelf / "x.rolling.mkv",
            started_at=timezone.now(),
        )  # fmt: skip
        with locked, patch("reel.web.roll.journal.connections"), self.assertRaises(JournalError) as raised:
            journal.rolled(rolled)
        self.assertIn("database is locked", str(raised.exception))
        with patch("reel.web.roll.journal.connections"):
            journal.closed(999, Closed(path=settings.HOME.shelf / "gone.mkv", counts=Counts()))  # deleted meanwhile

    def test_every_job_ends_and_what_was_lost_is_taken_up(self):
        take = self.make()
        waiting = [Job.objects.create(kind="prove", subject=take.first.pk) for _ in range(3)]
        Job.objects.filter(pk=waiting[0].pk).update(state=JobState.RUNNING)  # a killed worker left it
        self.assertEqual(take_up_left(), 1)

        def work(take, progress):
            raise ZeroDivisionError("planted")

        with (
            self.assertLogs("reel.web.jobs.running", "ERROR"),
            patch.dict(KINDS, prove=Kind(name="prove", label="Proving", work=work)),
        ):
            run_waiting()
        for job in Job.objects.all():
            self.assertEqual((job.state, "planted" in job.problem), (JobState.FAILED, True))

    def test_a_take_of_a_killed_first_second_ends_its_proof(self):
        for number, content in enumerate((b"", b"\x1a\x45\xdf\xa3", os.urandom(300))):
            take = self.make(f"short {number}", content)
            job = Job.objects.create(kind="prove", subject=take.first.pk)
            run_waiting()
            job.refresh_from_db()
            take.refresh_from_db()
            self.assertEqual((job.state, take.proof_state), (JobState.FAILED, ProofState.FAILED))
            page = self.client.get(reverse("takes:take", args=[take.pk]))
            self.assertContains(page, "can&#x27;t be read")
            self.client.post(reverse("takes:prove", args=[take.pk]))
            self.assertEqual(Job.objects.filter(subject=take.first.pk, state=JobState.WAITING).count(), 1)

    def test_a_take_that_is_renamed_while_it_is_proved_is_proved_and_plays(self):
        setup = replace(SETUP, frame=FrameSetup(mode=FRAME))
        take = self.make()
        Take.objects.filter(pk=take.pk).update(asked=stored(setup))
        write_clip(settings.HOME.shelf / "stone.mkv", file_plan(setup), range(60))
        names = iter(["moved once", "moved twice"])

        def progress(part):
            name = next(names, None)
            if name:
                actions.rename(Take.objects.get(pk=take.pk), name)

        prove_part(take.first, progress)
        take.refresh_from_db()
        self.assertEqual(
            (take.first.file_name, take.first.playable, take.proof_state != ProofState.WAITING),
            ("moved-twice.mkv", True, True),
        )

    def test_a_poster_or_copy_that_fails_leaves_the_proof_and_can_be_made_again(self):
        setup = replace(SETUP, frame=FrameSetup(mode=FRAME))
        take = self.make()
        Take.objects.filter(pk=take.pk).update(asked=stored(setup))
        write_clip(settings.HOME.shelf / "stone.mkv", file_plan(setup), range(60))
        for name in ("poster", "rewrap_to_mp4"):
            Job.objects.create(kind="prove", subject=take.first.pk)
            error = MediaError(Path("stone.mkv"), "can't be written (No space left on device)")
            with patch(f"reel.web.takes.proving.{name}", side_effect=error):
                run_waiting()
            self.assertIn("No space left", take.first.job.problem)
            self.assertEqual(Take.objects.get(pk=take.pk).proof_state, ProofState.AS_ASKED)
            self.assertEqual([p.name for p in settings.HOME.cache.glob("*.making*")], [])
        self.client.post(reverse("takes:prove", args=[take.pk]))
        run_waiting()
        self.assertTrue(take.first.playable)
