import unittest

import numpy as np

from reel.core.sound import FLOOR_DB, Meter


class MeterTests(unittest.TestCase):
    def test_sine_silence_and_held_peak(self):
        meter = Meter(2, 48_000)
        time = np.arange(4800) / 48_000
        sine = 0.5 * np.sin(2 * np.pi * 1000 * time).astype(np.float32)
        meter.feed(np.stack([sine, np.zeros_like(sine)]))
        left, right = meter.read()
        self.assertAlmostEqual(left.peak_db, -6.02, places=2)
        self.assertAlmostEqual(left.rms_db, -9.03, places=2)
        self.assertEqual((right.peak_db, right.rms_db), (FLOOR_DB, FLOOR_DB))
        meter.feed(np.zeros((2, 48_000), dtype=np.float32))
        self.assertAlmostEqual(meter.read()[0].held_db, -6.02, places=2)
        meter.feed(np.zeros((2, 48_000), dtype=np.float32))
        self.assertEqual(meter.read()[0].held_db, FLOOR_DB)
