"""What is done to ranges is what would be done to the ticks in them, one by one."""

import unittest
from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from reel.core.errors import BadValueError
from reel.core.finish.keep import Keep, TickRange, joined, left_out, put_back, split, together, without

LENGTH = 60
ONE = st.tuples(st.integers(0, LENGTH - 1), st.integers(1, 12)).map(
    lambda pair: TickRange(pair[0], min(LENGTH, sum(pair)))
)
SOME = st.lists(ONE, min_size=1, max_size=6)


def ticks(ranges):
    return [tick for one in ranges for tick in range(one.first, one.end)]


class KeepTests(unittest.TestCase):
    @given(SOME, SOME)
    def test_what_is_left_out_and_put_back_is_that_and_nothing_else(self, kept, gaps):
        ranges = together(kept)
        self.assertEqual(ticks(ranges), sorted(set(ticks(kept))))
        self.assertTrue(all(one.end < after.first for one, after in zip(ranges, ranges[1:], strict=False)))
        self.assertEqual(ticks(without(ranges, gaps)), [tick for tick in ticks(ranges) if tick not in ticks(gaps)])
        missing = left_out(ranges, LENGTH)
        self.assertEqual(sorted(ticks(ranges) + ticks(missing)), list(range(LENGTH)))
        for gap in missing:
            again = put_back(ranges, gap)
            self.assertEqual(ticks(again), sorted({*ticks(ranges), *ticks([gap])}))
            self.assertNotIn(gap, left_out(again, LENGTH))

    @given(SOME, st.integers(0, LENGTH))
    def test_a_split_keeps_all_and_joining_undoes_it(self, kept, tick):
        ranges = together(kept)
        if not any(one.first < tick < one.end for one in ranges):
            self.assertRaises(BadValueError, split, ranges, tick)
            return
        parts = split(ranges, tick)
        self.assertEqual((ticks(parts), len(parts)), (ticks(ranges), len(ranges) + 1))
        place = next(place for place, one in enumerate(parts) if one.end == tick)
        self.assertEqual(joined(parts, place), tuple(ranges))
        self.assertRaises(BadValueError, joined, parts, len(parts) - 1)

    @given(SOME)
    def test_a_tick_comes_to_lie_behind_all_that_is_kept_before_it(self, kept):
        keep = Keep(rate=Fraction(30), ranges=together(kept))
        places = {tick: place for place, tick in enumerate(ticks(keep.ranges))}
        self.assertEqual(keep.length, len(places))
        for tick in range(LENGTH):
            self.assertEqual(keep.made_tick(tick), places.get(tick))

    def test_ranges_that_lie_over_each_other_and_empty_ones_are_refused(self):
        for ranges in ((), (TickRange(0, 9), TickRange(8, 12)), (TickRange(8, 12), TickRange(0, 3))):
            self.assertRaises(BadValueError, Keep, rate=Fraction(30), ranges=ranges)
        for first, end in ((5, 5), (6, 5), (-1, 5)):
            self.assertRaises(BadValueError, TickRange, first, end)
