import datetime
from fractions import Fraction

from django.test import SimpleTestCase

from reel.web.ui.templatetags.units import bitrate, length, moment, rate, size


class UnitsTests(SimpleTestCase):
    def test_numbers_carry_their_units(self):
        self.assertEqual([size(n) for n in (None, 0, 912_400, 48_230_000, 1_213_000_000, 2.5e12)],
                         ["–", "0 kB", "912 kB", "48.2 MB", "1.21 GB", "2.50 TB"])  # fmt: skip
        self.assertEqual([bitrate(n) for n in (0, 192_000, 12_600_000, Fraction(1_492_992_000))],
                         ["–", "192 kb/s", "12.6 Mb/s", "1.49 Gb/s"])  # fmt: skip
        self.assertEqual([length(n) for n in (None, 8.44, 842, 7530)], ["–", "8.4 s", "14 min 02 s", "2 h 05 min"])
        at = datetime.datetime(2026, 5, 2, 23, 5, tzinfo=datetime.UTC)
        self.assertEqual(moment(at), at.astimezone().strftime("%-d %B %Y, %H:%M"))
        self.assertEqual(rate(Fraction(60000, 1001)), "59.94")
