"""Feeds from the network, each from a sender of its own on the loopback: they come, stop, change, lie."""

import http.server
import random
import socket
import subprocess
import sys
import tempfile
import threading
import time
import unittest
from fractions import Fraction
from functools import partial
from pathlib import Path
from unittest.mock import patch

from reel.core.errors import BadValueError
from reel.core.file import Container, Recipe
from reel.core.line import Network
from reel.core.line.tests import rigs
from reel.core.media import PartWriter, Shelf, probe
from reel.core.media.tests.clips import FRAME, plan, write_clip
from reel.core.signal import InputError, Picture
from reel.recorder.clock import RealClock
from reel.recorder.inputs import FileFeed, StreamFeed, network
from reel.recorder.inputs.drivers import Surroundings, opener_for, openers_for
from reel.recorder.inputs.network import Pace
from reel.recorder.recording.encoder_queue import EncoderQueue
from reel.recorder.recording.parts import Parts
from reel.recorder.recording.session import SessionState
from reel.recorder.rig.source import Source


def free_port():
    with socket.socket() as probe_socket:
        probe_socket.bind(("127.0.0.1", 0))
        return probe_socket.getsockname()[1]


class QuietHandler(http.server.SimpleHTTPRequestHandler):
    def log_message(self, *_):
        pass


def await_listener(port, within_s=60):
    """Wait until something listens, without connecting to it: a sender takes one receiver."""
    deadline = time.monotonic() + within_s
    while not any(
        fields[1].endswith(f":{port:04X}") and fields[3] == "0A"
        for fields in (line.split() for line in Path("/proc/net/tcp").read_text().splitlines())
    ):
        assert time.monotonic() < deadline, f"nothing listens on {port}"
        time.sleep(0.02)


class PaceTests(unittest.TestCase):
    def missing(self, stamps):
        pace = Pace()
        return [pace.missing(Fraction(stamp)) for stamp in stamps]

    def test_what_the_network_lost_is_seen_by_the_stamps(self):
        for unit in (90_000, 1000):  # of transport streams, and of containers that round to milliseconds
            stamps = [Fraction(round(number * unit * 1001 / 30_000), unit) for number in range(90)]
            kept = [stamp for number, stamp in enumerate(stamps) if number not in (40, 60, 61, 62)]
            found = self.missing(kept)
            self.assertEqual(sum(found), 4)
            self.assertEqual((found[40], found[59]), (1, 3))

    def test_a_sender_that_keeps_no_pace_loses_nothing_that_can_be_known(self):
        choose = random.Random(4)
        stamps = [Fraction(0)]
        for _ in range(200):
            stamps.append(stamps[-1] + Fraction(choose.choice((33, 50, 66, 100, 400, 17)), 1000))
        self.assertEqual(sum(self.missing(stamps)), 0)


class StreamTests(unittest.TestCase):
    tags = frozenset({"live"})

    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)

    def send(self, address, seconds, *, size=(320, 180), form="mpegts"):
        """Start a sender; it listens or connects as the address says."""
        command = [sys.executable, "-m", "reel.recorder.tests.sender", address, str(seconds), *map(str, size), form]
        sender = subprocess.Popen(command, stderr=subprocess.DEVNULL)
        self.addCleanup(sender.wait)
        self.addCleanup(sender.kill)
        return sender

    def open(self, address, *, listen=False):
        feed = StreamFeed(address, listen=listen, now_ns=time.monotonic_ns)
        self.addCleanup(feed._thread.join, 10)
        self.addCleanup(feed.close)
        return feed

    def read(self, feed, pictures, within_s=45):
        found, deadline = [], time.monotonic() + within_s
        while len(found) < pictures:
            self.assertLess(time.monotonic(), deadline, f"{len(found)} pictures came")
            item = feed.read(time.monotonic_ns())
            if isinstance(item, Picture):
                found.append(item)
            elif item is None:
                time.sleep(0.005)
        return found

    def test_tcp_udp_rtmp_http(self):
        write_clip(self.folder / "clip.mkv", plan(container=Container.MKV), range(60))
        server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), partial(QuietHandler, directory=str(self.folder)))
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        threading.Thread(target=server.serve_forever, daemon=True).start()
        tcp, udp, rtmp = free_port(), free_port(), free_port()
        self.send(f"tcp://127.0.0.1:{tcp}?listen=1", 6)
        self.send(f"udp://127.0.0.1:{udp}?pkt_size=1316", 8)
        waiting = self.open(f"rtmp://127.0.0.1:{rtmp}/live/garden", listen=True)
        await_listener(rtmp)
        self.send(f"rtmp://127.0.0.1:{rtmp}/live/garden", 6, form="flv")
        await_listener(tcp)
        feeds = {
            "tcp": self.open(f"tcp://127.0.0.1:{tcp}"),
            "udp": self.open(f"udp://127.0.0.1:{udp}"),
            "rtmp": waiting,
            "http": self.open(f"http://127.0.0.1:{server.server_port}/clip.mkv"),
        }
        for name, feed in feeds.items():
            with self.subTest(name):
                pictures = self.read(feed, 20)
                self.assertEqual(feed.signal.mode.size_label, "320×180")
                steps = [(b.at_ns - a.at_ns) / 1e6 for a, b in zip(pictures, pictures[1:], strict=False)]
                self.assertAlmostEqual(sorted(steps)[len(steps) // 2], 33.3, delta=1.1)

    def test_who_calls_a_waiting_port_and_says_nothing_does_not_keep_it(self):
        port = free_port()
        with patch.object(network, "SILENCE_S", 0.5):
            feed = self.open(f"rtmp://127.0.0.1:{port}/live/garden", listen=True)
            await_listener(port)
            with socket.create_connection(("127.0.0.1", port)):
                feed._thread.join(30)
                self.assertFalse(feed._thread.is_alive(), "the caller is still there")
            with self.assertRaises(InputError) as raised:
                feed.read(time.monotonic_ns())
        self.assertIn("was called, and no stream came", str(raised.exception))
        self.open(f"rtmp://127.0.0.1:{port}/live/garden", listen=True)
        await_listener(port)

    def test_a_waiting_feed_lets_its_port_go_when_closed(self):
        address = f"rtmp://127.0.0.1:{free_port()}/live/garden"
        for _ in range(2):
            feed = self.open(address, listen=True)
            time.sleep(0.5)
            self.assertTrue(feed._thread.is_alive(), feed._error)
            feed.close()
            feed._thread.join(3)
            self.assertFalse(feed._thread.is_alive())

    def test_not_there_stopping_and_rubbish_are_said(self):
        for address, said in (
            (f"tcp://127.0.0.1:{free_port()}", "can't be reached"),
            (self.rubbish(), "can't be played as a feed"),
            (self.playlist(), "can't be played as a feed"),
        ):
            feed = self.open(address)
            with self.subTest(said), self.assertRaises(InputError) as raised:
                self.read(feed, 1)
            self.assertIn(said, str(raised.exception))
        port, stop = free_port(), threading.Event()
        noise = threading.Thread(target=self.send_noise, args=(port, stop))
        noise.start()
        self.addCleanup(noise.join)
        self.addCleanup(stop.set)
        with patch.object(network, "CONNECT_S", 2.0), self.assertRaises(InputError) as raised:
            self.read(self.open(f"udp://127.0.0.1:{port}"), 1)
        self.assertIn("nothing that can be played for 2 s", str(raised.exception))
        port = free_port()
        sender = self.send(f"tcp://127.0.0.1:{port}?listen=1", 0.7)
        await_listener(port)
        feed = self.open(f"tcp://127.0.0.1:{port}")
        with self.assertRaises(InputError) as raised:
            self.read(feed, 1000)
        self.assertIn("has stopped", str(raised.exception))
        sender.wait(5)

    def test_what_a_server_answers_is_said_in_words(self):
        class Answering(QuietHandler):
            def do_GET(self):
                self.send_error(int(self.path.strip("/")))

        server = http.server.ThreadingHTTPServer(("127.0.0.1", 0), Answering)
        self.addCleanup(server.server_close)
        self.addCleanup(server.shutdown)
        threading.Thread(target=server.serve_forever, daemon=True).start()
        for code, said in (
            (401, "a name and a password"),
            (403, "forbids"),
            (404, "nothing there"),
            (503, "server error"),
        ):
            feed = self.open(f"http://127.0.0.1:{server.server_port}/{code}")
            with self.subTest(code), self.assertRaises(InputError) as raised:
                self.read(feed, 1)
            self.assertIn(said, str(raised.exception))
            self.assertNotIn("HTTP", str(raised.exception))

    def serve(self, content):
        """Serve bytes to whoever connects; returns the address."""
        server = socket.create_server(("127.0.0.1", 0))
        self.addCleanup(server.close)

        def answer():
            connection, _ = server.accept()
            with connection:
                connection.sendall(content)

        threading.Thread(target=answer, daemon=True).start()
        return f"tcp://127.0.0.1:{server.getsockname()[1]}"

    def send_noise(self, port, stop):
        """Send what looks like a transport stream and holds nothing, until it is stopped."""
        choose = random.Random(3)
        with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as sender:
            while not stop.wait(0.005):
                packets = b"".join(b"\x47" + choose.randbytes(187) for _ in range(7))
                sender.sendto(packets, ("127.0.0.1", port))

    def rubbish(self):
        return self.serve(bytes(range(256)) * 2000)

    def playlist(self):
        return self.serve(b"#EXTM3U\n#EXTINF:4,\nfile:///etc/passwd\n#EXT-X-ENDLIST\n")

    def test_a_playlist_in_the_feeds_folder_is_refused(self):
        clip = write_clip(self.folder / "clip.mp4", plan(container=Container.MP4), range(30))
        (self.folder / "list.m3u8").write_text(f"#EXTM3U\n#EXTINF:1,\n{clip}\n#EXT-X-ENDLIST\n")
        (self.folder / "list.ffconcat").write_text(f"ffconcat version 1.0\nfile {clip.name}\n")
        for name in ("list.m3u8", "list.ffconcat"):
            with self.subTest(name), self.assertRaises(InputError) as raised:
                FileFeed(self.folder / name, start_ns=0)
            self.assertIn("holds its own picture", str(raised.exception))
        (self.folder.parent / f"{self.folder.name}.mp4").symlink_to(clip)
        self.addCleanup((self.folder.parent / f"{self.folder.name}.mp4").unlink)
        (self.folder / "sub").mkdir()
        (self.folder / "sub" / "link.mp4").symlink_to(clip)
        around = Surroundings(feeds=self.folder / "sub", now_ns=time.monotonic_ns)
        with self.assertRaises(InputError) as raised:
            opener_for(rigs.feed_input("link.mp4"), around)(0)
        self.assertIn("outside the feeds folder", str(raised.exception))
        (self.folder / "sub" / "loop.mp4").symlink_to(self.folder / "sub" / "loop.mp4")
        with self.assertRaises(InputError) as raised:
            opener_for(rigs.feed_input("loop.mp4"), around)(0)
        self.assertIn("leads nowhere", str(raised.exception))

    def test_addresses(self):
        for address in (
            "file:///etc/passwd", "ftp://host/x", "rtsp://", "tcp://host", "tcp://host:99999", "udp://h:1?x=1",
            "http://ho st/", "http://host/\n", "tcp://h:1/../x", "http://" + "x" * 500, "rtmp://h\x00",
        ):  # fmt: skip
            with self.subTest(address[:30]), self.assertRaises(BadValueError):
                Network(address=address)
        with self.assertRaises(BadValueError):
            Network(address="tcp://127.0.0.1:80", listen=True)

    def test_a_roll_keeps_its_time_while_the_sender_is_gone_and_changes_its_mode(self):
        """The sender stops, comes back with another size; the take is as long as the time that passed."""
        port = free_port()
        address = f"tcp://127.0.0.1:{port}"
        setup = rigs.feed(address, FRAME, Recipe(effort="ultrafast"))
        clock, shelf = RealClock(), Shelf(self.folder)
        source = Source(setup, openers_for(setup, (), self.folder, clock.now_ns), clock)
        thread = threading.Thread(target=source.run)
        self.send(f"{address}?listen=1", 4)
        await_listener(port)
        thread.start()
        self.addCleanup(thread.join, 10)
        self.addCleanup(source.stop)
        self.wait_for(lambda: source.readings[0].problem is None)
        path = shelf.root / "take.mkv"
        queue = EncoderQueue(PartWriter(path, source.plan()), closed=lambda error: None, limit=60)
        roll = source.make_session(Parts(queue, source.plan()))
        queue.start()
        pressed = time.monotonic()
        source.call(lambda: source.begin(roll))
        self.wait_for(lambda: roll.state is SessionState.ROLLING)
        began = time.monotonic()
        self.wait_for(lambda: source.readings[0].problem is not None)
        self.assertIn("has stopped", source.readings[0].problem)
        self.send(f"{address}?listen=1", 20, size=(640, 360))
        self.wait_for(lambda: source.readings[0].signal and source.readings[0].signal.mode.width_px == 640)
        time.sleep(0.5)
        least = time.monotonic() - began
        source.call(lambda: source.cut(clock.now_ns()))
        most = time.monotonic() - pressed
        self.assertTrue(queue.ended.wait(10))
        facts = probe(path).video
        self.assertGreater(float(facts.length_s), least - 0.5)
        self.assertLess(float(facts.length_s), most + 0.5)
        self.assertEqual((facts.width_px, facts.rate.fixed, facts.rate.rate), (320, True, 30))
        self.assertGreater(roll.counts.lost_before, 15)

    def wait_for(self, is_so, within_s=60):
        deadline = time.monotonic() + within_s
        while not is_so():
            self.assertLess(time.monotonic(), deadline)
            time.sleep(0.02)
