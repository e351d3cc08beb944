import unittest

from hypothesis import given
from hypothesis import strategies as st

from reel.core.errors import BadValueError
from reel.core.file import parse_length


class LengthTests(unittest.TestCase):
    def test_lengths_as_people_type_them(self):
        for text, seconds in (("10", 10), ("10s", 10), ("2.5 min", 150), ("1h", 3600), ("24h", 86_400), ("0.1", 0.1)):
            self.assertEqual(parse_length(text), seconds)

    @given(st.text(max_size=12))
    def test_everything_else_is_refused_and_nothing_is_endless(self, text):
        try:
            seconds = parse_length(text)
        except BadValueError as error:
            self.assertIn("10s", str(error))
        else:
            self.assertTrue(0.1 <= seconds <= 86_400)

    def test_odd_numbers(self):
        for text in ("NaN", "inf", "1e309", "-1", "0", "25h", "٣", "10 s s", "", "10s\n"):
            with self.subTest(text), self.assertRaises(BadValueError):
                parse_length(text)
