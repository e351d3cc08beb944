"""Loudness by the test signals of EBU Tech 3341; what a strip's filters do to level and time."""

import unittest

import numpy as np

from reel.core.media import ChannelStrip, Loudness
from reel.core.media.samples import clipped
from reel.core.signal import NS, Samples, SoundFormat
from reel.core.sound import Balance, SoundSetup

RATE_HZ = 48_000


def sine(level_db, seconds, hz=1000):
    """A stereo sine whose peak lies at `level_db` in dBFS."""
    time = np.arange(round(seconds * RATE_HZ)) / RATE_HZ
    return np.tile((10 ** (level_db / 20) * np.sin(2 * np.pi * hz * time)).astype(np.float32), (2, 1))


def measured(sound, block):
    meter = Loudness(2, RATE_HZ)
    for start in range(0, sound.shape[1], block):
        meter.feed(sound[:, start : start + block])
    return meter.loud


def through(setup, sound, block=960, start_ns=NS):
    """Put sound through a strip in blocks; returns what comes, laid where its stamps say."""
    strip, made = ChannelStrip(setup, SoundFormat(), 2), np.zeros_like(sound)
    blocks = [Samples(at_ns=start_ns + at * NS // RATE_HZ, data=sound[:, at : at + block])
              for at in range(0, sound.shape[1], block)]  # fmt: skip
    for given in [*(one for block in blocks for one in strip.apply(block)), *strip.drain()]:
        at = round((given.at_ns - start_ns) * RATE_HZ / NS)
        made[:, at : at + given.data.shape[1]] = given.data
    return made


class ClippingTests(unittest.TestCase):
    def test_a_wave_that_is_cut_off_clips_and_one_that_touches_full_scale_does_not(self):
        touches = np.zeros((2, 100), np.float32)
        touches[0, [0, 20, 21, 99]] = touches[1, [40, 41]] = 1.0
        self.assertEqual(clipped(touches), 0)
        touches[1, 42], touches[0, 60:64] = -1.0, -1.0
        self.assertEqual(clipped(touches), 3 + 4)


class LoudnessTests(unittest.TestCase):
    def test_the_signals_of_ebu_tech_3341_whatever_the_blocks(self):
        """Cases 1, 2 and 3 of its minimum requirements: within 0.2 LU."""
        for block in (960, 1024, 7001):
            for level_db in (-23, -33):
                loud = measured(sine(level_db, 20), block)
                for got in (loud.momentary, loud.short, loud.integrated):
                    self.assertAlmostEqual(got, level_db, delta=0.2)
            parts = [sine(-36, 10), sine(-23, 60), sine(-36, 10)]
            self.assertAlmostEqual(measured(np.concatenate(parts, axis=1), block).integrated, -23, delta=0.2)
        self.assertLessEqual(measured(np.zeros((2, RATE_HZ * 5), dtype=np.float32), 960).short, -70)

    def test_the_balance_is_that_of_the_moments_at_which_somebody_speaks(self):
        balance = Balance()
        for _ in range(100):
            balance.feed(-70, -20)  # the game is loud while nobody speaks
        self.assertIsNone(balance.read().gap_lu)
        for _ in range(50):
            balance.feed(-24, -28)
        found = balance.read()
        self.assertAlmostEqual(found.gap_lu, 4, delta=0.01)
        self.assertAlmostEqual(found.too_loud_db, 6, delta=0.01)
        self.assertEqual((len(found.voice), found.spoken_s), (150, 5.0))
        for game_lufs, gap_lu, too_loud_db in ((-32.6, 10, 0), (-31.5, 8.9, 0), (-30.6, 8, 2), (-34.6, 12, -2)):
            balance = Balance()
            for number in range(100):  # the mean of their power is -22.6
                balance.feed(-20 if number % 2 else -30, game_lufs)
            found = balance.read()
            self.assertAlmostEqual(found.gap_lu, gap_lu, delta=0.01)
            self.assertAlmostEqual(found.too_loud_db, too_loud_db, delta=0.01)


class StripTests(unittest.TestCase):
    def test_a_limiter_never_lets_anything_above_its_limit(self):
        """Bursts of noise, steps and a full-scale sine, 30 dB too loud, in blocks of any size."""
        random = np.random.default_rng(9)
        noise = random.uniform(-1, 1, (2, RATE_HZ)) * (random.uniform(size=RATE_HZ) > 0.97)
        step = np.repeat(random.choice([-1.0, 0.0, 1.0], (2, 100)), RATE_HZ // 100, axis=1)
        for sound in (noise, step, sine(0, 1)):
            for limit_db, block in ((-1.0, 960), (-12.0, 333)):
                setup = SoundSetup(level_db=30, limit_db=limit_db)
                made = through(setup, sound.astype(np.float32), block)
                with self.subTest(limit_db=limit_db):
                    self.assertLessEqual(np.abs(made).max(), 10 ** (limit_db / 20) * 1.0001)
                    self.assertGreater(np.abs(made).max(), 10 ** (limit_db / 20) * 0.5)
        quiet = sine(-40, 1)
        self.assertTrue(np.allclose(through(SoundSetup(limit_db=-3), quiet), quiet, atol=1e-4), "what is quiet stays")

    def test_filters_move_nothing_in_time(self):
        """A burst of a voice's pitch lies within a millisecond of where it came, through each filter and all."""
        sound = np.zeros((2, RATE_HZ * 2), dtype=np.float32)
        burst = sine(-12, 0.1, hz=600) * np.hanning(RATE_HZ // 10).astype(np.float32)
        sound[:, RATE_HZ : RATE_HZ + burst.shape[1]] = burst
        for filters in ({"high_pass_hz": 80}, {"noise_db": 12}, {"limit_db": -1.0},
                        {"high_pass_hz": 80, "noise_db": 12, "limit_db": -1.0}):  # fmt: skip
            made = through(SoundSetup(**filters), sound)
            alike = np.correlate(made[0], burst[0], mode="valid")
            with self.subTest(filters):
                self.assertAlmostEqual(np.argmax(alike) / 48, 1000, delta=1)
        ends = through(SoundSetup(noise_db=12), sine(-12, 1))
        self.assertGreater(np.abs(ends[:, -480:]).max(), 0.1, "nothing is cut off at the end")
