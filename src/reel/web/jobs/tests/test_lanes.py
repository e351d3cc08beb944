"""Kinds, lanes and priorities of jobs."""

import datetime
import threading
from dataclasses import dataclass
from types import SimpleNamespace
from unittest.mock import patch

from django.test import TestCase
from django.utils import timezone

from reel.core.errors import BadValueError
from reel.web.jobs import kinds, running, tasks
from reel.web.jobs.actions import ask_for, call_off
from reel.web.jobs.kinds import KINDS, BeginAnewError, Lane, Subject, WhileRolling, job_kind
from reel.web.jobs.models import Job, JobState
from reel.web.jobs.running import run_waiting


@dataclass(frozen=True, slots=True, kw_only=True)
class Cut:
    """What a job of the tests is asked."""

    subject: int
    seconds: float = 1.0

    def __post_init__(self):
        if self.seconds <= 0:
            raise BadValueError("Seconds", self.seconds, "they are more than 0")


class LaneTests(TestCase):
    def setUp(self):
        self.done = []
        registered = patch.dict(KINDS)
        registered.start()
        self.addCleanup(registered.stop)
        job_kind("quick", label="Quick")(lambda asked, progress: self.done.append(asked.subject))
        job_kind("soon", label="Soon", priority=5)(lambda asked, progress: self.done.append(-asked.subject))
        job_kind("long", label="Long", lane=Lane.LONG)(self.long)
        job_kind("cut", label="Cutting", params=Cut)(lambda asked, progress: self.done.append(asked.seconds))

    def long(self, asked, progress):
        """While an hour's work is done, what is quick is done beside it, and a second message does nothing twice."""
        ask_for("quick", Subject(subject=7))
        ask_for("long", Subject(subject=9)) if asked.subject == 8 else None
        run_waiting()
        self.done.append(f"long {asked.subject}")

    def test_what_is_quick_never_waits_behind_what_is_long(self):
        ask_for("long", Subject(subject=8))
        run_waiting(Lane.LONG)
        self.assertEqual(self.done, [7, "long 8", 7, "long 9"])
        self.assertEqual(Job.objects.exclude(state=JobState.DONE).count(), 0)

    def test_what_people_wait_for_goes_first(self):
        for number in (1, 2):
            ask_for("quick", Subject(subject=number))
        ask_for("soon", Subject(subject=3))
        ask_for("quick", Subject(subject=4), lane=Lane.LONG)
        run_waiting(Lane.QUICK)
        self.assertEqual(self.done, [-3, 1, 2])
        run_waiting()
        self.assertEqual(self.done[-1], 4)

    def test_what_would_take_from_a_roll_waits_until_nothing_rolls(self):
        rolls = [True]

        def careful(asked, progress):
            rolls.append(True)  # another one begins meanwhile
            progress(0.5)
            self.done.append("careful")

        def wait(seconds):
            self.done.append("waits")
            rolls.clear()

        job_kind("careful", label="Verifying", while_rolling=WhileRolling.BEGINS_LATER)(careful)
        with patch.object(kinds, "_rolls", [lambda: bool(rolls)]), patch.object(running, "_pause") as pause:
            pause.wait = wait
            ask_for("careful", Subject(subject=1))
            ask_for("quick", Subject(subject=2))
            run_waiting()
            self.assertEqual(self.done, [2], "what people wait for goes on beside a roll")
            rolls.clear()
            run_waiting()
        self.assertEqual(self.done, [2, "waits", "careful"])
        for kind in ("bench", "drive", "estimate", "demo"):
            self.assertFalse(KINDS[kind].may_begin_while_rolling, kind)

    def test_what_measures_begins_anew_after_a_roll_that_began_meanwhile(self):
        """Whether it sees the roll itself, or something that it asks for is refused since one is about to begin."""
        rolls, waits = [], []

        def work(asked, progress):
            self.done.append(asked.subject)
            if len(self.done) == 1:
                rolls.append(True)
            if len(self.done) == 2:
                raise BeginAnewError("Something is to roll.")
            progress(0.5)
            self.done.append("measured")

        def wait(seconds):
            found = Job.objects.get(pk=job.pk)
            waits.append((found.state, found.attempts, found.done_part, found.is_paused))
            run_waiting()  # as the worker's other thread may; what rolls has it wait
            rolls.clear()

        job_kind("measuring", label="Measuring", while_rolling=WhileRolling.BEGINS_ANEW)(work)
        job = ask_for("measuring", Subject(subject=7))
        with patch.object(kinds, "_rolls", [lambda: bool(rolls)]), patch.object(running, "_pause") as pause:
            pause.wait = wait
            run_waiting()
        job.refresh_from_db()
        waiting = JobState.WAITING, 0, 0
        self.assertEqual((self.done, waits), ([7, 7, 7, "measured"], [(*waiting, True), (*waiting, False)]))
        self.assertEqual((job.state, job.attempts), (JobState.DONE, 1))

    def test_what_gives_way_to_a_roll_goes_on_after_it_or_is_called_off(self):
        def work(asked, progress):
            progress(0.5)
            self.done.append("made")

        job_kind("giving", label="Finishing", while_rolling=WhileRolling.PAUSES)(work)
        job = ask_for("giving", Subject(subject=1))
        rolling, waits = [True, True, True], []

        def wait(seconds):
            found = Job.objects.get(pk=job.pk)
            waits.append((found.is_paused, len(rolling)))
            rolling.pop()
            if len(rolling) == 2:
                ask_for("quick", Subject(subject=2))  # is not held up by it

        with patch.object(kinds, "_rolls", [lambda: bool(rolling)]), patch.object(running, "_pause") as pause:
            pause.wait = wait
            run_waiting()
            self.assertEqual((self.done, waits), ([2, "made"], [(True, 3), (True, 2), (True, 1)]))
            rolling.append(True)
            with patch.dict("os.environ", {"REEL_FINISH_WHILE_ROLLING": "go"}):
                ask_for("giving", Subject(subject=1))
                run_waiting()
            self.assertEqual((self.done, rolling), ([2, "made", "made"], [True]))
            job = ask_for("giving", Subject(subject=1))
            pause.wait = lambda seconds: call_off(job)
            run_waiting()
        job.refresh_from_db()
        self.assertEqual((self.done, job.state), ([2, "made", "made"], JobState.CALLED_OFF))

    def test_a_job_that_ends_its_worker_again_and_again_is_set_aside(self):
        def kill(asked, progress):
            raise SystemExit  # as far as the job goes, the worker is gone

        job_kind("heavy", label="Heavy")(kill)
        job_kind("once", label="Once", attempts=1)(kill)
        for kind, attempts in (("heavy", 3), ("once", 1)):
            job = ask_for(kind, Subject(subject=1))
            for number in range(1, attempts + 1):
                with self.assertRaises(SystemExit):
                    run_waiting()
                running.take_up_left()
                job.refresh_from_db()
                waits = number < attempts
                self.assertEqual((job.attempts, job.state), (number, JobState.WAITING if waits else JobState.FAILED))
            self.assertIn("is not tried again", job.problem)

    def test_parameters_are_checked_when_it_runs(self):
        job = ask_for("cut", Cut(subject=1, seconds=2.5))
        self.assertEqual((job.params, job.label), ({"subject": 1, "seconds": 2.5}, "Cutting"))
        wrong = [
            Job.objects.create(kind="cut", subject=1, params=params) for params in ({"seconds": 0}, {"seconds": []})
        ]
        run_waiting()
        self.assertEqual(self.done, [2.5])
        for one in wrong:
            one.refresh_from_db()
            self.assertEqual((one.state, bool(one.problem)), (JobState.FAILED, True))
        with self.assertRaises(KeyError):
            ask_for("nothing", Subject(subject=1))

    def test_how_long_it_takes_is_told_by_its_pace(self):
        began_at = timezone.now() - datetime.timedelta(seconds=30)
        job = Job(kind="quick", state=JobState.RUNNING, began_at=began_at, done_part=0.25)
        self.assertAlmostEqual(job.left_s, 90, delta=1)
        for changes in ({"done_part": 0.01}, {"state": JobState.DONE}, {"began_at": None}):
            with self.subTest(**changes):
                told = {"kind": "quick", "state": JobState.RUNNING, "began_at": began_at, "done_part": 0.25}
                self.assertIsNone(Job(**told | changes).left_s)


class TakingUpTests(TestCase):
    """What a killed worker left is taken up before any thread of the next one begins a job."""

    def test_each_thread_waits_until_it_is_done_and_one_that_fails_leaves_it_to_the_next(self):
        begun, may_end, done = threading.Event(), threading.Event(), []
        self.enterContext(patch.object(tasks, "_taken_up", threading.Event()))
        self.enterContext(patch.object(tasks, "os", SimpleNamespace(nice=lambda by: None)))
        self.enterContext(patch.object(tasks, "work", lambda lane: None))
        self.enterContext(patch.object(tasks, "clear_asides", lambda: done.append("cleared")))

        def slow():
            begun.set()
            may_end.wait(60)

        with patch.object(tasks, "take_up_left", side_effect=ZeroDivisionError), self.assertRaises(ZeroDivisionError):
            tasks.take_up()
        with patch.object(tasks, "take_up_left", slow):
            threads = [threading.Thread(target=lambda: (tasks.take_up(), done.append("goes on"))) for _ in range(2)]
            for thread in threads:
                thread.start()
            begun.wait(60)
            self.assertEqual(done, [])
            may_end.set()
            for thread in threads:
                thread.join(60)
        self.assertEqual(done, ["cleared", "goes on", "goes on"])
