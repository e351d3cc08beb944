import unittest

import numpy as np

from reel.core.signal import NS, InputError
from reel.core.sound import Meter
from reel.standins.microphone import Microphone, Place


def hear(place, seconds, **settings):
    microphone = Microphone(place, start_ns=0, **settings)
    blocks = [microphone.read(microphone.due_ns()) for _ in range(round(seconds * 100))]
    return np.concatenate([block.data for block in blocks], axis=1), blocks


class MicrophoneTests(unittest.TestCase):
    def test_the_near_one_is_louder_and_cleaner(self):
        peaks, floors = {}, {}
        for place in Place:
            data, _ = hear(place, 10)
            self.assertEqual(data.shape, (1, 480_000))
            meter = Meter(1, 48_000)
            meter.feed(data)
            peaks[place] = meter.read()[0].peak_db
            quiet = np.sqrt((data[0].reshape(-1, 2400) ** 2).mean(axis=1)).min()
            floors[place] = 20 * np.log10(quiet)
        self.assertAlmostEqual(peaks[Place.BENCH], -12, delta=0.5)
        self.assertAlmostEqual(peaks[Place.BACKUP], -27, delta=1.5)
        self.assertLess(floors[Place.BENCH], floors[Place.BACKUP] - 6)

    def test_both_hear_the_same_voice_the_far_one_later(self):
        near, far = (hear(place, 4)[0][0].astype(float) for place in Place)
        lag = int(np.argmax(np.fft.irfft(np.conj(np.fft.rfft(near)) * np.fft.rfft(far))))
        self.assertAlmostEqual(lag / 48, 9, delta=0.2)

    def test_its_clock_drifts_and_it_is_switched_off(self):
        _, blocks = hear(Place.BENCH, 3, drift_ppm=200)
        self.assertAlmostEqual(299 * 0.01 / ((blocks[-1].at_ns - blocks[0].at_ns) / NS), 1.0002, places=6)
        microphone = Microphone(Place.BACKUP, start_ns=0)
        microphone.close()
        self.assertIsNone(microphone.due_ns())
        with self.assertRaises(InputError):
            microphone.read(0)
