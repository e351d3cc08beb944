"""Black bars of known width, planted in bright, dark and noisy material, and material that has none."""

import unittest

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from reel.core.frame import Crop
from reel.core.measure.bars import MIN_PICTURES, BarFinder

WIDTH, HEIGHT = 320, 180


def scene(number, random, *, level=120.0, contrast=60.0):
    """A picture that moves: waves that drift, and a bright spot that wanders."""
    across, down = np.arange(WIDTH)[None, :], np.arange(HEIGHT)[:, None]
    waves = np.sin(across / 23 + number / 5) + np.sin(down / 17 - number / 7) + np.sin((across + down) / 41)
    return np.clip(level + contrast * waves / 3 + random.normal(0, 1, (HEIGHT, WIDTH)), 20, 235)


def found(crop, *, noise=0.0, black=16, dark_every=0, pictures=40, **look):
    random, finder = np.random.default_rng(3), BarFinder()
    for number in range(pictures):
        picture = scene(number, random, **look)
        if dark_every and number % dark_every == 0:
            picture[:] = 18
        bars = np.ones((HEIGHT, WIDTH), dtype=bool)
        bars[crop.top_px : HEIGHT - crop.bottom_px, crop.left_px : WIDTH - crop.right_px] = False
        picture[bars] = black
        picture = picture + random.normal(0, noise, picture.shape) if noise else picture
        finder.feed(np.clip(np.round(picture), 0, 255).astype(np.uint8))
    return finder.result()


class BarTests(unittest.TestCase):
    def assert_near(self, bars, crop):
        self.assertIsNotNone(bars)
        for side in ("left_px", "top_px", "right_px", "bottom_px"):
            self.assertAlmostEqual(getattr(bars.crop, side), getattr(crop, side), delta=1, msg=f"{bars} for {crop}")

    @settings(max_examples=12, deadline=None)
    @given(st.tuples(*(st.integers(0, 60) for _ in range(4))))
    def test_bars_of_any_width_are_found_to_a_pixel(self, sides):
        crop = Crop(**dict(zip(("left_px", "top_px", "right_px", "bottom_px"), sides, strict=True)))
        self.assert_near(found(crop), crop)

    def test_in_bright_dark_and_noisy_material(self):
        crop = Crop(left_px=40, right_px=40, top_px=3)
        for name, settings_ in {
            "bright": {"level": 190, "contrast": 40},
            "dark": {"level": 44, "contrast": 22},
            "noisy": {"noise": 6.0},
            "noisy and dark": {"noise": 4.0, "level": 60, "contrast": 30},
            "full range": {"black": 0},
            "dark now and then": {"dark_every": 3, "pictures": 60},
        }.items():
            with self.subTest(name):
                self.assert_near(found(crop, **settings_), crop)

    def test_none_are_found_where_there_are_none(self):
        for name, look in {
            "bright": {"level": 190, "contrast": 40},
            "dark": {"level": 60, "contrast": 30},
            "noisy": {"noise": 8.0},
        }.items():
            with self.subTest(name):
                self.assertEqual(found(Crop(), **look).crop, Crop())
        random, finder = np.random.default_rng(3), BarFinder()
        for number in range(40):  # a night sky, a little brighter downwards, over a garden that moves
            picture = scene(number, random)
            picture[:60] = 17 + np.linspace(0, 5, 60)[:, None] + np.sin(np.arange(WIDTH) / 9)
            finder.feed(picture.astype(np.uint8))
        self.assertEqual(finder.result().crop.top_px, 0)

    def test_what_is_dark_all_over_says_nothing(self):
        finder = BarFinder()
        for number in range(MIN_PICTURES + 20):
            finder.feed(np.full((HEIGHT, WIDTH), 17 + number % 2, dtype=np.uint8))
        self.assertIsNone(finder.result())
        self.assertEqual(finder.dark, MIN_PICTURES + 20)
        bars = found(Crop(left_px=40), dark_every=2, pictures=60)
        self.assertEqual((bars.pictures, bars.dark), (60, 30))
