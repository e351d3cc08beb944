import unittest
from unittest.mock import patch

from reel.core.line import Console
from reel.core.line.tests.rigs import one
from reel.core.signal import NS, InputError, Mode, Picture, Signal
from reel.recorder.inputs import ahead
from reel.recorder.inputs.ahead import MAX_PICTURES, Ahead
from reel.recorder.tests.reading import SMALL
from reel.standins import Scenario, assemble
from reel.standins.plain import Plain
from reel.standins.rig import BUFFERED_PICTURES

PICTURE_NS = NS // 30
OTHER = Mode.parse("64x48p24")


class AheadTests(unittest.TestCase):
    def numbers(self, opened, times_ns):
        """Read at some instants; returns the numbers of the pictures."""
        found = [opened.read(now_ns) for now_ns in times_ns]
        return [item.sequence for item in found if isinstance(item, Picture)]

    def test_work_that_takes_too_long_for_a_while_loses_nothing(self):
        """Twice as long as a picture lasts, for half a second, then all is caught up on."""
        slow = [number * 2 * PICTURE_NS for number in range(1, 17)]
        after = [slow[-1] + number * PICTURE_NS // 8 for number in range(300)]
        console = one(Console(mode=Mode.parse("1280x720p30")))
        opened = Ahead(assemble(console, Scenario(), start_ns=0))
        numbers = self.numbers(opened, [*slow, *after])
        self.assertEqual(numbers, list(range(len(numbers))))
        self.assertGreater(opened.due_ns(), after[-1] - PICTURE_NS, "and nothing waits any more")
        alone = self.numbers(assemble(console, Scenario(), start_ns=0), [*slow, *after])
        self.assertLess(len(alone), alone[-1] + 1, "a driver alone would have overwritten some")

    def test_what_waits_is_bounded(self):
        opened = Ahead(Plain(0, mode=SMALL))
        opened.read(100 * NS)
        self.assertEqual(opened.due_ns(), round(NS / 24))
        self.assertLess(opened._opened.due_ns(), (MAX_PICTURES + 2) * NS / 24)
        self.assertGreater(MAX_PICTURES, BUFFERED_PICTURES)
        with patch.object(ahead, "MAX_PX", 5 * SMALL.width_px * SMALL.height_px):
            large = Ahead(Plain(0, mode=SMALL))
            large.read(100 * NS)
        self.assertLess(large._opened.due_ns(), 7 * NS / 24, "few large pictures are as much")

    def test_an_error_comes_after_all_that_came_before_it_each_with_its_signal(self):
        class Turning(Plain):
            """Sends another signal from its third picture on, and breaks after its fourth."""

            def read(self, now_ns):
                if self._picture == 4:
                    raise InputError("The plain one", "was pulled")
                arrived = super().read(now_ns)
                self.signal = Signal(mode=SMALL if self._picture < 3 else OTHER)
                return arrived

        opened = Ahead(Turning(0, mode=SMALL))
        found = [(opened.read(NS).sequence, opened.signal.mode) for _ in range(4)]
        self.assertEqual(found, [(0, SMALL), (1, SMALL), (2, OTHER), (3, OTHER)])
        with self.assertRaises(InputError):
            opened.read(NS)
