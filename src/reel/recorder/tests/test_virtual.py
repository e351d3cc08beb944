"""Whole takes on the virtual clock: which source frame each recorded frame shows, read back from the decoded file."""

import tempfile
import unittest
from fractions import Fraction
from pathlib import Path
from unittest.mock import patch

import av
import numpy as np

from reel.core.file import Container, Recipe
from reel.core.line import Console, file_plan
from reel.core.line.tests.rigs import rig
from reel.core.measure import prove
from reel.core.media import MediaError, PartWriter, Shelf, probe
from reel.core.roll import MarkKind
from reel.core.signal import Mode
from reel.recorder.virtual import record
from reel.standins import Scenario, assemble, read_beacon, read_stamp


class VirtualTests(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.shelf = Shelf(Path(folder.name))

    def roll(self, sent, recorded, rolled_s, *, drift_ppm=0.0, container=Container.MKV, as_it_comes=False, **more):
        recipe = Recipe(container=container, effort="ultrafast")
        device = Console(mode=Mode.parse(sent))
        self.setup_ = rig(device, mode=Mode.parse(recorded), recipe=recipe, as_it_comes=as_it_comes)
        scenario = Scenario(drift_ppm=drift_ppm)
        return record(
            self.setup_,
            lambda start_ns: assemble(self.setup_.picture, scenario, start_ns=start_ns),
            self.shelf,
            rig_name="test",
            rolled_s=rolled_s,
            **more,
        )

    def stamps(self, take):
        height = self.setup_.frame.mode.height_px
        with av.open(str(take.path)) as container:
            return [read_stamp(frame.to_ndarray()[:height]) for frame in container.decode(video=0)]

    def assert_proved(self, take):
        proof = prove(file_plan(self.setup_), facts=probe(take.path), counts=take.counts)
        self.assertEqual(proof.differing, ())

    def test_matching_rates_none_lost_none_doubled(self):
        for container in (Container.MKV, Container.MP4):
            with self.subTest(container):
                take = self.roll("1280x720p30", "640x360p30", [(0, 4)], container=container)
                self.assertEqual(self.stamps(take), list(range(120)))
                self.assertEqual((take.counts.ticks, take.counts.lost, take.counts.dropped), (120, 0, 0))
                self.assert_proved(take)

    def test_2160p30_and_1080p60(self):
        take = self.roll("1920x1080p60", "1280x720p60", [(0, 1)])
        self.assertEqual(self.stamps(take), list(range(60)))
        take = self.roll("3840x2160p30", "640x360p30", [(0, 0.5)])
        self.assertEqual(self.stamps(take), list(range(15)))
        self.assert_proved(take)

    def test_60_to_30_and_24_to_30_are_exact(self):
        take = self.roll("1280x720p60", "640x360p30", [(0, 3)])
        self.assertEqual(self.stamps(take), list(range(0, 180, 2)))
        self.assertEqual((take.counts.ticks, take.counts.dropped, take.counts.repeated), (90, 90, 0))
        take = self.roll("1920x1080p24", "640x360p30", [(0, 4)])
        shown = self.stamps(take)
        self.assertEqual((take.counts.ticks, take.counts.dropped, take.counts.repeated), (120, 0, 24))
        self.assertEqual((len(shown), len(set(shown)), sorted(shown)), (120, 96, shown))
        self.assert_proved(take)

    def test_as_it_comes_keeps_every_picture_at_its_own_time(self):
        for container in (Container.MKV, Container.MP4):
            take = self.roll("1280x720p50", "640x360p30", [(0, 1), (1.5, 2.5)], container=container, as_it_comes=True)
            shown = self.stamps(take)
            self.assertEqual(
                (shown[:50], len(shown), take.counts.dropped, take.counts.ticks), (list(range(50)), 100, 0, 100)
            )
            with av.open(str(take.path)) as file:
                times = [float(frame.pts * frame.time_base) for frame in file.decode(video=0)]
            steps = {round((b - a) * 1000) for a, b in zip(times, times[1:], strict=False)}
            self.assertLessEqual(steps, {19, 20, 21})
            self.assert_proved(take)

    def test_what_fails_leaves_no_file(self):
        for step in ("__init__", "write_picture"):
            error = MediaError(Path("a.mkv"), "could not be written (planted)")
            with self.subTest(step), patch.object(PartWriter, step, side_effect=error):
                self.assertRaises(MediaError, self.roll, "1280x720p30", "640x360p30", [(0, 1)])
                self.assertEqual(list(self.shelf.root.iterdir()), [])

    def test_two_runs_are_identical(self):
        takes = [self.roll("1280x720p60", "640x360p30000/1001", [(0, 1), (1.5, 2)], drift_ppm=80) for _ in range(2)]
        self.assertNotEqual(takes[0].path, takes[1].path)
        self.assertEqual(takes[0].counts, takes[1].counts)
        with av.open(str(takes[0].path)) as first, av.open(str(takes[1].path)) as second:
            for a, b in zip(first.decode(video=0), second.decode(video=0), strict=True):
                self.assertEqual(a.pts, b.pts)
                self.assertTrue(np.array_equal(a.to_ndarray(), b.to_ndarray()))

    def test_hold_leaves_out_exactly_what_was_held(self):
        take = self.roll("1280x720p30", "640x360p30", [(0, 2), (3, 5)], marks_s=[(1, "first"), (4, "second")])
        shown = self.stamps(take)
        self.assertEqual(shown[:60], list(range(60)))
        self.assertEqual(shown[60:], list(range(shown[60], shown[60] + len(shown) - 60)))
        self.assertIn(shown[60], (90, 91))
        self.assertEqual([mark.label for mark in take.marks], ["first", "", "second"])
        self.assertEqual((take.marks[1].kind, take.marks[1].tick), (MarkKind.HOLD, 59))
        self.assertIn(shown[take.marks[2].tick], (119, 120))
        facts = probe(take.path)
        self.assertLess(abs(facts.sound[0].length_s - facts.video.length_s), Fraction(1, 30))
        self.assert_proved(take)

    def test_picture_and_sound_stay_in_step_over_a_hold_and_with_drift(self):
        """Each click in the decoded sound lies at the first frame with a bright beacon, within 10 ms."""
        for rolled_s, drift_ppm in (([(0.4, 7)], 0.0), ([(0.4, 3), (5.2, 9)], 0.0), ([(0, 7)], 400.0)):
            with self.subTest(rolled_s=rolled_s, drift_ppm=drift_ppm):
                take = self.roll("1280x720p30", "640x360p30", rolled_s, drift_ppm=drift_ppm)
                lit, clicks = self.flashes(take), self.clicks(take)
                self.assertGreaterEqual(len(lit), 2)
                for flash_s in lit:
                    nearest = min(clicks, key=lambda click_s: abs(click_s - flash_s))
                    self.assertLess(abs(nearest - flash_s), 0.01, f"flash at {flash_s}, clicks at {clicks}")

    def flashes(self, take):
        """Seconds at which the beacon lights up after it was dark."""
        height, times, before = self.setup_.frame.mode.height_px, [], True
        with av.open(str(take.path)) as container:
            for frame in container.decode(video=0):
                lit = read_beacon(frame.to_ndarray()[:height])
                if lit and not before:
                    times.append(frame.time)
                before = lit
        return times

    def clicks(self, take):
        """Seconds at which the drop's tone sets in; the difference of neighbours leaves the low wind out."""
        with av.open(str(take.path)) as container:
            blocks = [(frame.time, frame.to_ndarray().sum(axis=0)) for frame in container.decode(audio=0)]
        start_s, loud = blocks[0][0], np.abs(np.diff(np.concatenate([block for _, block in blocks]))) > 0.02
        risen = np.flatnonzero(loud)
        return [
            start_s + at / 48_000
            for at, gap in zip(risen, np.diff(risen, prepend=-48_000), strict=True)
            if gap > 24_000
        ]
