"""What survives: kills at random moments, a full disk, a lost shelf, a dead child; with real processes and files."""

import json
import os
import random
import shutil
import signal
import subprocess
import threading
from contextlib import suppress
from dataclasses import replace
from pathlib import Path

import av

from reel.core.file import ConstantQuality, Container
from reel.core.frame import FrameSetup
from reel.core.line import DeviceKind, propose
from reel.core.measure import LossCause
from reel.core.media import probe
from reel.core.signal import Mode
from reel.launch.tests.homes import SETUP, HomeTestCase, demo_home, run, run_each
from reel.options import Home
from reel.recorder.messages import AddMark, Ask, Cut, RefusedError, RigToRoll, StartRoll
from reel.web.tests_browser.stack import free_port

CONSOLE = propose(DeviceKind.CONSOLE)
BIG = FrameSetup(mode=Mode.parse("1280x720p30"))
KILLS = 3
UNPROVED = "SELECT count(*) FROM takes_part WHERE proof IS NULL"
UNDONE = "SELECT count(*) FROM jobs_job WHERE kind = 'prove' AND state IN ('waiting', 'running')"
WORST_LOSS_S = 1.2


def readable_s(path):
    """Decode all that a player would show, which skips a packet that was cut off; gives its length, 0 for none yet."""
    times = []
    with suppress(av.error.EOFError, av.error.InvalidDataError), av.open(str(path)) as container:
        for packet in container.demux(video=0):
            with suppress(av.error.InvalidDataError):
                times += [frame.time for frame in packet.decode()]
    return (times[-1] - times[0] + 1 / 30) if times else 0.0


def proof_of(take):
    """The proof of a take's first part."""
    return take["parts"][0]["proof"]


class KillTests(HomeTestCase):
    def test_recorder_killed_at_random_moments(self):
        """kill -9: the file opens up to about the last second; the next start finds the take and its proof."""
        choose, waited_s = random.Random(), {}
        for number in range(KILLS):
            container = (Container.MKV, Container.MP4, Container.TS)[number % 3]
            recorder = self.start_recorder()
            take_id = self.start_roll(replace(SETUP, recipe=replace(SETUP.recipe, container=container)))
            self.client.ask(AddMark(takes=(take_id,), label=f"mark {number}"))
            self.wait_for(self.roll_is_long(choose.uniform(1.3, 2.6)), "the roll")
            roll = self.client.ask(Ask()).status.rolls[0]
            self.end(recorder, signal.SIGKILL)
            # What still waited for a busy encoder can't be in the file.
            waited_s[take_id] = roll.queue / 30
            (rolling,) = (self.home / "shelf").glob("*.rolling.*")
            with self.subTest(container=container, length_s=roll.length_s):
                self.assertGreater(readable_s(rolling), roll.length_s - waited_s[take_id] - WORST_LOSS_S)
        self.end(self.start_recorder())
        self.assertEqual(list((self.home / "shelf").glob("*.rolling.*")), [])
        takes = self.takes()
        for take in takes:
            if take["id"] in waited_s:
                self.assertEqual((take["state"], "was stopped" in take["problem"]), ("interrupted", True))
        self.start("-m", "django", "run_huey", "--quiet")
        self.wait_for(lambda: not self.stored(UNPROVED), "the proofs")
        for take in self.takes()[:KILLS]:
            (part,) = take["parts"]
            facts = probe(Path(part["file"]))
            self.assertAlmostEqual(take["length_s"], float(facts.video.length_s), places=2)
            self.assertGreater(take["length_s"], 0.1)
            self.assertLess(part["lost_s"], waited_s[take["id"]] + WORST_LOSS_S + 0.5)
            original = Path(part["file"]).with_name(part["original"])
            self.assertEqual(Path(part["file"]).stem, f"{original.stem}_rescued")
            left, repaired = readable_s(original), readable_s(Path(part["file"]))
            self.assertGreater(repaired, left - 0.1, "all that was left is in what was repaired")

    def test_worker_killed_its_job_runs_again(self):
        run(self.home, "-m", "django", "shell", "-c", (
            "from reel.web.jobs.models import *; from reel.web.takes.models import *;"
            "part = Part.objects.order_by('-take__started_at')[0];"
            "Part.objects.update(proof=None, proof_state='waiting');"
            "Job.objects.create(kind='prove', subject=part.pk, state=JobState.RUNNING, done_part=0.4)"
        ))  # fmt: skip
        self.start("-m", "django", "run_huey", "--quiet")
        self.wait_for(lambda: not self.stored(UNDONE), "the proof")
        self.assertTrue(proof_of(self.takes()[0])["lines"])

    def test_parent_brings_back_what_died_and_leaves_nothing_behind(self):
        port = free_port()
        parent = self.start("-m", "reel", "start", "--port", str(port))
        log = self.home / "logs" / "test.log"
        self.wait_for(lambda: "ready at" in log.read_text(), "the start")
        self.start_roll()
        self.wait_for(self.roll_is_long(0.2), "the roll")
        before = self.children(parent.pid)
        self.assertEqual(len(before), 3)
        web = next(pid for pid, command in before.items() if "reel.web.server" in command)
        os.kill(web, signal.SIGKILL)
        self.wait_for(lambda: "the web process ended (signal 9)" in log.read_text(), "the word of it")
        self.wait_for(lambda: len(self.children(parent.pid)) == 3, "the new web")
        self.assertEqual(self.client.ask(Ask()).status.rolls[0].state, "rolling", "a roll does not depend on the web")
        refused = run(self.home, "-m", "reel", "start", "--port", str(free_port()), code=1)
        self.assertIn("Another Reel is using", refused.stderr)
        children = self.children(parent.pid)
        os.kill(parent.pid, signal.SIGKILL)
        self.wait_for(lambda: not any(Path(f"/proc/{pid}").exists() for pid in children), "the children's end")
        self.assertEqual(list((self.home / "shelf").glob("*.rolling.*")), [], "the recorder closed its file")

    @staticmethod
    def children(parent):
        listed = subprocess.run(
            ["ps", "--ppid", str(parent), "-o", "pid=,args="], capture_output=True, text=True
        ).stdout.splitlines()
        return {int(line.split()[0]): line for line in listed if "<defunct>" not in line}


class DiskTests(HomeTestCase):
    def test_reserve_is_kept(self):
        free_mb = shutil.disk_usage(self.home).free // 1_000_000
        self.start_recorder(REEL_RESERVE_MB=str(free_mb + 5000))
        with self.assertRaises(RefusedError) as raised:
            self.start_roll()
        self.assertIn("are kept free", str(raised.exception))

    def test_a_shelf_that_is_gone_is_said_before_the_roll(self):
        self.start_recorder()
        (self.home / "shelf").rename(self.home / "elsewhere")
        with self.assertRaises(RefusedError) as raised:
            self.start_roll()
        self.assertIn("can't be reached", str(raised.exception))

    def small_drive(self, size_mb):
        """A shelf on a drive of its own."""
        shelf = self.home.parent / "drive"
        shelf.mkdir()
        mounted = subprocess.run(
            ["mount", "-t", "tmpfs", "-o", f"size={size_mb}m", "tmpfs", str(shelf)], capture_output=True
        )
        if mounted.returncode:
            self.skipTest("a small drive can't be mounted here")
        self.addCleanup(subprocess.run, ["umount", "-l", str(shelf)], check=True)
        return {"REEL_SHELF": str(shelf)}, shelf

    def rolling_fast(self):
        recipe = replace(SETUP.recipe, rate=ConstantQuality(quality=1), effort="ultrafast")
        return self.start_roll(replace(CONSOLE, recipe=recipe, frame=BIG))  # a picture that fills a disk

    def test_the_take_is_cut_cleanly_when_the_reserve_is_reached(self):
        place, shelf = self.small_drive(18)
        self.start_recorder(REEL_RESERVE_MB="14", **place)
        self.rolling_fast()
        self.wait_for(lambda: not self.client.ask(Ask()).status.rolls, "the cut")
        status = self.client.ask(Ask()).status
        self.assertIn("only the reserve of 14 MB was left", status.notice)
        self.assertGreater(shutil.disk_usage(shelf).free, 9_000_000)
        (path,) = shelf.iterdir()
        self.assertGreater(readable_s(path), 0.5)

    def test_a_drive_of_shelf_and_database_that_is_filled_while_it_rolls(self):
        """To the last byte: the take ends with its reason, which is stored once there is room; the next roll works."""
        command = ["mount", "-t", "tmpfs", "-o", "size=60m", "tmpfs", str(self.home)]
        mounted = subprocess.run(command, capture_output=True)
        if mounted.returncode:
            self.skipTest("a small drive can't be mounted here")
        self.addCleanup(subprocess.run, ["umount", "-l", str(self.home)], check=True)
        shutil.copytree(demo_home(), self.home, dirs_exist_ok=True)
        Home(self.home).make()
        recorder = self.start_recorder(REEL_RESERVE_MB="0")
        take_id = self.rolling_fast()
        self.wait_for(self.roll_is_long(0.7), "the roll")
        (rolling,) = (self.home / "shelf").glob("*.rolling.*")
        self.wait_for(lambda: readable_s(rolling) > 0.4, "half a second in the file")
        ballast = self.home / "ballast"
        with ballast.open("wb", buffering=0) as file, suppress(OSError):
            while True:
                file.write(bytes(65_536))
        status = self.wait_for(lambda: (s := self.answers()) and not s.rolls and s.notice and s, "the end")
        self.assertIn("ended by itself", status.notice)
        ballast.unlink()
        state = "SELECT state FROM takes_take WHERE id = ?"
        self.wait_for(lambda: self.stored(state, take_id) == "closed", "the end in the database")
        take = next(take for take in self.takes() if take["id"] == take_id)
        file = Path(take["parts"][0]["file"])
        self.assertNotIn("rolling", file.name)
        self.assertGreater(readable_s(file), 0.3, take)
        self.start_roll()
        self.wait_for(self.roll_is_long(0.3), "the next roll")
        self.cut()
        self.end(recorder)

    def test_two_recorders_on_one_home_are_impossible(self):
        self.start_recorder()
        second = run(self.home, "-m", "django", "recorder", code=1)
        self.assertIn("a home has one", second.stderr)
        self.start_roll()
        self.wait_for(self.roll_is_long(0.3), "the roll")
        (rolling,) = (self.home / "shelf").glob("*.rolling.*")
        refused = run(self.home, "-m", "reel", "roll", "1", "--for", "1s", code=1)
        self.assertIn("rolling", refused.stderr)
        self.assertTrue(rolling.exists(), "what rolls is left alone")
        self.cut()

    def test_a_write_error_ends_the_take_and_keeps_what_was_written(self):
        for container in (Container.MKV, Container.MP4):
            with self.subTest(container):
                self.setUp()
                place, shelf = self.small_drive(3)
                recorder = self.start_recorder(REEL_RESERVE_MB="0", **place)
                recipe = replace(SETUP.recipe, rate=ConstantQuality(quality=1), container=container)
                self.start_roll(replace(CONSOLE, recipe=recipe, frame=BIG))
                self.wait_for(lambda: not self.client.ask(Ask()).status.rolls, "the end")
                self.assertIn("ended by itself", self.client.ask(Ask()).status.notice)
                (path,) = shelf.iterdir()
                self.assertNotIn("rolling", path.name)
                self.assertGreater(readable_s(path), 0.5)
                self.end(recorder)


class ConflictTests(HomeTestCase):
    def both(self, request):
        """Ask from two sides at once; returns the answers and refusals."""
        results, start = [], threading.Barrier(2)

        def ask():
            start.wait()
            try:
                results.append(self.client.ask(request, timeout_ms=60_000).takes[0])
            except RefusedError as error:
                results.append(str(error))

        threads = [threading.Thread(target=ask) for _ in range(2)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        return sorted(results, key=str)

    def test_two_at_once_give_one_result_and_one_sentence(self):
        self.start_recorder()
        before = self.stored("SELECT count(*) FROM takes_take")
        rolled = self.both(StartRoll(rigs=(RigToRoll(rig_id=1, rig_name="Moss & Stone", setup=SETUP),)))
        refused, taken = sorted(rolled, key=lambda answer: isinstance(answer, int))
        rolled = [taken]
        self.assertIsInstance(taken, int)
        self.assertRegex(refused, "is rolling already|beginning to roll")
        self.wait_for(self.roll_is_long(0.3), "the roll")
        cut = self.both(Cut(takes=(rolled[0],)))
        refused, taken = sorted(cut, key=lambda answer: isinstance(answer, int))
        self.assertEqual(taken, rolled[0])
        self.assertIn("cut already", refused)
        self.assertEqual(self.stored("SELECT count(*) FROM takes_take"), before + 1)

    def test_overload_is_said_within_a_second_and_counted_the_same_everywhere(self):
        self.start_recorder(REEL_WAITING_MB="60")
        console = propose(DeviceKind.CONSOLE, mode=Mode.parse("1920x1080p60"))
        recipe = replace(console.recipe, effort="slow", rate=ConstantQuality(quality=10))
        take_id = self.start_roll(replace(console, recipe=recipe))
        roll = self.wait_for(
            lambda: (s := self.client.ask(Ask()).status.rolls[0]) and s.counts.lost_encoder and s, "a loss"
        )
        first = next(one for one in roll.counts.stretches if one.cause is LossCause.ENCODER)
        self.assertLess(roll.length_s - first.first_tick / 60, 2.5, "it is said within a second, and asked often")
        self.cut()
        self.wait_for(lambda: not self.client.ask(Ask()).status.rolls, "the end")
        take = next(take for take in self.takes() if take["id"] == take_id)
        video = probe(Path(take["parts"][0]["file"])).video
        counts = take["counts"]
        self.assertGreater(counts["lost_encoder"], 0)
        self.assertEqual(video.frames + counts["lost_encoder"], counts["ticks"])


class CommandTests(HomeTestCase):
    def told(self, *commands):
        """What commands that succeed say, one after another."""
        ended = run_each(self.home, *commands)
        self.assertEqual([(code, errors) for code, _, errors in ended if code], [])
        return [out for _, out, _ in ended]

    def test_roll_rigs_takes_probe(self):
        asked = ("--until", "0.005GB", "--parts", "0.01GB", "--recipe", "Evening, small files", "--json", "--for", "4s")
        rigs, done, sized, _, takes = self.told(
            ("rigs", "--json"),
            ("roll", "Moss & Stone, console", "--for", "2s", "--json"),
            ("roll", "1", *asked),
            ("roll", "1", "--for", "1s", "--recipe", "Archive of the garden"),
            ("takes", "--json"),
        )
        done, takes = json.loads(done), json.loads(takes)
        self.assertEqual(len(json.loads(rigs)), 13)
        self.assertEqual((done["state"], proof_of(done)["state"] in ("as asked", "differs")), ("closed", True))
        self.assertEqual((done["length_s"], done["ended_by"]), (2.0, "length"), "to the frame")
        (part,) = done["parts"]
        self.assertEqual(takes[2]["parts"][0]["file"], part["file"])
        self.assertIn(json.loads(sized)["ended_by"], ("size", "length"))
        broken = [self.home / name for name in ("left.mkv", "right.mkv")]
        for path in broken:
            path.write_bytes(Path(takes[0]["parts"][0]["file"]).read_bytes()[:3_000_000])
        held, saved, said = self.told(
            ("probe", part["file"], "--json"), ("rescue", str(broken[0]), "--json"), ("rescue", str(broken[1]))
        )
        self.assertEqual(json.loads(held)["video"]["width_px"], 1280)
        saved = json.loads(saved)
        self.assertEqual(Path(saved["file"]).name, "left_rescued.mkv")
        self.assertGreater(saved["facts"]["video"]["frames"], 2)
        self.assertGreater(saved["lost_at_least_s"], 0.1, "its header says how long it was")
        self.assertIn("lost       at least", said)

    def test_what_is_refused_and_helped(self):
        refusals = (
            (("roll", "nowhere", "--for", "1s"), "There is no rig"),
            (("roll", "1", "--for", "NaN"), "reads like"),
            (("roll", "1"), "Say how long it rolls"),
            (("roll", "1", "--for", "1s", "--recipe", "nothing"), "There is no recipe"),
            (("roll", "1", "--for", "1s", "--parts", "90s"), "whole minutes"),
            (("roll", "1", "--until", "noon"), "reads like 23:30"),
            (("rescue", "/dev/null"), "is no plain file"),
            (("rescue", "n" * 300), "can't be read"),
            (("probe", "/dev/null"), "is no plain file"),
        )
        commands = ("roll", "rigs", "takes", "probe", "rescue", "demo", "start", "test", "assets")
        told = run_each(self.home, *(one for one, _ in refusals), *((one, "--help") for one in commands))
        refused, helped = told[: len(refusals)], told[len(refusals) :]
        for (arguments, said), (code, _, errors) in zip(refusals, refused, strict=True):
            self.assertEqual((code, said in errors), (1, True), (arguments, errors))
        for command, (code, out, _) in zip(commands, helped, strict=True):
            self.assertEqual((code, "usage" in out), (0, True), command)
