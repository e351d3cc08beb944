"""Colour bars from the device through the path into the file, and back: every code value within one."""

import tempfile
import unittest
from dataclasses import replace
from pathlib import Path

import av

from reel.core.file import ConstantQuality, Recipe
from reel.core.frame import FrameSetup
from reel.core.line import DeviceKind, HopSetup, propose
from reel.core.line.tests.rigs import with_picture
from reel.core.media import Shelf
from reel.core.signal import Matrix, Mode, Range
from reel.recorder.clock import VirtualClock
from reel.recorder.inputs.drivers import openers_for
from reel.recorder.virtual import record
from reel.standins import Scenario, Shows

# R'G'B' of the card's patches, and where their middles lie in a picture of 640×360.
BARS = [(1, 1, 1), (1, 1, 0), (0, 1, 1), (0, 1, 0), (1, 0, 1), (1, 0, 0), (0, 0, 1), (0, 0, 0)]
PATCHES = [(colour, 40 + 80 * place, 72) for place, colour in enumerate(BARS)]
PATCHES += [((grey, grey, grey), 64 + 128 * place, 165) for place, grey in enumerate((0.0, 0.25, 0.5, 0.75, 1.0))]


def code_values(red, green, blue):
    """8-bit BT.709 limited code values, from the standard's own formula."""
    luma = 0.2126 * red + 0.7152 * green + 0.0722 * blue
    exact = 16 + 219 * luma, 128 + 224 * (blue - luma) / 1.8556, 128 + 224 * (red - luma) / 1.5748
    return tuple(round(value) for value in exact)


class ColourTests(unittest.TestCase):
    def test_bars_arrive_in_the_file_for_every_coding(self):
        for matrix in (Matrix.BT601, Matrix.BT709):
            for value_range in Range:
                for pixels, path in (
                    ("yuv444p", ("hdmi-2.0", "hdmi-box", "usb-3")),
                    ("yuv444p", ("hdmi-2.1", "capture-card", "pcie-4")),
                    ("yuv422p10le", ("hdmi-2.1", "capture-card", "pcie-4")),
                ):
                    with self.subTest(f"{matrix} {value_range} {pixels} {path[1]}"):
                        self.check(matrix, value_range, pixels, path)

    def check(self, matrix, value_range, pixels, path):
        setup = propose(DeviceKind.CONSOLE)
        hops = tuple(HopSetup(model=model) for model in path)
        sent = {"matrix": matrix, "range": value_range, "pixels": pixels}
        frame = FrameSetup(mode=Mode.parse("640x360p30"))
        setup = replace(setup, frame=frame, recipe=Recipe(rate=ConstantQuality(quality=1), effort="ultrafast"))
        setup = with_picture(setup, device=sent, path=hops)
        with tempfile.TemporaryDirectory() as folder:
            shelf = Shelf(Path(folder))
            openers = openers_for(setup, (Scenario(shows=Shows.BARS),), shelf.root, VirtualClock().now_ns)
            take = record(setup, openers, shelf, rig_name="bars", rolled_s=[(0.1, 0.2)])
            with av.open(str(take.path)) as container:
                frame = list(container.decode(video=0))[-1]
        self.assertEqual((frame.colorspace, frame.color_range), (1, 1))
        for colour, x, y in PATCHES:
            seen = self.mean(frame, x, y)
            for got, wanted in zip(seen, code_values(*colour), strict=True):
                self.assertAlmostEqual(got, wanted, delta=1.01, msg=f"{colour}: {seen} for {code_values(*colour)}")

    def mean(self, frame, x, y):
        planes = frame.to_ndarray()
        luma = planes[y - 8 : y + 8, x - 16 : x + 16].mean()
        colours = [planes[360 + part * 90 :][:90].reshape(180, 320) for part in (0, 1)]
        return (luma, *(plane[y // 2 - 4 : y // 2 + 4, x // 2 - 8 : x // 2 + 8].mean() for plane in colours))
