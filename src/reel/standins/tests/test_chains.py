"""Prediction is reality: what the walk of the line says arrives is what comes out of the stand-ins."""

import unittest
from dataclasses import replace

from reel.standins.tests.chains import predicted, read, received, table


class ChainTests(unittest.TestCase):
    def test_what_is_predicted_arrives(self):
        rigs = table()
        self.assertGreaterEqual(len(rigs), 60)
        for name, setup in rigs.items():
            with self.subTest(name):
                self.check(setup)

    def check(self, setup):
        said = predicted(setup)
        big = said is not None and said.size[0] > 1920
        pictures = received(setup, 4 if big else 9)
        if said is None:
            self.assertEqual(pictures, [])
            return
        self.assertGreater(len(pictures), 2)
        seen = read(setup, pictures)
        # a rate is read over few pictures whose instants are whole nanoseconds
        self.assertAlmostEqual(float(seen.rate), float(said.rate), delta=0.05)
        self.assertAlmostEqual(float(seen.distinct), float(said.distinct), delta=float(said.rate) / 8)
        same = {"rate": said.rate, "distinct": said.distinct}
        for side in ("across", "down"):
            # stripes that lie just at the limit live or die by their phase when the picture is scaled
            if is_scaled(setup, said) and getattr(seen, side) == 2 * getattr(said, side):
                same[side] = getattr(said, side)
        self.assertEqual(replace(seen, **same), said)


def is_scaled(setup, said):
    mode = setup.device.mode
    return said.size[1] != mode.height_px
