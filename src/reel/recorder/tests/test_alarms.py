"""Alarms of an open rig on the virtual clock, from stand-ins that really go black, freeze, turn and end."""

import unittest
from dataclasses import replace
from pathlib import Path

from reel.core.line import ArrivalSetup, Connector, Deinterlace, DeviceKind, HopSetup, Surface, propose
from reel.core.measure import AlarmKind, FieldVerdict, contradictions
from reel.core.signal import NS, Mode
from reel.recorder.clock import VirtualClock
from reel.recorder.opening import opener_for
from reel.recorder.source import Source

PHONE = propose(DeviceKind.PHONE)
DECK = propose(DeviceKind.DECK, {"sorrel"})


def hops(*models):
    return tuple(HopSetup(model=model.partition(":")[0], condition=model.partition(":")[2]) for model in models)


class AlarmTests(unittest.TestCase):
    def open(self, setup, seconds, **device):
        setup = replace(setup, device=replace(setup.device, **device))
        clock = VirtualClock()
        source = Source(setup, opener_for(setup, Path("/nowhere"), clock.now_ns), clock)
        self.addCleanup(source.close)
        source.run_until(round(seconds * NS))
        return source

    def alarms(self, setup, seconds, **device):
        return {alarm.kind: alarm for alarm in self.open(setup, seconds, **device).reading.alarms}

    def test_a_picture_that_is_fine_raises_none(self):
        for kind in (DeviceKind.PHONE, DeviceKind.TABLET, DeviceKind.HEADSET, DeviceKind.DECK, DeviceKind.CAMERA):
            self.assertEqual(self.alarms(propose(kind), 5 if kind is DeviceKind.HEADSET else 1), {}, kind)
        reading = self.open(propose(DeviceKind.CONSOLE), 3).reading
        self.assertEqual((reading.alarms, reading.problem), ((), None))
        self.assertAlmostEqual(reading.watched.per_s, 30, delta=0.1)
        self.assertAlmostEqual(reading.watched.distinct_per_s, 30, delta=0.1)
        self.assertEqual((reading.watched.has_fields, reading.watched.black_s), (False, 0))

    def test_each_alarm_names_causes_of_its_device(self):
        for seconds, setup, device, kind, cause in (
            (4, PHONE, {"surface": Surface.ACCELERATED}, AlarmKind.BLACK, "accelerated"),
            (9, PHONE, {"sleep_lock": True, "sleep_s": 5}, AlarmKind.FROZEN, "locks itself"),
            (9, PHONE, {"turns": True}, AlarmKind.TURNED, "held differently"),
            (6, DECK, {"tape_s": 4}, AlarmKind.NO_SIGNAL, "tape has ended"),
            (1, propose(DeviceKind.CONSOLE), {"protected": True}, AlarmKind.NO_SIGNAL, "what mends it"),
            (4, replace(propose(DeviceKind.HEADSET), path=hops("mirror-window:minimised")), {},
             AlarmKind.FROZEN, "minimised"),
            (6, replace(propose(DeviceKind.HEADSET), path=hops("mirror-window:shows Reel")), {},
             AlarmKind.ENDLESS, "shows Reel"),
        ):  # fmt: skip
            with self.subTest(kind, **device):
                found = self.alarms(setup, seconds, **device)
                self.assertEqual(list(found), [kind])
                self.assertTrue(any(cause in text for text in found[kind].causes), found)

    def test_the_field_test_tells_apart_from_merged(self):
        merged, scart = {"out": Connector.SVIDEO}, {"out": Connector.SCART}
        for path, device, verdict in (
            (("scart-cable", "sorrel", "usb-2"), scart, FieldVerdict.APART),
            (("s-video-cable", "comfrey", "usb-2"), merged, FieldVerdict.MERGED),
            (("scart-cable", "scart-hdmi", "hdmi-1.4", "fennel", "usb-3"), scart, FieldVerdict.MERGED),
        ):
            for mode in ("720x576i25", "720x480i30000/1001") if verdict is FieldVerdict.APART else ("720x576i25",):
                with self.subTest(path, mode=mode):
                    source = self.open(replace(DECK, path=hops(*path)), 0.2, mode=Mode.parse(mode), **device)
                    source.test_fields()
                    source.run_until(round(2.4 * NS))
                    test = source.reading.field_test
                    self.assertEqual(test.verdict, verdict)
                    self.assertAlmostEqual(test.made, 4 * float(source.reading.signal.mode.rate), delta=3)
                    self.assertAlmostEqual(test.new, test.made / (1 if verdict is FieldVerdict.APART else 2), delta=9)

    def test_what_is_measured_contradicts_what_is_set(self):
        woven = replace(DECK, arrival=ArrivalSetup())
        taken_apart = replace(propose(DeviceKind.DECK, {"sorrel"}), arrival=ArrivalSetup(deinterlace=Deinterlace.FIELD))
        for setup, word in ((woven, "combs"), (taken_apart, "")):
            reading = self.open(setup, 3).reading
            found = " ".join(contradictions(setup, reading.signal, reading.watched))
            self.assertIn(word, found)
            self.assertEqual(bool(found), bool(word))
        yarrow = replace(propose(DeviceKind.CONSOLE), path=hops("hdmi-2.0", "yarrow", "usb-3"))
        reading = self.open(yarrow, 3).reading
        self.assertEqual((round(reading.watched.per_s), round(reading.watched.distinct_per_s)), (60, 30))
        self.assertEqual(contradictions(yarrow, reading.signal, reading.watched), (), "the line said so")
        lying = replace(propose(DeviceKind.CONSOLE, mode=Mode.parse("1280x720p60")), recipe=yarrow.recipe)
        self.assertIn("are new", contradictions(lying, reading.signal, reading.watched)[0])

    def test_interlaced_pictures_are_made_whole_with_all_their_motion(self):
        shown = []
        setup = replace(DECK, arrival=ArrivalSetup(deinterlace=Deinterlace.FIELD))
        clock = VirtualClock()
        source = Source(
            setup, opener_for(setup, Path("/nowhere"), clock.now_ns), clock, wanted=lambda: True, show=shown.append
        )
        self.addCleanup(source.close)
        source.run_until(2 * NS)
        self.assertAlmostEqual(len(shown), 2 * 50, delta=6)
        self.assertEqual((shown[-1].width, shown[-1].height, shown[-1].format.name), (768, 576, "yuv420p"))
