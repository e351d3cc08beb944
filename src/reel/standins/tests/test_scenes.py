"""Phone, tablet, headset, tape and camera: what each does of its own."""

import unittest
from dataclasses import replace
from itertools import pairwise

import numpy as np

from reel.core.line import DEVICES, Deck, DeviceKind, Eye, Headset, Phone, Tablet, Turn, propose, signal_chain
from reel.core.line.tests.rigs import one
from reel.core.media import luma_of, planes_of
from reel.core.signal import NS, InputError, Mode, Picture, Samples
from reel.standins import Fault, Scenario, Trouble, assemble, read_stamp
from reel.standins.ambience import RATE_HZ
from reel.standins.card import BarsPainter
from reel.standins.device import BLOCK, black
from reel.standins.devices import stand_in
from reel.standins.handheld import TURN_EVERY_S

PHONE = Phone(mode=Mode.parse("720x1560p30"))
DECK = Deck(mode=Mode.parse("720x576i25"))
PLAIN = Scenario()
HEADSET = Headset(mode=Mode.parse("1920x1000p36"))


def pictures(device, count, *models, start_s=0.0, scenario=PLAIN):
    setup = one(device, *models)
    handed = signal_chain(setup).signal_path.arrives.handed if models else None
    source, found = assemble(setup, scenario, handed, start_ns=0), []
    while len(found) < count:
        item = source.read(source.due_ns())
        if isinstance(item, Picture) and item.at_ns >= start_s * NS:
            found.append(item)
    return found


class HandheldTests(unittest.TestCase):
    def test_it_turns_by_its_script_and_its_number_goes_on(self):
        source = assemble(one(PHONE), Scenario(turns=True), start_ns=0)
        sizes = {}
        while (due_ns := source.due_ns()) < (2 * TURN_EVERY_S + 1) * NS:
            item = source.read(due_ns)
            if isinstance(item, Picture) and item.sequence % 30 == 0:
                sizes[item.at_ns // NS] = (item.frame.width, read_stamp(luma_of(item.frame)))
        self.assertEqual([sizes[second][0] for second in (0, 7, 8, 15, 16)], [720, 720, 1560, 1560, 720])
        self.assertEqual([stamp for _, stamp in sizes.values()], [second * 30 for second in sizes])

    def test_held_and_touched(self):
        turned = pictures(replace(PHONE, turn=Turn.LEFT), 1)[0].frame
        self.assertEqual((turned.width, turned.height), (1560, 720))
        touched, bare = (luma_of(pictures(replace(PHONE, touches=marks), 1)[0].frame) for marks in (True, False))
        self.assertGreater(np.count_nonzero(touched != bare), 500)

    def test_what_an_app_does_not_let_out_is_black(self):
        luma = luma_of(pictures(PHONE, 1, scenario=Scenario(fault=Fault.FORBIDDEN))[0].frame)
        self.assertEqual((int(luma.min()), int(luma.max())), (16, 16))

    def test_it_locks_itself(self):
        before, after = (pictures(replace(PHONE, sleep_lock=True, sleep_s=5), 2, start_s=s) for s in (4.5, 5.5))
        self.assertIsNotNone(read_stamp(luma_of(before[0].frame)))
        first, second = (luma_of(picture.frame) for picture in after)
        self.assertTrue(np.array_equal(first, second))
        self.assertLess(first.mean(), 60)


class HeadsetTests(unittest.TestCase):
    def test_the_eyes_see_a_little_differently_and_the_head_is_never_still(self):
        both = [luma_of(picture.frame) for picture in pictures(HEADSET, 8)]
        left, right = both[0][:800, :960].astype(int), both[0][:800, 960:].astype(int)
        self.assertGreater(np.abs(left - right).mean(), 2)
        best = min(range(0, 60, 2), key=lambda shift: np.abs(left[:, shift:] - right[:, : 960 - shift]).mean())
        self.assertAlmostEqual(best, 960 * 0.035, delta=2)
        for before, after in zip(both, both[1:], strict=False):
            self.assertGreater(np.count_nonzero(before[:800] != after[:800]), 10_000)

    def test_the_mirror_shows_what_is_done_to_it(self):
        def mirrored(fault=None, **settings):
            device = replace(HEADSET, **settings)
            return [luma_of(one.frame) for one in pictures(device, 3, "mirror-window", scenario=Scenario(fault=fault))]

        whole = mirrored()
        self.assertEqual(whole[0].shape, (1000, 960))
        self.assertEqual(mirrored(eye=Eye.BOTH)[0].shape, (1000, 1920))
        self.assertTrue((mirrored(Fault.COVERED)[0][300:, 500:] == 205).all())
        self.assertTrue((mirrored(Fault.MOVED)[0][:, :300] == 90).all())
        small = mirrored(Fault.RESIZED)[0]
        self.assertTrue((small[510:] == 90).all() and (small[:, 490:] == 90).all())
        self.assertLess(np.abs(small[:496:2, :476:2].astype(int) - whole[0][:992:4, :952:4]).mean(), 12)
        frozen = mirrored(Fault.MINIMISED)
        self.assertTrue(np.array_equal(frozen[1], frozen[2]))
        pointed = mirrored(pointer=True)[0]
        self.assertGreater(np.count_nonzero(pointed == 235), np.count_nonzero(whole[0] == 235) + 500)


class DeckTests(unittest.TestCase):
    def test_true_fields_with_a_number_each(self):
        for mode, first in (("720x576i25", 0), ("720x480i30000/1001", 1)):
            frames = [luma_of(picture.frame) for picture in pictures(replace(DECK, mode=Mode.parse(mode)), 4)]
            for number, luma in enumerate(frames):
                fields = (read_stamp(luma[0::2]), read_stamp(luma[1::2]))
                wanted = (2 * number, 2 * number + 1)
                self.assertEqual(fields, wanted if first == 0 else wanted[::-1], "NTSC shows the lower field first")

    def test_the_tape_has_noise_smear_head_switching_and_an_end(self):
        frame = pictures(DECK, 1)[0].frame
        luma, blue = planes_of(frame)[:2]
        flat = luma[20:40, 100:160].astype(float)
        self.assertGreater(np.abs(np.diff(flat, axis=1)).mean(), 0.5)
        sharp = np.abs(np.diff(luma[:500].astype(int), axis=1)).max()
        self.assertGreater(sharp, 3 * np.abs(np.diff(blue[:500].astype(int), axis=1)).max(), "colour is smeared")
        source = assemble(one(DECK), Scenario(tape_s=2), start_ns=0)
        while (due_ns := source.due_ns()) is not None:
            self.assertLess(due_ns, 2 * NS + NS // 10)
            source.read(due_ns)

    def test_its_sound_drifts_against_its_picture(self):
        source, blocks, shown = stand_in(DECK, PLAIN, start_ns=0), [], []
        while len(blocks) < 3000:  # nothing is drawn, since nobody looks
            item = source.take()
            (blocks if isinstance(item, Samples) else shown).append(item.at_ns)
        pace = (blocks[-1] - blocks[0]) / (len(blocks) - 1) / (BLOCK * NS / RATE_HZ)
        self.assertAlmostEqual(1 / pace, 1 + 60e-6, delta=2e-6)
        self.assertAlmostEqual((shown[-1] - shown[0]) / (len(shown) - 1) / 40_000_000, 1, delta=1e-7)


class ChainTests(unittest.TestCase):
    def test_what_does_not_fit_or_is_held_is_refused(self):
        console, box = propose(DeviceKind.CONSOLE).picture.device, ("hdmi-2.0", "hdmi-box", "usb-3")
        for path, fault, reason in (
            (("scart-cable",), None, "has no place for HDMI"),
            (("hdmi-2.0",), None, "is not connected"),
            (box, Fault.BUSY, "in another program"),
            (box, Fault.DENIED, "may not be opened"),
            (box, None, "was not asked for a mode"),
        ):
            with self.subTest(path, fault=fault), self.assertRaises(InputError) as raised:
                assemble(one(console, *path), Scenario(fault=fault), start_ns=0)
            self.assertIn(reason, str(raised.exception))

    def test_what_fails_is_begun_and_ended_while_it_plays(self):
        setup, trouble = propose(DeviceKind.CONSOLE, {"hdmi-box"}).picture, Trouble(PLAIN)
        handed = signal_chain(setup).signal_path.arrives.handed
        source, came = assemble(setup, PLAIN, handed, start_ns=0, trouble=trouble), []
        changes = {NS: Fault.PULLED, NS * 3 // 2: None, 2 * NS: Fault.BUSY}
        with self.assertRaises(InputError) as raised:
            while (due_ns := source.due_ns()) < 3 * NS:
                for at_ns in [at_ns for at_ns in changes if at_ns <= due_ns]:
                    fault = changes.pop(at_ns)
                    trouble.begin(fault, at_ns) if fault else trouble.end()
                if isinstance(item := source.read(due_ns), Picture):
                    came.append(item.at_ns / NS)
        self.assertIn("is open in another program", str(raised.exception))
        ((last, first),) = [pair for pair in pairwise(came) if pair[1] - pair[0] > 0.2]
        self.assertAlmostEqual(last, 1, delta=0.1)
        self.assertAlmostEqual(first, 1.5, delta=0.1)
        self.assertAlmostEqual(came[-1], 2, delta=0.1)
        begun = Trouble.opened_at(Scenario(fault=Fault.COVERED, from_s=2), 5 * NS)
        begun.open(9 * NS)  # what is opened again goes on where it was
        self.assertEqual([begun.at(s * NS) for s in (6, 7)], [None, Fault.COVERED])

    def test_a_wireless_link_loses_what_is_said(self):
        from reel.core.line.catalogue import HOPS
        from reel.core.line.hops import wireless_loss
        from reel.standins.device import Shown
        from reel.standins.wires import Air

        signal = Tablet(mode=Mode.parse("1024x1366p60")).signal
        for key in ("receiver-720", "receiver-1080"):
            air, came, times = Air(HOPS[key], signal), 0, []
            for number in range(20_000):
                for shown in air.pass_on(Shown(number * NS // 60, lambda: None)):
                    if shown is not None:
                        came += 1
                        times.append(shown.at_ns - number * NS // 60)
            said = float(wireless_loss(HOPS[key].fitted(signal.mode)))
            self.assertAlmostEqual(1 - came / 20_000, said, delta=0.003)
            late_ms = np.array(times) / 1e6
            self.assertGreaterEqual(late_ms.min(), HOPS[key].latency_ms - 0.01)
            self.assertLess(late_ms.max(), HOPS[key].latency_ms + HOPS[key].jitter_ms + 17)

    def test_black_and_bars_in_every_coding(self):
        for pixels in DEVICES[DeviceKind.CONSOLE].facts.pixels:
            signal = replace(signal_chain(propose(DeviceKind.CONSOLE).picture).signal_path.sent.signal, pixels=pixels)
            self.assertEqual(set(np.unique(luma_of(black(signal)))), {16})
            frame = BarsPainter(signal).paint(0)
            self.assertEqual((frame.format.name, int(luma_of(frame)[40, 40])), (pixels, 235))
