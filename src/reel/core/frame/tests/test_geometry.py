import unittest
from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from reel.core.frame import Placed, fit, turned, with_square_pixels

SIDES = st.integers(8, 2048).map(lambda half: half * 2)


class FitTests(unittest.TestCase):
    @given(SIDES, SIDES, SIDES, SIDES)
    def test_whole_source_lies_inside_and_touches_two_edges(self, source_w, source_h, frame_w, frame_h):
        placed = fit((source_w, source_h), (frame_w, frame_h))
        self.assertTrue(placed.x_px >= 0 and placed.x_px + placed.width_px <= frame_w)
        self.assertTrue(placed.y_px >= 0 and placed.y_px + placed.height_px <= frame_h)
        self.assertTrue(placed.width_px >= frame_w - 1 or placed.height_px >= frame_h - 1)
        self.assertFalse((placed.x_px | placed.y_px | placed.width_px | placed.height_px) % 2)

    def test_known_shapes(self):
        self.assertEqual(fit((640, 480), (1280, 720)), Placed(x_px=160, y_px=0, width_px=960, height_px=720))
        # PAL 4:3: 720×576 with pixels of 16/15
        placed = fit((720, 576), (1280, 720), Fraction(16, 15))
        self.assertEqual((placed.width_px, placed.height_px), (960, 720))


class TurnedTests(unittest.TestCase):
    @given(st.integers(16, 4096), st.integers(16, 4096), st.fractions(Fraction(1, 4), Fraction(4)))
    def test_turned_there_and_back_is_as_it_was(self, width, height, aspect):
        for degrees in (0, 90, -90, 180):
            there = turned(width, height, aspect, degrees)
            self.assertEqual(turned(*there, -degrees), (width, height, aspect))
        self.assertEqual(turned(width, width, aspect, 90), (width, width, 1 / aspect))

    @given(st.integers(32, 4096), st.integers(32, 4096), st.fractions(Fraction(1, 4), Fraction(4)))
    def test_square_pixels_keep_the_shape_and_lose_nothing(self, width, height, aspect):
        across, down = with_square_pixels(width, height, aspect)
        self.assertTrue(across >= width - 1 and down >= height - 1)
        self.assertAlmostEqual(across / down / float(width * aspect / height), 1, delta=2 / min(across, down) * 2)
