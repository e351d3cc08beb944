"""Pairing as ordered steps: what each device needs, and what can be noticed of it."""

import unittest
from dataclasses import replace

from reel.core.line import DEVICES, CheckState, Connector, DeviceKind, HopSetup, propose
from reel.core.line.edit import set_own, with_device
from reel.core.line.own_settings import OwnSound
from reel.core.line.pairing import InputState, pairing_checks, pairing_steps, step_of
from reel.core.measure import AlarmKind, Condition, alarms
from reel.core.signal import Need

PHONE = propose(DeviceKind.PHONE).picture


def out_by(way, kind=DeviceKind.PHONE):
    picture = propose(kind).picture
    return with_device(picture, picture.device.set(out=way))


def states(setup, state, ticked=frozenset()):
    return {step.key: check.state(ticked) for step, check in pairing_checks(setup, state)}


class PairingTests(unittest.TestCase):
    def test_every_way_out_of_every_device_has_steps_in_an_order(self):
        for kind in DeviceKind:
            for way in DEVICES[kind].facts.ways_out:
                keys = [step.key for step in pairing_steps(out_by(way, kind))]
                self.assertTrue(keys, (kind, way))
                self.assertEqual(len(keys), len(set(keys)))
        usb, wireless = (pairing_steps(out_by(way)) for way in (Connector.USB, Connector.WIRELESS))
        self.assertEqual([one.key for one in usb], ["cable", "unlock", "allow", "system", "free", "lock-off", "app"])
        self.assertEqual([one.key for one in wireless], ["network", "receiver", "mirror", "code", "lock-off", "app"])

    def test_what_arrives_ticks_the_steps_and_what_is_missing_is_named(self):
        usb = out_by(Connector.USB)
        self.assertEqual(set(states(usb, InputState(arrives=True)).values()), {CheckState.FINE})
        missing = states(usb, InputState(arrives=False, needs=Need.ALLOWED))
        self.assertEqual([missing[key] for key in ("cable", "unlock", "allow", "free")],
                         [CheckState.FINE, CheckState.FINE, CheckState.WRONG, CheckState.OPEN])  # fmt: skip
        unknown = states(usb, InputState(arrives=False))
        self.assertEqual(unknown["cable"], CheckState.OPEN, "a cause that is not known is not guessed")
        black = states(usb, InputState(arrives=True, is_black=True))
        self.assertEqual((black["cable"], black["app"]), (CheckState.FINE, CheckState.OPEN))
        locked = with_device(usb, usb.device.set(sleep_lock=True))
        self.assertEqual(states(locked, InputState(arrives=True))["lock-off"], CheckState.WRONG)

    def test_an_own_recorder_asks_for_the_microphone_where_that_is_recorded_and_for_room(self):
        one = replace(out_by(Connector.STORAGE), path=(HopSetup(model="own-recorder"),))
        self.assertNotIn("record-voice", states(one, InputState()))
        voice = set_own(one, replace(one.own, sound=OwnSound.BOTH))
        found = states(voice, InputState(has_room=False))
        self.assertEqual((found["record-voice"], found["storage-room"]), (CheckState.OPEN, CheckState.WRONG))

    def test_an_alarm_names_the_step_that_is_missing(self):
        said = "The phone is not paired with this computer; type the code."
        wireless = out_by(Connector.WIRELESS)
        (alarm,) = alarms(wireless, Condition(problem=said, needs=Need.CODE))
        self.assertEqual((alarm.kind, alarm.causes), (
            AlarmKind.NO_SIGNAL, ("What is missing: Type the code. On the phone: A field for it.",),
        ))  # fmt: skip
        (plain,) = alarms(wireless, Condition(problem=said))
        self.assertNotIn("missing", plain.causes[0])
        self.assertIsNone(step_of(propose(DeviceKind.CONSOLE).picture, Need.CODE))
