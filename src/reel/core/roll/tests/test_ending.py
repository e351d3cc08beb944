import datetime
import unittest
from dataclasses import replace
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.roll import CutBy, RollSetup, StopFacts, cut_words, ending, roll_words, stop_reason

BEGAN = datetime.datetime(2026, 5, 2, 22, 0, tzinfo=datetime.UTC)
STANDS = StopFacts(began=BEGAN, now=BEGAN)


class EndingTests(unittest.TestCase):
    def test_each_rule_cuts_where_it_is_reached_and_not_before(self):
        for setup, before, after, cause in (
            ({"cut_gb": Fraction(2)}, {"size_bytes": 1_999_999_999}, {"size_bytes": 2_000_000_000}, CutBy.SIZE),
            ({"gone_s": 10}, {"gone_s": 9.9}, {"gone_s": 10.0}, CutBy.GONE),
            ({"black_s": 3}, {"black_s": 2.9}, {"black_s": 3.0}, CutBy.BLACK),
            ({"still_s": 30}, {"still_s": 29.0}, {"still_s": 30.0}, CutBy.STILL),
            ({"cut_on_event": True}, {}, {"has_event": True}, CutBy.EVENT),
        ):
            with self.subTest(cause):
                rules = RollSetup(**{"gone_s": 0, **setup})
                self.assertIsNone(stop_reason(rules, replace(STANDS, **before)))
                self.assertEqual(stop_reason(rules, replace(STANDS, **after)), cause)
                self.assertIsNone(
                    stop_reason(RollSetup(gone_s=0), replace(STANDS, **after)), "what is not set does not cut"
                )
                self.assertIn("as it was set", cut_words(cause, rules))

    def test_a_time_of_day_is_the_next_one_after_it_began(self):
        minute = datetime.timedelta(minutes=1)
        for clock, after in (("22:30", 30), ("22:00", 24 * 60), ("01:15", 3 * 60 + 15)):
            rules = RollSetup(cut_at=clock)
            self.assertIsNone(stop_reason(rules, replace(STANDS, now=BEGAN + (after - 1) * minute)), clock)
            self.assertEqual(stop_reason(rules, replace(STANDS, now=BEGAN + after * minute)), CutBy.CLOCK)

    def test_a_time_of_day_is_that_of_the_clocks_also_where_summer_time_ends_meanwhile(self):
        summer, winter = (datetime.timezone(datetime.timedelta(hours=hours)) for hours in (2, 1))
        began = datetime.datetime(2026, 10, 24, 22, 0, tzinfo=summer)
        for before, (zone, other) in (("autumn", (summer, winter)), ("spring", (winter, summer))):
            stands = replace(STANDS, began=began.replace(tzinfo=zone))
            at = datetime.datetime(2026, 10, 25, 6, 0, tzinfo=other)
            rules = RollSetup(cut_at="06:00")
            early = replace(stands, now=at - datetime.timedelta(minutes=1))
            self.assertIsNone(stop_reason(rules, early), before)
            self.assertEqual(stop_reason(rules, replace(stands, now=at)), CutBy.CLOCK, before)

    def test_what_cannot_be_is_refused_with_its_limit(self):
        for wrong, said in (
            ({"countdown_s": 11}, "from 0 to 10 s"), ({"reach_back_s": 31}, "30 s"), ({"cut_at": "24:00"}, "23:59"),
            ({"lapse": 0}, "from 1 to"), ({"still_s": -1}, "from 0"),
            ({"countdown_s": 3, "reach_back_s": 5}, "neither"),
        ):  # fmt: skip
            with self.subTest(wrong), self.assertRaises(BadValueError) as raised:
                RollSetup(**wrong)
            self.assertIn(said, str(raised.exception))

    def test_what_the_command_line_says(self):
        rules = ending(RollSetup(), "23:30, 4GB, black:5s, gone, locked")
        self.assertEqual(
            (rules.cut_at, rules.cut_gb, rules.black_s, rules.gone_s, rules.cut_on_event), ("23:30", 4, 5, 10, True)
        )
        for wrong in ("noon", "black:x", "25:00", "", "4 MB", "0GB", "0.000 GB"):
            self.assertRaises(BadValueError, ending, RollSetup(), wrong)
        self.assertIn("at 23:30, or when the signal is gone for 10 s", roll_words(rules))
        self.assertEqual(roll_words(RollSetup(gone_s=0)), "Begins at once; cut by you alone.")
