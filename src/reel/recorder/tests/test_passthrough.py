"""As sent: what a sender's packets carry lies in the file, byte by byte."""

import socket
import subprocess
import sys
import tempfile
import threading
import unittest
from contextlib import suppress
from dataclasses import replace
from datetime import UTC, datetime
from pathlib import Path
from types import SimpleNamespace
from unittest import mock

import av

from reel.core.errors import ReelError
from reel.core.file import Container, Recipe, SoundCodec, VideoCodec
from reel.core.line import file_plan
from reel.core.line.tests.rigs import feed
from reel.core.measure import Counts, Watched, prove_sent
from reel.core.media import MediaError, SentWriter, Shelf, probe, read_sent, why_not_held
from reel.core.media.tests.clips import FRAME, plan, write_clip
from reel.core.roll import CutBy, RollSetup
from reel.core.signal import Mode, SentPacket, SentStream
from reel.options import ROOT
from reel.recorder.client import Client
from reel.recorder.clock import VirtualClock
from reel.recorder.inputs.network import Packets, _described
from reel.recorder.journal import Rolled
from reel.recorder.messages import Ask, Cut, Open, Pause, RefusedError, StartRoll
from reel.recorder.recording.part_file import PartFile
from reel.recorder.recording.passthrough import PassthroughTake
from reel.recorder.tests.serving import ServerTestCase, to_roll
from reel.recorder.tests.test_stream import await_listener

OPEN = {
    "codec": VideoCodec.VP9, "effort": "speed 8", "sound_codec": SoundCodec.OPUS, "sound_bitrate_bps": 128_000,
}  # fmt: skip


class SentTests(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def sent_by(self, container, **recipe):
        """A file as a sender's stream, and what is written of it from its second keyframe on into each container."""
        asked = plan(container=container, **recipe)
        source = write_clip(self.folder / f"sender.{container.value}", asked, range(150))
        with av.open(str(source)) as reader:
            found = [*reader.streams.video, *reader.streams.audio]
            places = {stream.index: place for place, stream in enumerate(found)}
            streams = [
                SentStream(told.codec.canonical_name, one.type == "video", told.extradata or b"", one)
                for one in found
                if (told := one.codec_context)
            ]  # fmt: skip
            packets = [
                SentPacket(places[p.stream_index], bytes(p), p.pts, p.dts, p.duration or 0, p.time_base, p.is_keyframe)
                for p in reader.demux(found)
                if p.size
            ]
            yield from self.written(streams, packets)

    def written(self, streams, packets):
        for container in (Container.MKV, Container.MP4, Container.TS, Container.MOV):
            if why_not_held(container, streams) is None:
                path = self.folder / f"taken.{container.value}"
                with SentWriter(path, container, streams) as writer:
                    kept = [packet for packet in packets[3:] if writer.write(packet)]
                yield container, path, writer.facts, kept

    def test_every_container_holds_the_senders_bytes_from_a_keyframe_on(self):
        tried = 0
        for sender, recipe in (
            (Container.TS, {}), (Container.MP4, {}), (Container.TS, {"codec": VideoCodec.HEVC, "effort": "ultrafast"}),
            (Container.MKV, OPEN),
        ):  # fmt: skip
            for container, path, facts, kept in self.sent_by(sender, **recipe):
                with self.subTest(sender, container=container, **recipe):
                    tried += 1
                    self.assertTrue(kept[0].is_key)
                    found = read_sent(path)
                    self.assertEqual((found.packets, found.digests), (facts.packets, facts.digests))
                    video = probe(path)
                    damaged = sum(one.undecodable for one in (video.video, *video.sound))
                    self.assertEqual((video.video.start_s < 0.1, damaged), (True, 0))
                    proof = prove_sent(plan(container=container), facts=video, counts=Counts(sent=facts), found=facts)
                    self.assertEqual(proof.differing, ())
        self.assertGreater(tried, 10)

    def test_a_byte_that_is_not_the_senders_is_found(self):
        for container, path, facts, kept in self.sent_by(Container.TS):
            data = bytearray(path.read_bytes())
            picture = next(packet for packet in kept[1:] if not packet.stream and len(packet.data) > 100)
            at = data.find(picture.data[40:80])
            self.assertGreater(at, 0)
            data[at + 20] ^= 1
            path.write_bytes(data)
            found = read_sent(path)
            proof = prove_sent(plan(container=container), facts=probe(path), counts=Counts(sent=facts), found=found)
            self.assertIn("Picture, bytes", [line.label for line in proof.differing])
            break

    def test_what_a_container_does_not_hold_is_refused_by_name(self):
        streams = [SentStream("vp9", True, b"", None), SentStream("opus", False, b"", None)]
        self.assertIn("vp9", why_not_held(Container.MOV, streams))
        self.assertIsNone(why_not_held(Container.MKV, [SentStream("theora", True, b"", None)]))


class Sender:
    """Streams whose packets are given by hand. Implements Sent."""

    def __init__(self, streams):
        self.streams, self.take, self.is_renewed = streams, None, False

    def attach(self, take):
        self.take = take

    def detach(self):
        self.take = lambda packet: None

    def renew(self):
        self.is_renewed = True


class OddSenderTests(unittest.TestCase):
    """What a sender does on one connection: stamps that jump, packets without any, other pictures."""

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def read(self, *sizes):
        """The streams of a sender, and the packets of one recording of each size, their stamps from 0 on."""
        streams, runs = (), []
        for width in sizes:
            asked = replace(plan(container=Container.TS), frame=Mode.parse(f"{width}x180p30"))
            source = write_clip(self.folder / f"sender{width}.ts", asked, range(90))
            reader = self.enterContext(av.open(str(source)))
            found = [*reader.streams.video, *reader.streams.audio]
            streams = streams or tuple(_described(one) for one in found)
            packets = Packets()
            runs.append([])
            packets.attach(runs[-1].append)
            for packet in reader.demux(found):
                packets.take([one.index for one in found].index(packet.stream_index), packet)
        return streams, runs

    def recorded(self, streams, packets, length_ticks=0):
        """What the journal is told of a take of packets."""
        shelf, setup, ended = Shelf(self.folder), feed("tcp://127.0.0.1:1", FRAME, Recipe(as_sent=True)), []
        asked, sender = file_plan(setup), Sender(streams)
        reserved = shelf.reserve("sent_{number}", asked.named("x", datetime.now(UTC)), "mkv")
        rolled = Rolled(
            rig_id=1, rig_name="x", setup=setup, plan=asked, name="x", rolling=reserved.rolling,
            started_at=datetime.now(UTC),
        )  # fmt: skip

        def part(number, first_tick):
            def make(path, _):
                return SentWriter(path, Container.MKV, streams, begins_anew=number > 1)

            return PartFile(shelf, reserved, asked, make, number=number, first_tick=first_tick)

        first = part(1, 0)
        first.open()
        source = SimpleNamespace(sent=sender, readings=[SimpleNamespace(problem=None, watched=Watched(), event=None)])
        over = threading.Event()

        def closed(take, closed):
            ended.append(closed)
            over.set()

        take = PassthroughTake(
            shelf=shelf, reserved=reserved, rolled=rolled, conduct=RollSetup(), reserve_bytes=0,
            rig=lambda: SimpleNamespace(source=source), closed=closed,
            clock=VirtualClock(), files=[first], sent=sender, open_part=part, length_ticks=length_ticks,
        )  # fmt: skip
        take.begin()
        for packet in packets:
            sender.take(packet)
        take.cut(0)
        self.assertTrue(over.wait(60))
        self.must_end = take.must_end()
        return ended[0], sender

    def test_stamps_that_begin_anew_or_jump_begin_a_part_and_no_second_of_it_is_a_length(self):
        streams, (run,) = self.read(320)
        hour = 3600 * 22
        later = [replace(one, pts=one.pts + round(hour / one.time_base), dts=one.dts + round(hour / one.time_base))
                 for one in run]  # fmt: skip
        ended, _ = self.recorded(streams, [*run, *run, *later], length_ticks=30 * 60)
        self.assertFalse(self.must_end, "a jump is no length")
        self.assertEqual((ended.problem, len(ended.parts)), (None, 3))
        self.assertEqual([one.first_tick for one in ended.parts], [0, 90, 180])
        for number, one in enumerate(ended.parts):
            facts, found = probe(one.path), read_sent(one.path)
            self.assertEqual((facts.video.frames, facts.video.undecodable), (90, 0))
            proof = prove_sent(plan(container=Container.MKV), facts=facts, counts=one.counts, found=found)
            self.assertEqual(proof.differing, ())
            self.assertEqual("Time stamps" in [line.label for line in proof.lines], number > 0)

    def test_packets_without_stamps_follow_on_those_before(self):
        streams, (run,) = self.read(320)
        told, odd = Packets(), []
        told.attach(odd.append)
        for number, one in enumerate(run):
            packet = av.Packet(one.data)
            packet.time_base, packet.duration, packet.is_keyframe = one.time_base, one.duration, one.is_key
            if number < 9 or number % 3:
                packet.pts, packet.dts = one.pts, one.dts
            told.take(one.stream, packet)
        self.assertEqual([one.data for one in odd], [one.data for one in run])
        told_all, told_some = (self.recorded(streams, packets)[0].counts.sent for packets in (run, odd))
        self.assertEqual(told_some, told_all)

    def test_other_pictures_end_it_with_the_reason_and_have_the_feed_opened_anew(self):
        streams, (small, large) = self.read(320, 480)
        after = [replace(one, pts=one.pts + 3 * 90_000, dts=one.dts + 3 * 90_000) for one in large]
        ended, sender = self.recorded(streams, [*small, *after])
        self.assertIn("changed the size", ended.problem)
        self.assertTrue(sender.is_renewed)
        facts = probe(ended.path)
        self.assertEqual((facts.video.width_px, facts.video.frames), (320, 90))


class PassthroughTests(ServerTestCase):
    def address(self):
        with socket.socket() as probing:
            probing.bind(("127.0.0.1", 0))
            return f"tcp://127.0.0.1:{probing.getsockname()[1]}"

    def send(self, address, seconds):
        command = [sys.executable, "-m", "reel.recorder.tests.sender", address, str(seconds), "320", "240", "mpegts"]
        process = subprocess.Popen(command, cwd=ROOT / "src")
        self.addCleanup(process.wait)
        self.addCleanup(process.kill)
        await_listener(int(address.partition("?")[0].rpartition(":")[2]))
        return process

    def keep_open(self, setup):
        """Look at a rig as a page does: one that nobody looks at is closed, and the sender takes one call only."""
        gone = threading.Event()

        def look():
            page = Client(self.folder)
            while not gone.wait(0.3):
                with suppress(ReelError):
                    page.ask(Open(rig_id=1, setup=setup, viewer="page"))

        looking = threading.Thread(target=look, daemon=True)
        looking.start()
        self.addCleanup(looking.join, 30)
        self.addCleanup(gone.set)

    def test_a_stream_is_taken_as_it_is_sent_and_ends_with_its_sender(self):
        address = self.address()
        self.send(f"{address}?listen=1", 300)
        recipe = Recipe(container=Container.MKV, as_sent=True, name_pattern="{rig}_{size}_{number}")
        setup = feed(address, Mode.parse("640x360p30"), recipe)
        self.keep_open(setup)
        take = self.start_roll(setup)
        other = self.start_roll(rig_id=3)
        status = self.wait_for(lambda status: all(roll.length_s > 2 for roll in status.rolls))
        self.assertEqual([roll.can_hold for roll in status.rolls], [False, True])
        with self.assertRaises(RefusedError):
            self.client.ask(Pause(takes=(other, take)))
        self.assertEqual(self.client.ask(Ask()).status.roll_of(take_id=other).state, "rolling", "all or none")
        self.client.ask(Cut(takes=(other,)))
        self.client.ask(Cut(takes=(take,)))
        self.wait_for(lambda status: not status.rolls)
        (again,) = self.client.ask(StartRoll(rigs=(to_roll(setup),), length_s=1)).takes
        self.wait_for(lambda status: not status.rolls)
        self.assertEqual(self.journal.ends[again].ended_by, CutBy.LENGTH)
        ended = self.journal.ends[take]
        facts, asked = probe(ended.path), self.journal.takes[0].plan
        self.assertIn("320x240", ended.path.name, "the name says the sender's size")
        self.assertEqual(asked.tick_rate, file_plan(setup).tick_rate, "who reads its marks counts by the rig's ticks")
        self.assertEqual((ended.problem, facts.video.width_px), (None, 320), "the sender's size, not the frame's")
        proof = prove_sent(asked, facts=facts, counts=ended.counts, found=read_sent(ended.path))
        self.assertEqual(proof.differing, ())
        self.assertGreater(ended.counts.sent.packets[0], 50)
        with self.assertRaises(RefusedError) as raised:
            self.start_roll(feed("gone.mp4", FRAME, recipe), rig_id=2)
        self.assertIn("can't", str(raised.exception))

    def test_a_sender_that_stops_ends_it_with_the_reason(self):
        address = self.address()
        sender = self.send(f"{address}?listen=1", 60)
        take = self.start_roll(feed(address, Mode.parse("640x360p30"), Recipe(as_sent=True)))
        self.wait_for(lambda status: status.rolls[0].length_s > 1)
        sender.kill()
        self.wait_for(lambda status: not status.rolls)
        ended = self.journal.ends[take]
        self.assertIn("The sender stopped", ended.problem)
        self.assertGreater(probe(ended.path).video.frames, 20)
        self.assertEqual(self.client.ask(Ask()).status.rolls, ())

    def test_a_full_drive_ends_it_with_the_reason_and_what_was_written_is_proved(self):
        address = self.address()
        self.send(f"{address}?listen=1", 60)
        take = self.start_failing(feed(address, Mode.parse("640x360p30"), Recipe(as_sent=True)), 40)
        ended = self.journal.ends[take]
        self.assertIn("No space left", ended.problem)
        self.assertEqual(sum(ended.counts.sent.packets), 40)
        asked, found = self.journal.takes[-1].plan, read_sent(ended.path)
        proof = prove_sent(asked, facts=probe(ended.path), counts=ended.counts, found=found)
        self.assertNotIn("Picture, packets", [line.label for line in proof.differing])

    def start_failing(self, setup, after):
        """Roll a take whose drive is full after so many packets, until it ended."""
        taken, write = [], SentWriter.write

        def failing(writer, packet):
            if len(taken) >= after:
                raise MediaError(writer._path, "could not be written (No space left on device)")
            is_written = write(writer, packet)
            taken.extend([packet] * is_written)
            return is_written

        with mock.patch.object(SentWriter, "write", failing):
            take = self.start_roll(setup)
            self.wait_for(lambda status: not status.rolls)
        return take
