import unittest

import numpy as np
from hypothesis import assume, given, settings
from hypothesis import strategies as some

from reel.core.signal import NS
from reel.core.sound import ClickFinder, Flash, SyncReading, in_step

RATE_HZ = 48_000
PICTURE_NS = NS // 30
# No two of its marks are as far from each other as another two: claps so far apart fit one offset only.
RULER = (0, 1, 4, 10, 18, 23, 25)


def flash_of(clap_ns, phase_ns=0):
    """Return what pictures at 30 a second show of a clap."""
    before = (clap_ns - phase_ns - 1) // PICTURE_NS * PICTURE_NS + phase_ns
    return Flash(before, before + PICTURE_NS)


class InStepTests(unittest.TestCase):
    @settings(max_examples=100)
    @given(
        some.lists(some.integers(-60, 60), min_size=5, max_size=len(RULER)),
        some.integers(-1900, 450),
        some.integers(0, 8000),
        some.integers(0, 8000),
        some.integers(0, PICTURE_NS),
    )
    def test_the_truth_lies_within_what_is_said(self, jitter_ms, offset_ms, light_ms, door_ms, phase_ns):
        """However the claps fall between the pictures, and with a light that comes on and a door that slams."""
        claps = [(300 * at + off) * 1_000_000 + 137 for at, off in zip(RULER, jitter_ms, strict=False)]
        near = [light_ms - clap / 1e6 for clap in claps] + [door_ms - offset_ms - clap / 1e6 for clap in claps]
        assume(min(map(abs, [*near, door_ms - offset_ms - light_ms])) > 100)  # else it may as well be the clap
        flashes = [flash_of(clap, phase_ns) for clap in claps] + [flash_of(light_ms * 1_000_000)]
        clicks = [clap + offset_ms * 1_000_000 for clap in claps] + [door_ms * 1_000_000]
        found = in_step(sorted(flashes, key=lambda flash: flash.at_ns), sorted(clicks))
        self.assertGreaterEqual(len(found.claps_ms), len(claps))
        self.assertLessEqual(abs(found.offset_ms - offset_ms), found.within_ms + 0.1)
        self.assertLessEqual(found.within_ms, PICTURE_NS / 2e6 + 1.1)

    def test_more_claps_say_it_finer_and_too_few_say_nothing(self):
        random = np.random.default_rng(4)
        claps = [int(at * NS) for at in np.cumsum(random.uniform(1, 1.6, 12))]
        within = {
            count: in_step([flash_of(clap) for clap in claps[:count]], [clap + 40_000_000 for clap in claps[:count]])
            for count in (2, 3, 12)
        }
        self.assertIsNone(within[2].offset_ms)
        self.assertIsNone(within[2].delay_ms)
        self.assertLess(within[12].within_ms, 5)
        self.assertLess(within[12].within_ms, within[3].within_ms)
        self.assertAlmostEqual(within[12].delay_ms, -40, delta=5)

    def test_what_may_be_in_step_already_is_not_delayed(self):
        said = [SyncReading(offset_ms=off, within_ms=2).delay_ms for off in (1.6, -1.6, 2.6, -75.4)]
        self.assertEqual((said, SyncReading().delay_ms), ([0, 0, -3, 75], None))

    def test_what_has_nothing_to_do_with_each_other_does_not_agree(self):
        random = np.random.default_rng(8)
        agreed = 0
        for _ in range(50):
            flashes = [flash_of(int(at * NS)) for at in np.cumsum(random.uniform(0.8, 1.8, 9))]
            clicks = [int(at * NS) for at in np.cumsum(random.uniform(0.8, 1.8, 9))]
            agreed += in_step(flashes, clicks).offset_ms is not None
        self.assertLess(agreed, 3)
        self.assertEqual(in_step([], []).claps_ms, ())


class ClickTests(unittest.TestCase):
    def listen(self, sound, block, at_ns=0):
        finder, found = ClickFinder(RATE_HZ), []
        for start in range(0, sound.shape[1], block):
            found += finder.feed(sound[:, start : start + block], at_ns + start * NS // RATE_HZ)
        return found

    def test_clicks_are_found_to_a_fraction_of_a_millisecond_whatever_the_blocks(self):
        random = np.random.default_rng(1)
        sound = (random.standard_normal((2, RATE_HZ * 4)) * 0.002).astype(np.float32)
        places = [20_000, 60_011, 100_777, 150_040]
        for place in places:
            fading = random.uniform(-1, 1, 1500) * np.exp(-np.arange(1500) / 200)
            sound[:, place : place + 1500] += (0.2 * fading).astype(np.float32)
        for block in (480, 960, 1024, 4800):
            found = self.listen(sound, block, at_ns=7 * NS)
            with self.subTest(block):
                self.assertEqual(len(found), len(places))
                for click_ns, place in zip(found, places, strict=True):
                    self.assertAlmostEqual((click_ns / NS - 7) * RATE_HZ, place, delta=0.0004 * RATE_HZ)

    def test_a_tone_that_swells_and_steady_noise_are_no_clicks(self):
        time = np.arange(RATE_HZ * 4) / RATE_HZ
        swells = 0.4 * np.sin(2 * np.pi * 700 * time) * np.clip(np.sin(2 * np.pi * 2 * time), 0, 1) ** 0.6
        noise = np.random.default_rng(2).standard_normal(len(time)) * 0.05
        for sound in (swells, noise, np.zeros_like(time)):
            self.assertEqual(self.listen(sound[None].astype(np.float32), 960), [])
