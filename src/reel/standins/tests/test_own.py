"""A device's own recorder, with time that passes as fast as it can."""

import itertools
import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import av
import numpy as np

from reel.core.file import FilePlan, Recipe, VideoCodec
from reel.core.line import Eye, Headset
from reel.core.line.own import remote_plan, screen_of
from reel.core.line.own_settings import OwnSettings, OwnShape, OwnSound
from reel.core.media import planes_of, probe
from reel.core.signal import NS, InputError, Mode
from reel.standins import Fault, RecordingDevice, Scenario, read_stamp

PLAIN = OwnSettings(rate=36, bitrate_bps=10_000_000, limit_s=2)
FINE = Scenario()
HEADSET = Headset(mode=Mode.parse("1920x1000p36"))


class FastClock:
    """Time passes when somebody waits for it, and then at once."""

    def __init__(self):
        self.now = 0

    def now_ns(self):
        return self.now

    def wait(self, seconds):
        self.now += round(seconds * NS)


class OwnRecorderTests(unittest.TestCase):
    def file_of(self, settings=PLAIN, scenario=FINE, **device):
        """Record by some settings until the limit, and return the file's path."""
        headset = replace(HEADSET, **device)
        plan = remote_plan(settings, settings.picture_of(screen_of(headset)), Recipe(), "Headset")
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        path = Path(folder.name) / "own.mp4"
        clock = FastClock()
        own = RecordingDevice(headset, scenario, settings, path, plan, now_ns=clock.now_ns, wait=clock.wait)
        own.start()
        own._thread.join(60)
        self.assertTrue(own.has_stopped)
        self.assertEqual((own.error, own.is_at_limit), (None, True))
        return path

    def record(self, settings=PLAIN, **device):
        with av.open(str(self.file_of(settings, **device))) as container:
            return list(container.decode(video=0))

    def test_it_stops_by_itself_and_records_one_eye(self):
        left, right = self.record(eye=Eye.LEFT), self.record(eye=Eye.RIGHT)
        for frames in (left, right):
            self.assertAlmostEqual(len(frames), 72, delta=1)
            stamps = [read_stamp(planes_of(frame)[0]) for frame in frames]
            self.assertEqual(stamps, sorted(stamps))
            self.assertGreater(len(set(stamps)), 60)
        differing = np.abs(planes_of(left[9])[0][:800].astype(int) - planes_of(right[9])[0][:800]).mean()
        self.assertGreater(differing, 2, "the eyes see differently")

    def test_one_that_is_not_paired_says_so(self):
        plan = FilePlan(recipe=Recipe(), frame=Mode.parse("960x1000p36"))
        own = RecordingDevice(HEADSET, Scenario(fault=Fault.NOT_PAIRED), PLAIN, Path("x"), plan, now_ns=lambda: 0)
        with self.assertRaises(InputError) as raised:
            own.check()
        self.assertIn("is not paired", str(raised.exception))

    def test_steadying_takes_the_jitter_out_and_costs_the_edges(self):
        steady = replace(PLAIN, steadied=True)
        turns = {option: self.turns(self.record(option)) for option in (PLAIN, steady)}
        self.assertLess(turns[steady], turns[PLAIN] / 2)

    def turns(self, frames):
        """How often the picture's way up and down turns round, by the shift that fits its lines best."""
        profiles = [planes_of(frame)[0][:800, 200:760].mean(axis=1) for frame in frames[4:64]]
        shifts = []
        for before, after in itertools.pairwise(profiles):
            fits = {shift: np.abs(before[20 + shift : 780 + shift] - after[20:780]).mean() for shift in range(-12, 13)}
            shifts.append(min(fits, key=fits.get))
        moves = [shift for shift in shifts if shift]
        return sum(a * b < 0 for a, b in itertools.pairwise(moves))

    def test_its_file_is_as_it_was_set(self):
        """Size, shape, codec, and a track for each sound: measured of the file."""
        wanted = OwnSettings(
            longer_px=800, shape=OwnShape.WIDE, rate=24, codec=VideoCodec.HEVC, bitrate_bps=3_000_000,
            sound=OwnSound.BOTH, limit_s=2, countdown_s=3,
        )  # fmt: skip
        facts = probe(self.file_of(wanted))
        video = facts.video
        self.assertEqual((video.width_px, video.height_px, video.codec), (448, 800, "HEVC"))
        self.assertEqual((video.frames, [one.title for one in facts.sound]), (48, ["Headset", "Microphone"]))
        for sound, tracks in ((OwnSound.NONE, 0), (OwnSound.MICROPHONE, 1)):
            self.assertEqual(len(probe(self.file_of(replace(PLAIN, sound=sound))).sound), tracks)

    def test_one_that_records_smaller_than_it_is_set_to_is_seen_in_its_file(self):
        video = probe(self.file_of(scenario=Scenario(fault=Fault.SMALLER))).video
        self.assertEqual((video.width_px, video.height_px), (720, 750))
