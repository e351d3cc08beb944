"""A device's own recorder as something to set: what it has, what goes together, what comes of it."""

import itertools
import unittest
from dataclasses import replace
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.file import VideoCodec
from reel.core.line import DEVICES, Connector, DeviceKind, HopSetup, LossKind, loss_message, propose, signal_chain
from reel.core.line.edit import set_own, with_device
from reel.core.line.own import screen_of
from reel.core.line.own_settings import OwnSettings, OwnShape, OwnSound

RECORDERS = [kind for kind in DeviceKind if DEVICES[kind].facts.own]


def on_device(kind=DeviceKind.PHONE, **settings):
    """An input whose device records onto its own storage."""
    picture = propose(kind).picture
    device = picture.device.set(out=Connector.STORAGE, **settings)
    return replace(picture, device=device, path=(HopSetup(model="own-recorder"),))


class OwnSettingsTests(unittest.TestCase):
    def test_what_each_device_does_by_itself_goes_together(self):
        for kind in RECORDERS:
            for mode in DEVICES[kind].facts.modes:
                one = on_device(kind, mode=mode)
                one.own_recorder.facts_of(one.device).check(one.own, screen_of(one.device))
                self.assertTrue(signal_chain(one).is_remote)
                self.assertEqual(set_own(one, one.own), one, "the usual is kept as nothing chosen")

    def test_what_does_not_go_together_is_refused_with_the_reason(self):
        fast = DEVICES[DeviceKind.PHONE].facts.modes[1]
        for one, wanted, reason in (
            (on_device(), {"longer_px": 1500}, "the screen's own, 1280 px, 1024 px"),
            (on_device(), {"rate": 60}, "its screen draws 30; set that in Device"),
            (on_device(mode=fast), {"rate": 60, "codec": VideoCodec.HEVC}, "keeps up with 31 a second .* or H.264"),
            (on_device(), {"steadied": True}, "it has no"),
            (on_device(DeviceKind.HEADSET, mode=DEVICES[DeviceKind.HEADSET].facts.modes[1]),
             {"rate": 72, "steadied": True}, "steadies up to 36"),
            (on_device(), {"limit_s": 7}, "once its storage is full, 1 min, 10 min"),
            (on_device(), {"again": True}, "it has none"),
            (on_device(), {"bitrate_bps": 10**12}, "from 100000 to"),
        ):  # fmt: skip
            with self.subTest(wanted), self.assertRaisesRegex(BadValueError, reason):
                set_own(one, replace(one.own, **wanted))
        with self.assertRaisesRegex(BadValueError, "it has nothing to set"):
            HopSetup(model="usb-3", own=OwnSettings(rate=30, bitrate_bps=8_000_000))

    def test_whatever_is_allowed_gives_an_even_picture_no_bigger_and_no_faster_than_the_screen(self):
        tried = 0
        for kind in RECORDERS:
            facts = DEVICES[kind].facts
            for mode, longer, shape, rate, codec in itertools.product(
                facts.modes, facts.own.sizes_px, OwnShape, facts.own.rates, facts.own.codecs
            ):
                one = on_device(kind, mode=mode)
                screen = screen_of(one.device)
                wanted = replace(one.own, longer_px=longer, shape=shape, rate=rate, codec=codec)
                fitted = facts.own.fitted(wanted, screen)
                facts.own.check(fitted, screen)
                picture = fitted.picture_of(screen)
                self.assertLessEqual((picture.width_px, picture.height_px), (screen.width_px, screen.height_px))
                self.assertLessEqual(picture.rate, screen.rate)
                self.assertEqual((picture.width_px % 2, picture.height_px % 2), (0, 0))
                ratio = Fraction(max(picture.width_px, picture.height_px), min(picture.width_px, picture.height_px))
                if shape is not OwnShape.SCREEN:
                    asked = Fraction(16, 9) if shape is OwnShape.WIDE else Fraction(1)
                    self.assertAlmostEqual(float(ratio), float(asked), delta=0.01)
                tried += 1
                try:
                    facts.own.check(wanted, screen)
                except BadValueError:
                    self.assertNotEqual(fitted, wanted)
                else:
                    self.assertEqual(fitted, wanted, "what goes together stays")
        self.assertGreater(tried, 200)

    def test_a_crop_is_a_loss_of_its_own_and_a_limit_is_said(self):
        one = on_device()
        wide = set_own(one, replace(one.own, shape=OwnShape.WIDE, limit_s=60))
        chain = signal_chain(wide)
        self.assertEqual(chain.carried.signal.mode.key, "720x1280p30")
        found = {loss.kind: loss_message(loss, wide).sentence for loss in chain.signal_path.losses}
        self.assertEqual(set(found), {LossKind.CROPPED, LossKind.COMPRESSED, LossKind.STOPS})
        self.assertIn("18% of the picture lies outside", found[LossKind.CROPPED])

    def test_another_device_gets_the_nearest_that_it_has(self):
        fast = on_device(mode=DEVICES[DeviceKind.PHONE].facts.modes[1])
        fast = set_own(fast, replace(fast.own, rate=60, sound=OwnSound.BOTH, limit_s=600, again=True))
        slow = with_device(fast, fast.device.set(mode=DEVICES[DeviceKind.PHONE].facts.modes[0]))
        self.assertEqual((slow.own.rate, slow.own.sound, slow.own.again), (30, OwnSound.BOTH, True))
        headset = propose(DeviceKind.HEADSET).picture.device.set(out=Connector.STORAGE)
        self.assertEqual(with_device(fast, headset).own.limit_s, 600)
