import unittest
from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from reel.core.errors import BadValueError
from reel.core.signal import Mode, Scan, Signal, rate_label, timecode

MODES = st.builds(
    Mode,
    width_px=st.integers(8, 4096).map(lambda half: half * 2),
    height_px=st.integers(8, 4096).map(lambda half: half * 2),
    rate=st.fractions(1, 240, max_denominator=1001),
    scan=st.sampled_from(Scan),
)


class ModeTests(unittest.TestCase):
    @given(MODES)
    def test_key_reads_back_exactly(self, mode):
        self.assertEqual(Mode.parse(mode.key), mode)

    @given(st.text(max_size=30))
    def test_rubbish_is_refused_by_name(self, text):
        try:
            Mode.parse(text)
        except BadValueError as error:
            self.assertIsInstance(error, ValueError)
            self.assertTrue(error.thing)

    def test_limits(self):
        for key in ("1921x1080p60", "10x1080p60", "9000x1080p60", "1920x1080p0", "1920x1080p241", "1920x1080p1/0"):
            with self.subTest(key), self.assertRaises(BadValueError):
                Mode.parse(key)

    def test_labels(self):
        self.assertEqual(Mode.parse("1920x1080p60000/1001").label, "1080p 59.94")
        self.assertEqual(Mode.parse("720x576i25").label, "720×576i 25")
        self.assertEqual(rate_label(Fraction(25, 2)), "12.5")

    def test_uncompressed_rate(self):
        # 1920 × 1080 × 60 × 12 bits, the figure of every HDMI capture table
        self.assertEqual(Signal(mode=Mode.parse("1920x1080p60")).rate_bps, 1_492_992_000)

    def test_timecode_counts_frames(self):
        self.assertEqual(timecode(Fraction(30 * 767 + 8, 30), Fraction(30)), "00:12:47:08")
        self.assertEqual(timecode(59 / Fraction(60000, 1001), Fraction(60000, 1001)), "00:00:00:59")
