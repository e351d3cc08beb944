import re
from dataclasses import replace

from django.test import SimpleTestCase
from hypothesis import given
from hypothesis import strategies as st

from reel.core.file import Recipe
from reel.core.frame import FrameSetup
from reel.core.line import (
    DEVICES,
    STAGES,
    Connector,
    DeviceKind,
    HopSetup,
    Live,
    line_stages,
    propose,
    strands,
)
from reel.core.line.tests.rigs import feed, with_picture
from reel.core.signal import Mode, SoundFormat
from reel.web.rigs.drawing import draw_line
from reel.web.ui.bands import THICKEST, THINNEST, thickness

CONSOLE_MODES = DEVICES[DeviceKind.CONSOLE].facts.modes


def setup(mode, frame="1280x720p30"):
    return replace(propose(DeviceKind.CONSOLE, mode=mode), frame=FrameSetup(mode=Mode.parse(frame)))


def drawn(rig, stage="", live=()):
    return draw_line(line_stages(rig, live), strands(rig, live), stage)


class LineTests(SimpleTestCase):
    @given(st.floats(0, 1e13), st.floats(0, 1e13))
    def test_thickness_grows_with_the_rate_within_its_limits(self, one, other):
        low, high = sorted((one, other))
        self.assertTrue(THINNEST <= thickness(low) <= thickness(high) <= THICKEST)

    def test_every_line_is_drawn_inside_its_box(self):
        for mode in CONSOLE_MODES:
            for stage in ("", *STAGES):
                line = drawn(setup(mode), stage, [Live(sound=SoundFormat())])
                self.assertEqual(line.width, 760 if stage else 700)
                self.assertEqual([drawn.key for drawn in line.stages if drawn.is_open], [stage] if stage else [])
                for path in (line.picture, *(strand.path for strand in line.strands), *line.fallen):
                    points = [float(number) for number in re.findall(r"-?[0-9.]+", path)]
                    self.assertTrue(all(0 <= x <= line.width for x in points[0::2]), path)
                    self.assertTrue(all(0 <= y <= 84 for y in points[1::2]), path)

    def test_a_loss_falls_off_where_it_happens(self):
        line = drawn(setup(CONSOLE_MODES[0]))
        self.assertEqual([piece.split()[0] for piece in line.fallen], ["M92"], "a box takes half of the colours")
        line = drawn(setup(Mode.parse("3840x2160p30")))
        self.assertEqual([piece.split()[0] for piece in line.fallen], ["M92", f"M{STAGES.index('frame') * 100 - 8}"])

    def test_the_strand_never_gets_thicker_and_what_is_unpacked_is_an_outline(self):
        console = propose(DeviceKind.CONSOLE, {"hdmi-stick"})
        headset = propose(DeviceKind.HEADSET)
        own = with_picture(headset, device={"out": Connector.PAIRED}, path=(HopSetup(model="developer-link"),))
        for rig, outlines in ((console, 2), (own, 0), (propose(DeviceKind.PHONE), 0)):
            line = drawn(rig)
            top = [float(y) for y in re.findall(r"L[0-9.]+ ([0-9.]+)", line.picture.partition("L680")[0])]
            self.assertEqual(top, sorted(top), "its upper edge only falls")
            self.assertEqual(len(line.unpacked), outlines)
        self.assertEqual([stage.fact for stage in line_stages(own)[2:5]], ["960×1000p 36", "960×1000", "1 track"])

    def test_what_is_not_known_is_dashed(self):
        line = drawn(feed("a.mp4"))
        self.assertEqual((line.unknown, line.strands), ("M0 34 L300 34", ()))
        line = drawn(feed("tcp://127.0.0.1:9999", recipe=Recipe(as_sent=True)))
        self.assertEqual((line.unknown, line.picture), (f"M0 34 L{line.width} 34", ""), "nothing of it, while closed")
