import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from reel.core.line import Console
from reel.core.line.tests.rigs import one
from reel.core.media import Framer, luma_of
from reel.core.signal import NS, InputError, Mode, Picture, Samples, Signal
from reel.standins import Scenario, assemble, read_beacon, read_stamp
from reel.standins.ambience import RATE_HZ, ambience
from reel.standins.device import BLOCK
from reel.standins.stamp import draw_stamp

SMALL = Mode.parse("1280x720p30")


def switched_on(start_ns=0, **settings):
    return assemble(one(Console(mode=SMALL)), Scenario(**settings), start_ns=start_ns)


def luma(frame):
    return luma_of(frame)


def read_for(console, seconds):
    arrived = []
    while console.due_ns() <= seconds * NS:
        arrived.append(console.read(console.due_ns()))
    return [a for a in arrived if isinstance(a, Picture)], [a for a in arrived if isinstance(a, Samples)]


class StampTests(unittest.TestCase):
    @settings(max_examples=40)
    @given(st.integers(0, 2**24 - 1), st.sampled_from([(360, 640), (720, 1280), (1080, 1920)]), st.booleans())
    def test_reads_back_over_any_ground(self, number, shape, beacon):
        plane = np.random.default_rng(number).integers(16, 235, shape, dtype=np.uint8)
        draw_stamp(plane, number, beacon=beacon)
        self.assertEqual((read_stamp(plane), read_beacon(plane)), (number, beacon))

    def test_no_stamp_is_none(self):
        for level in (0, 16, 128, 235):
            self.assertIsNone(read_stamp(np.full((720, 1280), level, dtype=np.uint8)))


class ConsoleTests(unittest.TestCase):
    def test_every_picture_carries_its_number_also_scaled(self):
        pictures, blocks = read_for(switched_on(), 1)
        self.assertEqual([read_stamp(luma(p.frame)) for p in pictures], list(range(31)))
        small = Framer(Signal(mode=Mode.parse("640x360p30")))
        self.assertEqual(read_stamp(luma(small.apply(pictures[17].frame))), 17)
        self.assertEqual(sum(b.data.shape[1] for b in blocks), 48_000)

    def test_same_time_same_picture_and_motion_between(self):
        first, _ = read_for(switched_on(), 0.5)
        second, _ = read_for(switched_on(), 0.5)
        for a, b in zip(first, second, strict=True):
            self.assertTrue(np.array_equal(a.frame.to_ndarray(), b.frame.to_ndarray()))
        scene = slice(0, 600)  # without the stamp
        still = sum(
            np.array_equal(luma(a.frame)[scene], luma(b.frame)[scene]) for a, b in zip(first, first[1:], strict=False)
        )
        self.assertEqual(still, 0)

    def test_clock_drifts_as_set(self):
        console = switched_on(NS, drift_ppm=200)
        pictures, blocks = [], []
        for _ in range(400):
            item = console.read(console.due_ns())
            (pictures if isinstance(item, Picture) else blocks).append(item)
        for items, per_s in ((pictures, 30), (blocks, RATE_HZ / BLOCK)):
            elapsed_s = (items[-1].at_ns - items[0].at_ns) / NS
            self.assertAlmostEqual((len(items) - 1) / per_s / elapsed_s, 1.0002, places=6)

    def test_a_slow_reader_loses_the_oldest_pictures(self):
        console = switched_on()
        console.read(0)
        while not isinstance(item := console.read(2 * NS), Picture):
            pass
        self.assertEqual(item.sequence, 53)  # 61 have been shown, 8 are kept

    def test_click_and_beacon_fall_together(self):
        steps = np.abs(np.diff(ambience())).max(axis=0)  # the wind is low, the drop is not
        for second in (2, 4, 6):
            onset = second * 48_000
            self.assertGreater(steps[onset - 1 : onset + 48].max(), 4 * steps[onset - 4800 : onset - 1].max())
        pictures, _ = read_for(switched_on(), 2.2)
        lit = [p.sequence for p in pictures if read_beacon(luma(p.frame))]
        self.assertEqual(lit, [0, 1, 2, 60, 61, 62])

    def test_switched_off(self):
        console = switched_on()
        console.close()
        self.assertIsNone(console.due_ns())
        with self.assertRaises(InputError):
            console.read(0)
