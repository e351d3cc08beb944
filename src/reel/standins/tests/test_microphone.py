import unittest

import numpy as np

from reel.core.line import DeviceKind, Simulated
from reel.core.signal import NS, InputError
from reel.core.sound import Meter
from reel.standins import Fault, Scenario, Trouble, listen
from reel.standins.ambience import RATE_HZ
from reel.standins.microphone import BLOCK
from reel.standins.voices import CHAT_S


def switch_on(kind=DeviceKind.MICROPHONE, **settings):
    scenario = Scenario(**settings)
    trouble = Trouble.opened_at(scenario, 0)
    return listen(kind, Simulated(device="Bench microphone"), scenario, start_ns=0, trouble=trouble)


def hear(seconds, kind=DeviceKind.MICROPHONE, **scenario):
    heard = switch_on(kind, **scenario)
    blocks = [heard.read(heard.due_ns()) for _ in range(round(seconds * RATE_HZ / BLOCK))]
    return np.concatenate([block.data for block in blocks], axis=1), blocks


class MicrophoneTests(unittest.TestCase):
    def test_the_near_one_is_louder_and_cleaner(self):
        peaks, floors = {}, {}
        for far in (False, True):
            data, _ = hear(10, far=far)
            self.assertEqual(data.shape, (1, 480_000))
            meter = Meter(1, 48_000)
            meter.feed(data)
            peaks[far] = meter.read()[0].peak_db
            quiet = np.sqrt((data[0].reshape(-1, 2400) ** 2).mean(axis=1)).min()
            floors[far] = 20 * np.log10(quiet)
        self.assertAlmostEqual(peaks[False], -12, delta=0.5)
        self.assertAlmostEqual(peaks[True], -27, delta=1.5)
        self.assertLess(floors[False], floors[True] - 6)

    def test_both_hear_the_same_voice_the_far_one_later(self):
        near, far = (hear(4, far=far)[0][0].astype(float) for far in (False, True))
        lag = int(np.argmax(np.fft.irfft(np.conj(np.fft.rfft(near)) * np.fft.rfft(far))))
        self.assertAlmostEqual(lag / 48, 9, delta=0.2)

    def test_two_talk_on_the_line_now_and_then(self):
        data, _ = hear(CHAT_S, DeviceKind.CHAT)
        loud = np.sqrt((data[0].reshape(-1, 4800) ** 2).mean(axis=1)) > 0.005
        self.assertGreater(np.count_nonzero(loud), CHAT_S * 10 * 0.3)
        self.assertGreater(np.count_nonzero(~loud), CHAT_S * 10 * 0.3)

    def test_its_clock_drifts_and_it_is_switched_off(self):
        _, blocks = hear(3, drift_ppm=200)
        elapsed_s = (blocks[-1].at_ns - blocks[0].at_ns) / NS
        self.assertAlmostEqual((len(blocks) - 1) * BLOCK / RATE_HZ / elapsed_s, 1.0002, places=6)
        microphone = switch_on(far=True)
        microphone.close()
        self.assertIsNone(microphone.due_ns())
        with self.assertRaises(InputError):
            microphone.read(0)

    def test_it_is_held_denied_or_pulled(self):
        for fault in (Fault.BUSY, Fault.DENIED):
            with self.subTest(fault), self.assertRaises(InputError):
                switch_on(fault=fault)
        microphone = switch_on(fault=Fault.PULLED, from_s=2)
        microphone.read(NS)
        with self.assertRaisesRegex(InputError, "no longer there"):
            microphone.read(2 * NS)
