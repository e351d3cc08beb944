import datetime
import re
import unittest

from hypothesis import given
from hypothesis import strategies as st

from reel.core.errors import BadValueError
from reel.core.file import FilePlan, RateControl, Recipe, file_stem, forecast, slug
from reel.core.signal import Mode

FRAME = Mode.parse("1280x720p30")


class RecipeTests(unittest.TestCase):
    def test_limits_are_named(self):
        for field, value in (
            ("bitrate_bps", 100_000),
            ("bitrate_bps", 2**63),
            ("quality_crf", -1),
            ("quality_crf", 52),
            ("keyframe_s", 0),
            ("sound_bitrate_bps", 1),
            ("effort", "placebo"),
            ("sound_rate_hz", 22_050),
            ("sound_channels", 6),
        ):
            with self.subTest(field, value=value), self.assertRaises(BadValueError) as raised:
                Recipe(**{field: value})
            self.assertRegex(str(raised.exception), "must be|one of|it is 44100|mono or stereo")

    def test_constant_bitrate_costs_the_same_every_minute(self):
        recipe = Recipe(rate_control=RateControl.CBR, bitrate_bps=12_000_000, sound_bitrate_bps=192_000)
        cost = forecast(FilePlan(recipe=recipe, frame=FRAME, tracks=("game", "voice")))
        self.assertEqual(cost.total_bps, 12_384_000)
        self.assertEqual((cost.bytes_per_minute, cost.bytes_per_hour), (92_880_000, 5_572_800_000))
        self.assertEqual(cost.seconds_left(cost.bytes_per_hour), 3600)

    def test_constant_quality_is_only_forecast_from_a_measurement(self):
        plan = FilePlan(recipe=Recipe(), frame=FRAME, tracks=("game",))
        self.assertIsNone(forecast(plan))
        self.assertTrue(forecast(plan, 5_000_000).measured)


class NamingTests(unittest.TestCase):
    @given(st.text())
    def test_slug_is_safe_on_every_file_system(self, text):
        self.assertRegex(slug(text), r"\A[a-z0-9][a-z0-9-]{0,79}\Z")

    @given(st.text(max_size=90))
    def test_a_pattern_that_is_taken_makes_one_plain_name(self, pattern):
        try:
            Recipe(name_pattern=pattern)
        except BadValueError:
            return
        stem = file_stem(pattern, rig="../../etc", date=datetime.date(2026, 5, 2), number=14)
        self.assertIn("014", stem)
        self.assertIsNone(re.search(r"[/\\\x00-\x1f]|^\.", stem))

    def test_patterns(self):
        for pattern in ("{rig}", "{number", "{number!r}", "{number:>99}", "{rig.__class__}{number}", "../{number}", ""):
            with self.subTest(pattern), self.assertRaises(BadValueError):
                Recipe(name_pattern=pattern)
        made = file_stem("{rig}_{date}_{number}", rig="Moss & Stone", date=datetime.date(2026, 5, 2), number=14)
        self.assertEqual(made, "moss-stone_2026-05-02_014")
