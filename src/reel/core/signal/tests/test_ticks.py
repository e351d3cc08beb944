import unittest
from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from reel.core.signal import NS, Ticks, place_samples, tick_to_sample

RATES = st.sampled_from(
    [Fraction(24), Fraction(25), Fraction(30000, 1001), Fraction(30), Fraction(60000, 1001), Fraction(60)]
)


def run(source_rate, target_rate, count, jitter=lambda number: 0):
    """Place `count` pictures; returns the source number that each tick shows, and how many were dropped."""
    ticks, shown, dropped, last = Ticks(target_rate), [], 0, None
    ticks.begin(NS, 1 / source_rate)
    for number in range(count):
        placement = ticks.place(NS + round(number * NS / source_rate) + jitter(number))
        shown += [last] * len(placement.repeats)
        if placement.tick is None:
            dropped += 1
        else:
            assert placement.tick == len(shown)
            shown.append(number)
        last = number
    return shown, dropped


class TicksTests(unittest.TestCase):
    def test_a_tick_begins_at_the_nearest_sample(self):
        for rate in (Fraction(30_000, 1001), Fraction(24_000, 1001), Fraction(25), Fraction(144)):
            for rate_hz in (44_100, 48_000):
                for tick in range(200):
                    off = tick_to_sample(tick, rate, rate_hz) - tick * rate_hz / rate
                    self.assertLessEqual(abs(off), Fraction(1, 2))

    @given(RATES, st.lists(st.floats(-0.49, 0.49), min_size=50, max_size=50))
    def test_matching_rates_lose_and_double_nothing_under_jitter(self, rate, jitters):
        half = NS / rate

        def jitter(number):
            return round(jitters[number] * half) if number else 0

        self.assertEqual(run(rate, rate, 50, jitter), (list(range(50)), 0))

    def test_60_to_30_keeps_every_second_picture(self):
        self.assertEqual(run(Fraction(60), Fraction(30), 600), (list(range(0, 600, 2)), 300))

    def test_24_to_30_repeats_one_in_four(self):
        shown, dropped = run(Fraction(24), Fraction(30), 241)
        self.assertEqual((len(shown), dropped), (301, 0))
        self.assertEqual(sum(a == b for a, b in zip(shown, shown[1:], strict=False)), 60)

    @given(RATES, RATES, st.integers(2, 200))
    def test_every_tick_has_one_frame_and_time_never_goes_back(self, source, target, count):
        shown, dropped = run(source, target, count)
        self.assertEqual(shown, sorted(shown))
        self.assertEqual(len(set(shown)) + dropped, count)
        self.assertLess(abs(len(shown) / target - count / source), 1 / target + 1 / source)

    def test_silent_source_is_filled_up_to_the_cut(self):
        ticks = Ticks(Fraction(30))
        ticks.begin(0, Fraction(1, 30))
        ticks.place(0)
        self.assertEqual(ticks.fill(NS), range(1, 30))
        segment, repeats = ticks.end(2 * NS)
        self.assertEqual((segment.end_tick, repeats), (60, range(30, 60)))


class SamplePlacingTests(unittest.TestCase):
    @given(RATES, st.integers(0, 3 * NS), st.integers(100, 4800), st.integers(1, 40))
    def test_segment_holds_exactly_its_samples(self, rate, start_ns, block, length_ticks):
        """Blocks of any size, from before the segment to after it, fill it without gap, overlap or excess."""
        ticks = Ticks(rate)
        ticks.next_tick = 7
        ticks.begin(start_ns, 1 / rate)
        ticks.next_tick += length_ticks
        segment, _ = ticks.end(start_ns)
        first, last = (tick_to_sample(tick, rate, 48_000) for tick in (segment.first_tick, segment.end_tick))
        position, covered = None, 0
        for number in range((last - first + 480) // block + 2):
            at_ns = segment.start_ns - NS // 100 + round(Fraction(number * block * NS, 48_000))
            placed, keep = place_samples(segment, at_ns, block, rate, 48_000)
            if keep.stop > keep.start:
                if position is not None:
                    self.assertLessEqual(abs(placed - position), 1)  # ns are rounded to samples
                position = placed + keep.stop - keep.start
                covered += keep.stop - keep.start
                self.assertGreaterEqual(placed, first)
                self.assertLessEqual(position, last)
        self.assertLessEqual(abs(covered - (last - first)), 2)
