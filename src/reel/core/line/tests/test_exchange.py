import unittest
from dataclasses import replace

from hypothesis import given, settings

from reel.core.line import (
    BadRigFileError,
    Check,
    CheckState,
    DeviceKind,
    Seen,
    checks_after,
    checks_before,
    computer_checks,
    propose,
    read_rig,
    write_rig,
)
from reel.core.line.tests.rigs import feed, of
from reel.core.line.tests.test_path import any_rig

RIG = propose(DeviceKind.CONSOLE, {"hdmi-box"})
CONSOLE = RIG.picture


class RigFileTests(unittest.TestCase):
    @settings(max_examples=20, deadline=None)
    @given(any_rig())
    def test_what_is_written_is_read(self, one):
        setup = of(one)
        found = read_rig(write_rig("Moss & Stone", setup))
        self.assertEqual((found.name, found.setup), ("Moss & Stone", setup))

    def test_a_bad_file_is_refused_with_its_line(self):
        good = write_rig("Moss & Stone", RIG).decode()
        lines = good.splitlines()

        def line_of(text, nth=1):
            return [number for number, line in enumerate(lines, 1) if text in line][nth - 1]

        for old, new, line, reason in (
            ('"reel-rig"', '"song"', 1, "kind"),
            ('"version": 7', '"version": 8', line_of("version"), "version 8"),
            ('"Moss & Stone"', '""', line_of('"name"'), "name"),
            ('"hdmi-box"', '"garden hose"', line_of("hdmi-box") - 1, "catalogue"),
            ('"width_px": 1280', '"width_px": "wide"', line_of("width_px"), "Expected"),
            ('"protected": false', '"protected": 3', line_of('"protected"'), "Expected"),
            ('"protected"', '"proteced"', line_of("protected"), "proteced"),
            ('"kind": "console"', '"kind": "toaster"', line_of('"device"'), "one of console"),
            ('"device": "Console"', '"device": ""', line_of('"origin"'), "printable"),
            ('"model": "hdmi-box"', '"modell": "hdmi-box"', line_of("hdmi-box"), "modell"),
            ('"height_px"', '"hight_px"', line_of("height_px"), "hight_px"),
            ('"name"', '"nmae": 1, "name"', line_of('"name"'), "nmae"),
            ('"rate": "30"', '"rate": "1e99999999"', None, "reads like 30000/1001"),
            ('"rate": "30"', '"rate": "1e-99999999"', None, "reads like 30000/1001"),
            ('"keyframe_s": "2"', '"keyframe_s": "1e99999999"', None, "reads like 30000/1001"),
            ('"shape": null', '"shape": "1e99999999"', None, "reads like 30000/1001"),
            ('"quality": 20', '"quality": ' + "9" * 5000, None, "no JSON"),
            ('"container": "mp4"', '"container": "webm"', line_of('"recipe"'), "it holds VP9 and AV1"),
            ('"quality": 20', '"quality": 0', line_of('"recipe"'), "H.264 takes 1 to 51"),
            ("},", "}", None, "no JSON"),
        ):
            with self.subTest(new), self.assertRaises(BadRigFileError) as raised:
                read_rig(good.replace(old, new, 1).encode())
            self.assertIn(reason, str(raised.exception))
            if line is not None:
                self.assertEqual(raised.exception.line, line, str(raised.exception))

    def test_a_feed_that_can_not_be_written_down_is_refused(self):
        leaf = feed("leaf.mp4")
        for name in ('"\\ud800"', '"a\\u0000b"', '"\\u202eleft"', '"../x"'):
            with self.subTest(name), self.assertRaises(BadRigFileError):
                read_rig(write_rig("Feed", leaf).decode().replace('"leaf.mp4"', name).encode())

    def test_rubbish_is_refused(self):
        for data in (b"", b"\xff\xfe\x00", b"[]", b"null", b"{" * 50_000, b"x" * 200_000, b'{"kind": "reel-rig"}'):
            with self.subTest(data[:10]), self.assertRaises(BadRigFileError):
                read_rig(data)


class CheckTests(unittest.TestCase):
    def state(self, checks, key, ticked=()):
        return next(check for check in checks if check.key == key).state(frozenset(ticked))

    def test_what_reel_can_measure_is_measured(self):
        seen = Seen(has_room=True, is_heard=False)
        self.assertEqual(self.state(checks_before(CONSOLE), "protection"), CheckState.FINE)
        guarded = replace(CONSOLE, device=replace(CONSOLE.device, protected=True))
        self.assertEqual(self.state(checks_before(guarded), "protection"), CheckState.WRONG)
        self.assertEqual(self.state(computer_checks(guarded, seen), "arrives"), CheckState.WRONG)
        self.assertEqual(self.state(computer_checks(CONSOLE, seen), "sound"), CheckState.WRONG)
        phone = propose(DeviceKind.PHONE).picture
        sleepy = replace(phone, device=replace(phone.device, sleep_lock=True))
        self.assertEqual(self.state(checks_before(sleepy), "sleep-off"), CheckState.WRONG)

    def test_the_rest_is_ticked_by_hand(self):
        headset = checks_before(propose(DeviceKind.HEADSET).picture)
        self.assertEqual(self.state(headset, "eye"), CheckState.OPEN)
        self.assertEqual(self.state(headset, "eye", ["eye"]), CheckState.TICKED)
        self.assertEqual(self.state(computer_checks(CONSOLE, Seen()), "sound"), CheckState.OPEN)
        for seen, key, state, said in (
            ({"arriving": (45.2, 60)}, "pictures", CheckState.WRONG, "45 of 60 a second"),
            ({"arriving": (59.9, 60)}, "pictures", CheckState.FINE, "60 of 60"),
            ({"headroom": 1.6}, "machine", CheckState.FINE, "1.6 times"),
            ({"headroom": 0.8}, "machine", CheckState.WRONG, "0.8 times"),
            ({"headroom": 1.6, "lost": (246, 360)}, "machine", CheckState.WRONG, "lost 246 of 360"),
            ({"headroom": 1.6, "lost": (0, 360)}, "machine", CheckState.FINE, "1.6 times"),
        ):
            checks = computer_checks(CONSOLE, Seen(**seen))
            self.assertEqual(self.state(checks, key), state, seen)
            self.assertIn(said, next(check.text for check in checks if check.key == key))

    def test_what_must_be_put_back(self):
        keys = {
            kind: [check.key for check in checks_after(propose(kind).picture)]
            for kind in (DeviceKind.PHONE, DeviceKind.DECK)
        }
        self.assertEqual(keys[DeviceKind.PHONE], ["sleep-on"])
        self.assertIn("rewound", keys[DeviceKind.DECK])
        self.assertIsInstance(checks_after(CONSOLE)[0], Check)
