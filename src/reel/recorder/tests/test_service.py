"""The recorder in real time, over its sockets: states, refusals, rubbish."""

import asyncio
import subprocess
import sys
import threading
import time
from contextlib import suppress
from dataclasses import replace
from unittest.mock import patch

import numpy as np
import zmq

from reel.core.line import DeviceKind, Simulated, propose
from reel.core.line.tests.rigs import feed
from reel.core.measure import AlarmKind, Verdict, prove
from reel.core.media import PartWriter, Shelf, probe
from reel.core.roll import MarkKind
from reel.core.signal import NS
from reel.recorder.client import Client
from reel.recorder.messages import (
    AddMark,
    Ask,
    Cut,
    Leave,
    NotNowError,
    Open,
    Pause,
    RefusedError,
    Resume,
    TakeSample,
    UnreachableError,
)  # fmt: skip
from reel.recorder.run_files import CLOSING, REQUESTS
from reel.recorder.tests.serving import CONSOLE, LIGHT, QUICK, SMALL, ServerTestCase, to_roll

FEED = feed("gone.mp4", SMALL.mode, QUICK)


class ServiceTests(ServerTestCase):
    def test_roll_hold_mark_carry_on_cut(self):
        take = self.start_roll()
        self.wait_for(lambda status: status.rolls[0].length_s > 0.5)
        self.client.ask(AddMark(takes=(take,), label="first bloom"))
        self.client.ask(Pause(takes=(take,)))
        held = self.client.ask(Ask()).status.rolls[0]
        self.assertEqual(held.state, "holding")
        with self.assertRaises(RefusedError):
            self.client.ask(Pause(takes=(take,)))
        self.wait_for(lambda status: status.rigs[0].picture.heard.before and status.rigs[0].picture.watched.per_s > 25)
        self.assertEqual(self.client.ask(Ask()).status.rolls[0].length_s, held.length_s, "time stands still on hold")
        self.client.ask(Resume(takes=(take,)))
        self.wait_for(lambda status: status.rolls[0].length_s > held.length_s + 0.3)
        self.assertEqual(self.client.ask(Cut(takes=(take,))).takes, (take,))
        ended = self.journal.ends[take]
        self.assertEqual(
            (ended.problem, ended.path.suffix, [mark.kind for _, mark in self.journal.marks]),
            (None, ".mp4", [MarkKind.PERSON, MarkKind.HOLD]),
        )
        facts = probe(ended.path)
        self.assertEqual(facts.video.frames + ended.counts.lost_encoder, ended.counts.ticks)
        self.assertFalse(list(self.folder.glob("*.rolling.*")))

    def test_rigs_roll_together_from_the_same_instant_and_one_alone_can_be_cut(self):
        """Their files begin within one picture of each other, as the proof says; where one can't roll, none does."""
        camera = replace(LIGHT, inputs=(replace(LIGHT.picture, origin=Simulated(device="second")),))
        with self.assertRaises(RefusedError):
            self.start_rolls(to_roll(LIGHT), to_roll(FEED, 2))
        self.assertEqual((self.journal.takes, list(self.folder.glob("*.m*"))), ([], []))
        both = self.start_rolls(to_roll(LIGHT), to_roll(camera, 2))
        self.wait_for(lambda status: len([roll for roll in status.rolls if roll.length_s > 1]) == 2)
        self.client.ask(AddMark(takes=both, label="both"))
        self.client.ask(Pause(takes=both[:1]))
        states = [roll.state for roll in self.client.ask(Ask()).status.rolls]
        self.assertEqual(states, ["holding", "rolling"])
        with self.assertRaisesRegex(RefusedError, "^Done for .*; not for .* is not on hold"):
            self.client.ask(Resume(takes=both))
        self.client.ask(Cut(takes=both[:1]))
        self.assertEqual([roll.take_id for roll in self.client.ask(Ask()).status.rolls], [both[1]])
        self.start_roll(rig_id=1)  # and rolls again beside the other
        self.wait_for(lambda status: len(status.rolls) == 2 and status.rolls[1].length_s > 0.3)
        self.assertEqual(len(self.cut()), 2)
        for take in both:
            ended = self.journal.ends[take]
            self.assertIsNone(ended.problem)
            self.assertLess(ended.counts.began_late_ms, 1000 / 30)
            proof = prove(self.journal.takes[take - 1].plan, facts=probe(ended.path), counts=ended.counts)
            (line,) = (line for line in proof.lines if line.label == "Begun together")
            self.assertEqual(line.verdict, Verdict.AS_ASKED)
        self.assertEqual([take for take, mark in self.journal.marks if mark.label == "both"], list(both))
        self.assertIsNone(self.journal.ends[3].counts.began_late_ms, "it rolled alone")

    def test_a_sample_is_recorded_without_loss_and_is_no_take(self):
        path = self.folder / "sample.mkv"
        with self.assertRaises(RefusedError):
            self.client.ask(TakeSample(rig_id=1, path=str(path)))
        self.wait_seen(1, LIGHT)
        self.client.ask(TakeSample(rig_id=1, path=str(path), seconds=0.5))
        video = probe(path).video
        self.assertEqual((video.codec, video.width_px), ("FFV1", 640))
        self.assertGreater(video.frames, 8)
        self.assertEqual((self.journal.takes, sorted(self.folder.glob("*.m*"))), ([], [path]))
        said = []

        def sample():
            try:
                Client(self.folder).ask(TakeSample(rig_id=1, path=str(path), seconds=60))
            except NotNowError as error:
                said.append(str(error))

        sampling = threading.Thread(target=sample)
        self.wait_seen(1, LIGHT)
        sampling.start()
        making = path.with_name("sample.making.mkv")
        self.wait_for(lambda _: making.exists())
        with self.assertRaises(NotNowError):
            self.client.ask(TakeSample(rig_id=1, path=str(path)))
        phone = replace(propose(DeviceKind.PHONE), frame=LIGHT.frame, recipe=LIGHT.recipe)
        self.start_roll(phone, rig_id=2)  # whatever is to roll, not this rig alone
        sampling.join()
        self.assertEqual(len(said), 1, "who rolls comes first")
        self.assertIn("is to roll", said[0])
        self.assertFalse(making.exists())
        self.assertGreater(probe(path).video.frames, 8, "the sample of before stays")
        self.wait_for(lambda status: status.rolls[0].length_s > 0.3)
        self.wait_seen(1, LIGHT)
        with self.assertRaises(NotNowError):
            self.client.ask(TakeSample(rig_id=1, path=str(path)))
        self.cut()
        self.wait_for(lambda status: not status.rolls)
        low = replace(LIGHT, recipe=replace(LIGHT.recipe, level="1"))
        with self.assertRaises(RefusedError) as raised:
            self.start_roll(low)
        self.assertRegex(str(raised.exception), "Level can't be .1.*H.264 needs")

    def test_conflicting_commands_are_refused_in_a_sentence(self):
        for kind in (Pause, Resume, AddMark, Cut):
            request = kind(takes=(7,))
            with self.subTest(request), self.assertRaises(RefusedError) as raised:
                self.client.ask(request)
            self.assertTrue(str(raised.exception).endswith("."))
        self.start_roll()
        with self.assertRaises(RefusedError) as raised:
            self.start_roll()
        self.assertIn("rolling already", str(raised.exception))
        with self.assertRaises(RefusedError) as raised:
            self.start_roll(rig_id=2)
        self.assertIn("held by the rig", str(raised.exception))
        with self.assertRaises(RefusedError):
            self.client.ask(Cut(takes=(1, 99)))
        self.assertEqual(len(self.client.ask(Ask()).status.rolls), 1, "a wrong cut cuts nothing")

    def test_a_rig_without_signal_does_not_roll(self):
        with self.assertRaises(RefusedError) as raised:
            self.start_roll(FEED)
        self.assertIn("gone.mp4", str(raised.exception))
        self.assertEqual(self.journal.takes, [])
        self.client.ask(Open(rig_id=5, setup=FEED))
        self.wait_for(lambda status: len(status.rigs) == 2 and "gone.mp4" in status.rigs[1].picture.problem)

    def test_a_device_is_opened_by_one_rig_at_a_time(self):
        self.client.ask(Open(rig_id=1, rig_name="Moss & Stone", setup=CONSOLE, viewer="page"))
        self.wait_for(lambda status: status.rigs[0].picture.problem is None)
        self.client.ask(Open(rig_id=2, rig_name="Second", setup=CONSOLE, viewer="other page"))
        second = self.wait_for(
            lambda status: len(status.rigs) == 2 and "held" in (status.rigs[1].picture.problem or "")
        )
        self.assertIn("held by the rig “Moss & Stone”", second.rigs[1].picture.problem)
        with self.assertRaises(RefusedError) as raised:
            self.start_roll(rig_id=2)
        self.assertIn("held by the rig “Moss & Stone”", str(raised.exception))
        self.assertEqual([alarm.kind for alarm in second.rigs[1].picture.alarms], [AlarmKind.HELD])
        self.client.ask(Leave(rig_id=1, viewer="page"))
        alone = self.wait_for(lambda status: [rig.rig_id for rig in status.rigs if rig.picture.problem is None] == [2])
        self.assertEqual(len(alone.rigs), 1, "the first page has gone, and so has its rig")

    def test_a_device_that_was_just_let_go_is_there_for_the_next_roll(self):
        for rig_id in (1, 2, 1):
            take = self.start_roll(rig_id=rig_id)
            self.wait_for(lambda status: status.rolls[0].length_s > 0.2)
            self.client.ask(Cut(takes=(take,)))
            self.wait_for(lambda status: not status.rolls)

    def test_ending_the_process_closes_the_file(self):
        take = self.start_roll()
        self.wait_for(lambda status: status.rolls[0].length_s > 0.3)
        self.end()
        self.assertGreater(probe(self.journal.ends[take].path).video.frames, 5)
        with self.assertRaises(UnreachableError):
            self.client.ask(Ask(), timeout_ms=100)

    def test_at_the_end_what_still_has_to_be_encoded_is_waited_for_and_said(self):
        """A full queue before an encoder that is slow: half a minute's work at the pace of before."""
        write, said = PartWriter.write_picture, set()

        def slow(writer, frame, tick):
            time.sleep(0.25)
            write(writer, frame, tick)

        with patch.object(PartWriter, "write_picture", slow):
            take = self.start_roll()
            self.wait_for(lambda status: status.rolls[0].queue > 25)
            self.stop.set()
            while self.thread.is_alive():
                with suppress(OSError):
                    said.add((self.folder / CLOSING).read_text())
                self.thread.join(0.1)
        ended = self.journal.ends[take]
        self.assertEqual((ended.problem, (self.folder / CLOSING).exists()), (None, False))
        self.assertIn("Moss & Stone 001", said)
        self.assertEqual(probe(ended.path).video.frames, ended.counts.ticks - ended.counts.lost_encoder)

    def test_a_drive_that_hangs_holds_up_nothing_but_its_own_files(self):
        """While one shelf answers nothing every request is answered, and the other's take can be cut."""
        free, go_on, hangs = Shelf.free_bytes, threading.Event(), []
        self.addCleanup(go_on.set)

        def hanging(shelf):
            if shelf.root in hangs:
                go_on.wait(60)
            return free(shelf)

        other = self.folder / "other"
        other.mkdir()
        with patch.object(Shelf, "free_bytes", hanging):
            stuck = self.start_roll()
            take = self.start_rolls(replace(to_roll(LIGHT, 2), folder=str(other)))[0]
            hangs.append(self.folder)
            self.wait_for(lambda status: all(roll.length_s > 1 for roll in status.rolls))
            began_s = time.monotonic()
            self.client.ask(Cut(takes=(take,)))
            self.client.ask(Cut(takes=(stuck,)))
            self.assertLess(time.monotonic() - began_s, 30)
            go_on.set()
        self.wait_for(lambda status: not status.rolls)
        self.assertEqual([self.journal.ends[one].problem for one in (take, stuck)], [None, None])

    def test_what_a_rig_held_is_gone_when_it_is_closed(self):
        """In a process of its own: what other tests have left in this one's memory says nothing of rigs."""
        command = [sys.executable, "-m", "unittest", "reel.recorder.tests.rounds"]
        done = subprocess.run(command, capture_output=True, text=True)
        self.assertEqual(done.returncode, 0, done.stderr)
        self.assertIn("Ran 1 test", done.stderr)

    def test_rubbish_is_refused_and_survived(self):
        context = zmq.Context.instance()
        for parts in (
            [b"Nonsense", b"{}"], [b"Open"], [b"", b"", b""], [b"Open", b"\xff\xfe"], [b"Cut", b'{"take_id":"x"}'],
            [b"AddMark", b'{"label":"' + b"x" * 500 + b'"}'], [b"Open", b"[" * 5000], [b"Cut", b'{"take_id":1e309}'],
        ):  # fmt: skip
            with self.subTest(parts[0]), context.socket(zmq.REQ) as socket:
                socket.setsockopt(zmq.LINGER, 0)
                socket.connect(f"ipc://{self.folder / REQUESTS}")
                socket.send_multipart(parts)
                self.assertTrue(socket.poll(3000))
                self.assertEqual(socket.recv_multipart()[0], b"Refused")
        self.assertEqual(self.client.ask(Ask()).status.rigs, ())

    def test_listening_over_the_socket(self):
        async def listen(what, blocks):
            found, sounds, deadline = [], self.client.sounds(1, what, silence_ms=1000), time.monotonic() + 90
            while len(found) < blocks or not any(max(block[0]) for block in found):
                self.assertLess(time.monotonic(), deadline)
                self.client.ask(kept_open)  # as a page does, however long this takes
                if (block := await anext(sounds)) is not None:
                    found.append(block)
            await sounds.aclose()
            return found

        kept_open = Open(rig_id=1, setup=CONSOLE, viewer="page")
        self.wait_for(lambda _: (s := self.client.ask(kept_open).status).rigs and s.rigs[0].inputs[0].sound)
        for what in ("mix", "0"):
            found = asyncio.run(listen(what, 12))
            samples = np.frombuffer(b"".join(block[0] for block in found), dtype="<i2")
            self.assertGreater(np.abs(samples).max(), 300)
            (comes,) = {block[2] for block in found}
            self.assertEqual((comes.rate_hz, comes.channels), (48_000, 2))
            step_ns = found[1][1] - found[0][1]
            self.assertAlmostEqual(step_ns / NS, len(found[0][0]) / 4 / 48_000, delta=1e-6)
            self.assertLess(time.monotonic_ns() - found[-1][1], 30 * NS)
