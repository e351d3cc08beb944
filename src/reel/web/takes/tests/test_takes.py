from contextlib import suppress
from dataclasses import replace
from fractions import Fraction
from unittest.mock import patch

from django.conf import settings
from django.db import OperationalError, connection, transaction
from django.test import TestCase
from django.test.utils import CaptureQueriesContext
from django.urls import reverse
from django.utils import timezone

from reel.core.line import file_plan
from reel.core.measure import Counts
from reel.core.media import probe
from reel.core.media.tests.clips import write_clip
from reel.core.roll import RollSetup
from reel.web.jobs.actions import call_off
from reel.web.jobs.kinds import KINDS, Kind, Lane
from reel.web.jobs.models import Job, JobState
from reel.web.jobs.running import run_job, run_waiting, take_up_left
from reel.web.takes import actions, listening
from reel.web.takes.models import Mark, Part, ProofState, Take, TakeState
from reel.web.takes.proving import copy_path, poster_path, prove_part, track_path
from reel.web.takes.tests.home import SETUP, HomeMixin


def killed(subject, progress):
    raise KeyboardInterrupt  # as little is stored as when its process is gone


def failing_exit(atomic, kind, error, trace):
    """End a transaction as a full drive does: it is rolled back when it was to be committed."""
    with suppress(RuntimeError):
        _exit(atomic, RuntimeError, RuntimeError("rolled back"), None)
    if error is None:
        raise OperationalError("database or disk is full")


_exit = transaction.Atomic.__exit__


class TakeTests(HomeMixin, TestCase):
    def setUp(self):
        super().setUp()
        self.take = self.make("stone.mkv")

    def make(self, file_name, state=TakeState.CLOSED, content=True, setup=SETUP):
        take = actions.begin(
            rig_id=None, rig_name="Moss & Stone", name=file_name, file_name=file_name, setup=setup,
            started_at=timezone.now(), tracks=["Sound"], state=state,
        )  # fmt: skip
        if content:
            write_clip(settings.HOME.shelf / file_name, file_plan(SETUP), range(90))
        return take

    def prove(self, take):
        prove_part(take.first, lambda part: None)
        take.refresh_from_db()
        return take

    def test_proof_poster_and_browser_copy(self):
        counts = Counts(ticks=90)
        file = actions.ClosedFile(file_name="stone.mkv", first_tick=0, counts=counts)
        actions.close(self.take, [file], counts=counts, prove=False)
        take = self.prove(self.take)
        self.assertEqual((take.proof_state, take.length_ms, take.first.playable), (ProofState.AS_ASKED, 3000, True))
        self.assertTrue(poster_path(take.first).exists() and copy_path(take.first).exists())
        Mark.objects.create(take=take, tick=45, label="<script>")
        # a page that waited for the proof gets the drawing with it, once
        part = self.client.get(reverse("takes:take", args=[take.pk]), headers={"hx-request": "true"})
        self.assertContains(part, 'hx-swap-oob="true"', count=1)
        response = self.client.get(reverse("takes:take", args=[take.pk]))
        self.assertNotContains(response, "hx-swap-oob")
        self.assertContains(response, f"All {take.first.proved.asked_count} checks passed.")
        self.assertContains(response, "00:00:01:15")
        self.assertContains(response, "&lt;script&gt;")

    def test_a_rename_whose_commit_fails_leaves_the_file_its_name(self):
        take = self.take
        actions.close(take, [actions.ClosedFile(file_name="stone.mkv", first_tick=0, counts=Counts())], counts=Counts())
        with patch.object(transaction.Atomic, "__exit__", failing_exit), self.assertRaises(OperationalError):
            actions.rename(take, "evening")
        self.assertTrue((settings.HOME.shelf / "stone.mkv").exists())

    def test_another_track_is_read_out_of_a_take_to_be_listened_to(self):
        take = self.take
        Take.objects.filter(pk=take.pk).update(tracks=["Game", "Voice"])
        write_clip(settings.HOME.shelf / "stone.mkv", replace(file_plan(SETUP), tracks=("Game", "Voice")), range(90))
        self.prove(take)
        address = reverse("takes:sound", args=[take.pk, 1, 1])
        self.assertContains(self.client.get(reverse("takes:take", args=[take.pk])), address)
        self.assertEqual(self.client.get(address).status_code, 404)
        for _ in range(2):
            self.assertEqual(self.client.post(address).status_code, 202)
        self.assertEqual(self.client.get(address).status_code, 202)
        with patch.object(listening, "sound_of", side_effect=OSError(28, "No space left on device")):
            run_waiting()
        failed = self.client.get(address)
        self.assertEqual((failed.status_code, b"No space left" in failed.content), (409, True))
        self.client.post(address)
        run_waiting()
        self.assertEqual(self.client.post(address).status_code, 200)
        self.assertEqual(Job.objects.filter(kind=listening.LISTEN).count(), 2)
        answer = self.client.get(address, headers={"Range": "bytes=0-3"})
        self.assertEqual((answer.status_code, answer["Content-Type"]), (206, "audio/flac"))
        self.assertAlmostEqual(float(probe(track_path(take.first, 1)).length_s), 3, delta=0.03)
        self.assertEqual(self.client.get(reverse("takes:sound", args=[take.pk, 1, 2])).status_code, 404)
        self.prove(take)
        self.assertEqual(self.client.get(address).status_code, 404, "it was read out of what the file was before")

    def test_a_job_that_ends_its_worker_again_and_again_is_set_aside(self):
        job = Job.objects.create(kind="proof", subject=1)
        for _ in range(3):
            self.assertEqual(job.state, JobState.WAITING)
            with patch.dict(KINDS, proof=Kind(name="proof", label="Proof", work=killed)):
                with suppress(KeyboardInterrupt):
                    run_job(job)
                take_up_left()
            job.refresh_from_db()
        self.assertEqual(job.state, JobState.FAILED)
        self.assertIn("3 times", job.problem)

    def test_a_time_lapse_says_how_long_what_it_shows_was(self):
        take = self.make("moss.mkv", setup=replace(SETUP, roll=RollSetup(every_s=Fraction(10))))
        self.prove(take)
        self.assertContains(
            self.client.get(reverse("takes:take", args=[take.pk])), "3.0 s, a time-lapse of 15 min 00 s"
        )
        plain = self.client.get(reverse("takes:take", args=[self.prove(self.take).pk]))
        self.assertNotContains(plain, "time-lapse")

    def test_a_broken_file_is_said(self):
        (settings.HOME.shelf / "stone.mkv").write_bytes(b"broken")
        job = Job.objects.create(kind="prove", subject=self.take.first.pk)
        run_job(job)
        job.refresh_from_db()
        self.assertEqual(job.state, JobState.FAILED)
        self.assertContains(self.client.get(reverse("takes:take", args=[self.take.pk])), "can&#x27;t be read")
        self.assertEqual(Take.objects.get().proof_state, ProofState.FAILED)

    def test_progress_of_every_block_is_not_stored_each_time(self):
        job = Job.objects.create(kind="prove", subject=self.take.first.pk)

        def work(take, progress):
            with CaptureQueriesContext(connection) as stored:
                for block in range(5000):
                    progress(block / 5000)
            self.assertLess(len(stored), 80)
            self.assertGreater(Job.objects.get().done_part, 0.95)

        with patch.dict(KINDS, prove=Kind(name="prove", label="Proof", work=work)):
            run_job(job)
        job.refresh_from_db()
        self.assertEqual((job.state, job.problem), (JobState.DONE, ""))

    def test_the_end_of_a_take_wakes_all_that_waited_for_it(self):
        ends = {
            "closed": lambda take: actions.close(take, [], counts=Counts()),
            "never began": lambda take: actions.forget(take.pk),
        }
        for name, end in ends.items():
            take = self.make(f"{name}.mkv", state=TakeState.ROLLING, content=False)
            with self.subTest(name), patch("reel.web.jobs.actions.work") as work:
                with self.captureOnCommitCallbacks(execute=True):
                    end(take)
                self.assertEqual({call.args for call in work.call_args_list}, {(Lane.QUICK,), (Lane.LONG,)})

    def test_a_job_is_called_off(self):
        job = Job.objects.create(kind="prove", subject=self.take.first.pk)

        def work(take, progress):
            progress(0.5)
            answer = self.client.post(reverse("jobs:call-off", args=[job.pk]), {"next": "all"})
            self.assertEqual(answer.url, "all", "an address, no view's name")
            progress(0.6)
            self.fail("it went on")

        with patch.dict(KINDS, prove=Kind(name="prove", label="Proving", work=work)):
            run_job(job)
            job.refresh_from_db()
            self.assertEqual((job.state, job.done_part), (JobState.CALLED_OFF, 0.5))
            call_off(job)
            run_job(job)  # a job that was called off does not run

    def test_rename_moves_the_file_and_never_over_another(self):
        self.make("other.mkv")
        response = self.client.post(reverse("takes:rename", args=[self.take.pk]), {"name": "Other"})
        self.assertContains(response, "already on the shelf", status_code=422)
        self.assertContains(response, 'value="Other"', status_code=422)
        for name in ("", " ", "x" * 81, "a\x00b", "a\u202eb", "a\nb"):
            response = self.client.post(reverse("takes:rename", args=[self.take.pk]), {"name": name})
            self.assertEqual(response.status_code, 422, name)
        self.client.post(reverse("takes:rename", args=[self.take.pk]), {"name": "../../Moss & <b>"})
        self.take.refresh_from_db()
        self.assertEqual((self.take.name, self.take.first.file_name), ("../../Moss & <b>", "moss-b.mkv"))
        self.assertEqual(sorted(p.name for p in settings.HOME.shelf.iterdir()), ["moss-b.mkv", "other.mkv"])

    def test_delete_asks_and_takes_the_file_along(self):
        take = self.prove(self.take)
        address = reverse("takes:delete", args=[take.pk])
        self.assertContains(self.client.get(address), "Delete stone.mkv?")
        self.assertTrue((settings.HOME.shelf / "stone.mkv").exists())
        self.client.post(address)
        self.assertFalse(Take.objects.exists())
        self.assertEqual([*settings.HOME.shelf.iterdir(), *settings.HOME.cache.iterdir()], [])

    def test_a_rolling_take_is_left_alone(self):
        take = self.make("now.rolling.mkv", TakeState.ROLLING)
        for action in ("rename", "delete"):
            response = self.client.post(reverse(f"takes:{action}", args=[take.pk]), {"name": "x"})
            self.assertContains(response, "cut it first", status_code=422 if action == "rename" else 409)
        self.assertTrue((settings.HOME.shelf / "now.rolling.mkv").exists())

    async def test_video_comes_in_ranges(self):
        part = await Part.objects.aget(take=self.take)
        path = settings.HOME.cache / f"{part.pk}.mp4"
        path.write_bytes(bytes(range(256)) * 4)
        await Part.objects.filter(pk=part.pk).aupdate(playable=True)
        address = reverse("takes:video", args=[self.take.pk, 1])
        for wanted, status, first, count in (
            (None, 200, 0, 1024), ("bytes=0-", 206, 0, 1024), ("bytes=10-19", 206, 10, 10), ("bytes=-4", 206, 252, 4),
            ("bytes=1000-9999", 206, 232, 24), ("bytes=x-y", 200, 0, 1024), ("bytes=-", 200, 0, 1024),
        ):  # fmt: skip
            response = await self.async_client.get(address, headers={"range": wanted} if wanted else {})
            body = b"".join([chunk async for chunk in response.streaming_content])
            with self.subTest(wanted):
                self.assertEqual((response.status_code, len(body), body[0]), (status, count, first))
                self.assertEqual(int(response["Content-Length"]), count)
        response = await self.async_client.get(address, headers={"range": "bytes=1024-"})
        self.assertEqual((response.status_code, response["Content-Range"]), (416, "bytes */1024"))

    def test_the_list_has_a_fixed_number_of_queries_and_pages(self):
        for number in range(40):
            self.make(f"t{number}.mkv", content=False)
        with self.assertNumQueries(13):
            response = self.client.get(reverse("takes:index"))
        self.assertContains(response, "1 of 2")
        for page in ("2", "-1", "x", "1e309", str(2**63)):
            self.assertEqual(self.client.get(reverse("takes:index"), {"page": page}).status_code, 200)

    def test_ids_that_are_none(self):
        for number in (0, 999, 10**17):
            for name in ("take", "rename", "delete"):
                self.assertEqual(self.client.get(reverse(f"takes:{name}", args=[number])).status_code, 404)
            for name in ("video", "poster"):
                self.assertEqual(self.client.get(reverse(f"takes:{name}", args=[number, 1])).status_code, 404)
        for number in (2**63, "9" * 5000):
            self.assertEqual(self.client.get(f"/takes/{number}/").status_code, 404)
