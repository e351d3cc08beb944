import unittest

import numpy as np

from reel.core.measure import FlashFinder
from reel.core.signal import NS


def pictures(lit=(), count=90, step=lambda number: 0.0):
    """Return a picture that moves sideways, with noise; a lamp lights its part up in those that are `lit`."""
    random = np.random.default_rng(3)
    wide = random.integers(40, 180, (12, 40)).repeat(20, axis=0).repeat(20, axis=1)
    for number in range(count):
        seen = wide[:, number * 2 : number * 2 + 320] + random.normal(0, 3, (240, 320)) + step(number)
        if number in lit:
            seen[60:120, 140:200] += 70
        yield np.clip(seen, 16, 235).astype(np.uint8)


def find(shown):
    finder = FlashFinder()
    found = [finder.feed(luma, number * NS // 30) for number, luma in enumerate(shown)]
    return [number for number, flash in enumerate(found) if flash], [flash for flash in found if flash]


class FlashTests(unittest.TestCase):
    def test_a_lamp_is_seen_in_a_picture_that_moves(self):
        numbers, flashes = find(pictures(lit={20, 21, 22, 55, 56, 80}))
        self.assertEqual(numbers, [20, 55, 80])
        self.assertEqual((flashes[0].before_ns, flashes[0].at_ns), (19 * NS // 30, 20 * NS // 30))

    def test_what_moves_gets_slowly_brighter_or_goes_dark_is_no_flash(self):
        for step in (lambda number: 0, lambda number: number * 0.8, lambda number: -60.0 if number > 40 else 0):
            self.assertEqual(find(pictures(step=step))[0], [])
