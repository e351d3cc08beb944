"""Alarms of an open rig on the virtual clock, from stand-ins that really go black, freeze, turn and end."""

import unittest
from pathlib import Path

from reel.core.line import ArrivalSetup, Connector, Deinterlace, DeviceKind, HopSetup, Microphone, PartyChat, propose
from reel.core.line.edit import with_device
from reel.core.line.tests.rigs import one, with_picture
from reel.core.measure import AlarmKind, Condition, FieldVerdict, alarms, contradictions
from reel.core.signal import NS, Mode
from reel.recorder.clock import VirtualClock
from reel.recorder.inputs.drivers import openers_for
from reel.recorder.rig.source import Source
from reel.standins import Fault, Scenario, faults_of

PLAIN = Scenario()
PHONE = propose(DeviceKind.PHONE)
DECK = propose(DeviceKind.DECK, {"analogue-box"})


def hops(*models):
    return tuple(HopSetup(model=model) for model in models)


class AlarmTests(unittest.TestCase):
    def open(self, setup, seconds, scenario=PLAIN, **device):
        setup = with_picture(setup, device=device)
        clock = VirtualClock()
        source = Source(setup, openers_for(setup, (scenario,), Path("/nowhere"), clock.now_ns), clock)
        self.addCleanup(source.close)
        source.run_until(round(seconds * NS))
        return source

    def alarms(self, setup, seconds, scenario=PLAIN, **device):
        return {alarm.kind: alarm for alarm in self.open(setup, seconds, scenario, **device).readings[0].alarms}

    def test_a_picture_that_is_fine_raises_none(self):
        for kind in (DeviceKind.PHONE, DeviceKind.TABLET, DeviceKind.HEADSET, DeviceKind.DECK, DeviceKind.CAMERA):
            self.assertEqual(self.alarms(propose(kind), 5 if kind is DeviceKind.HEADSET else 1), {}, kind)
        reading = self.open(propose(DeviceKind.CONSOLE), 3).readings[0]
        self.assertEqual((reading.alarms, reading.problem), ((), None))
        self.assertAlmostEqual(reading.watched.per_s, 30, delta=0.1)
        self.assertAlmostEqual(reading.watched.distinct_per_s, 30, delta=0.1)
        self.assertEqual((reading.watched.has_fields, reading.watched.black_s), (False, 0))

    def test_each_alarm_names_causes_of_its_device(self):
        for seconds, setup, device, scenario, kind, cause in (
            (9, PHONE, {"sleep_lock": True, "sleep_s": 5}, PLAIN, AlarmKind.FROZEN, "locks itself"),
            (9, PHONE, {}, Scenario(turns=True), AlarmKind.TURNED, "held differently"),
            (6, DECK, {}, Scenario(tape_s=4), AlarmKind.NO_SIGNAL, "tape has ended"),
            (1, propose(DeviceKind.CONSOLE), {"protected": True}, PLAIN, AlarmKind.NO_SIGNAL, "what mends it"),
        ):
            with self.subTest(kind, **device):
                found = self.alarms(setup, seconds, scenario, **device)
                self.assertEqual(list(found), [kind])
                self.assertTrue(any(cause in text for text in found[kind].causes), found)

    def test_a_pause_in_talking_is_no_alarm(self):
        for device, silent_s, found in (
            (Microphone(), 5, [AlarmKind.SILENT]), (PartyChat(), 5, []), (PartyChat(), 70, [AlarmKind.SILENT]),
        ):  # fmt: skip
            with self.subTest(device.kind, silent_s=silent_s):
                self.assertEqual([alarm.kind for alarm in alarms(one(device), Condition(silent_s=silent_s))], found)

    def test_what_goes_wrong_in_the_room_is_found_by_looking(self):
        """Each fault raises its alarm some seconds after the rig was opened, and the line foretells none of them."""
        console, headset = propose(DeviceKind.CONSOLE, {"hdmi-box"}), propose(DeviceKind.HEADSET)
        adapter = with_picture(DECK, path=hops("scart-cable", "scart-hdmi", "hdmi-1.4", "hdmi-box", "usb-3"))
        adapter = with_picture(adapter, device={"out": Connector.SCART}, arrival=ArrivalSetup())
        mirrored = with_device(PHONE.picture, PHONE.picture.device.set(out=Connector.WIRELESS))
        mirrored = PHONE.with_input(0, mirrored)
        cases = {
            Fault.PULLED: (console, AlarmKind.NO_SIGNAL, "gives no signal", "come loose"),
            Fault.NO_POWER: (adapter, AlarmKind.NO_SIGNAL, "gives no signal", "has no power"),
            Fault.BUSY: (console, AlarmKind.NO_SIGNAL, "open in another program", "Close other programs"),
            Fault.DENIED: (
                propose(DeviceKind.CAMERA),
                AlarmKind.NO_SIGNAL,
                "may not be opened by Reel",
                "Let Reel use",
            ),
            Fault.NOT_ALLOWED: (PHONE, AlarmKind.NO_SIGNAL, "waits until", "missing: Allow this computer"),
            Fault.NOT_PAIRED: (mirrored, AlarmKind.NO_SIGNAL, "is not paired", "missing: Type the code"),
            Fault.FORBIDDEN: (PHONE, AlarmKind.BLACK, "", "app forbids capture"),
            Fault.COVERED: (headset, AlarmKind.PARTLY_STILL, "", "Another window lies over the mirror"),
            Fault.MOVED: (headset, AlarmKind.PARTLY_STILL, "", "moved from where it is read"),
            Fault.RESIZED: (headset, AlarmKind.PARTLY_STILL, "", "made smaller"),
            Fault.MINIMISED: (headset, AlarmKind.FROZEN, "", "minimised"),
            Fault.SHOWS_REEL: (headset, AlarmKind.ENDLESS, "", "shows Reel"),
        }
        self.assertEqual(set(cases), set(Fault) - {Fault.SMALLER, Fault.FULL}, "those are of an own recorder")
        for fault, (setup, kind, words, cause) in cases.items():
            with self.subTest(fault):
                self.assertIn(fault, faults_of(setup.picture))
                source = self.open(setup, 1.5, Scenario(fault=fault, from_s=2))
                self.assertEqual(source.readings[0].alarms, ())
                for second in range(2, 9):
                    source.run_until(second * NS)
                    if source.readings[0].alarms:
                        break
                (alarm,) = source.readings[0].alarms
                self.assertEqual(alarm.kind, kind)
                self.assertIn(words, alarm.words)
                self.assertIn(cause, " ".join(alarm.causes))

    def test_the_field_test_tells_apart_from_merged(self):
        merged, scart = {"out": Connector.SVIDEO}, {"out": Connector.SCART}
        for path, device, verdict in (
            (("scart-cable", "analogue-box", "usb-2"), scart, FieldVerdict.APART),
            (("s-video-cable", "analogue-stick", "usb-2"), merged, FieldVerdict.MERGED),
            (("scart-cable", "scart-hdmi", "hdmi-1.4", "hdmi-box", "usb-3"), scart, FieldVerdict.MERGED),
        ):
            for mode in ("720x576i25", "720x480i30000/1001") if verdict is FieldVerdict.APART else ("720x576i25",):
                with self.subTest(path, mode=mode):
                    source = self.open(with_picture(DECK, path=hops(*path)), 0.2, mode=Mode.parse(mode), **device)
                    source.test_fields()
                    source.run_until(round(2.4 * NS))
                    test = source.readings[0].field_test
                    self.assertEqual(test.verdict, verdict)
                    self.assertAlmostEqual(test.made, 4 * float(source.readings[0].signal.mode.rate), delta=3)
                    self.assertAlmostEqual(test.new, test.made / (1 if verdict is FieldVerdict.APART else 2), delta=9)

    def test_what_is_measured_contradicts_what_is_set(self):
        woven = with_picture(DECK, arrival=ArrivalSetup())
        taken_apart = with_picture(
            propose(DeviceKind.DECK, {"analogue-box"}), arrival=ArrivalSetup(deinterlace=Deinterlace.FIELD)
        )
        for setup, word in ((woven, "combs"), (taken_apart, "")):
            reading = self.open(setup, 3).readings[0]
            found = " ".join(contradictions(setup.picture, reading.signal, reading.watched))
            self.assertIn(word, found)
            self.assertEqual(bool(found), bool(word))
        yarrow = with_picture(propose(DeviceKind.CONSOLE), path=hops("hdmi-2.0", "hdmi-scaler", "usb-3"))
        reading = self.open(yarrow, 3).readings[0]
        self.assertEqual((round(reading.watched.per_s), round(reading.watched.distinct_per_s)), (60, 30))
        self.assertEqual(contradictions(yarrow.picture, reading.signal, reading.watched), (), "the line said so")
        lying = propose(DeviceKind.CONSOLE, mode=Mode.parse("1280x720p60")).picture
        self.assertIn("are new", contradictions(lying, reading.signal, reading.watched)[0])

    def test_interlaced_pictures_are_made_whole_with_all_their_motion(self):
        shown = []
        setup = with_picture(DECK, arrival=ArrivalSetup(deinterlace=Deinterlace.FIELD))
        clock = VirtualClock()
        source = Source(
            setup,
            openers_for(setup, (), Path("/nowhere"), clock.now_ns),
            clock,
            wanted=lambda: True,
            show=shown.append,
        )
        self.addCleanup(source.close)
        source.run_until(2 * NS)
        self.assertAlmostEqual(len(shown), 2 * 50, delta=6)
        self.assertEqual((shown[-1].width, shown[-1].height, shown[-1].format.name), (768, 576, "yuv420p"))
