import unittest
from fractions import Fraction

import av
import numpy as np

from reel.core.media import Framer
from reel.core.media.framing import frame_matrix
from reel.core.media.upright import Upright
from reel.core.signal import Mode, Signal


def flat(width, height, yuv, name="yuv420p", matrix=1, value_range=1):
    """A frame of one colour, tagged as H.273 says."""
    planes = np.empty((height * 3 // 2, width), dtype=np.uint8)
    planes[:height] = yuv[0]
    planes[height : height * 5 // 4] = yuv[1]
    planes[height * 5 // 4 :] = yuv[2]
    frame = av.VideoFrame.from_ndarray(planes, format="yuv420p")
    frame.colorspace, frame.color_range = matrix, value_range
    return frame


def colour_at(frame, x, y):
    height = frame.height
    planes = frame.to_ndarray()
    u, v = (planes[height + part * height // 4 :][: height // 4].reshape(height // 2, -1) for part in (0, 1))
    return planes[y, x], u[y // 2, x // 2], v[y // 2, x // 2]


def bt_yuv(red, green, blue, kr, kb, full):
    """R'G'B' 0..1 to 8-bit code values by ITU-R BT.601/709, computed apart from the code under test."""
    luma = kr * red + (1 - kr - kb) * green + kb * blue
    cb, cr = (blue - luma) / (2 - 2 * kb), (red - luma) / (2 - 2 * kr)
    scale = (255, 255, 0) if full else (219, 224, 16)
    return round(scale[2] + scale[0] * luma), round(128 + scale[1] * cb), round(128 + scale[1] * cr)


class FramerTests(unittest.TestCase):
    framer = Framer(Signal(mode=Mode.parse("320x180p30")))

    def test_right_frame_is_handed_through(self):
        frame = flat(320, 180, (100, 110, 120))
        self.assertIs(self.framer.apply(frame), frame)

    def test_matrix_and_range_are_right_to_one_code_value(self):
        for colour in ((0.8, 0.1, 0.2), (0.1, 0.7, 0.3), (0.2, 0.3, 0.9), (0.5, 0.5, 0.5)):
            wanted = bt_yuv(*colour, 0.2126, 0.0722, full=False)
            for matrix, (kr, kb) in ((1, (0.2126, 0.0722)), (6, (0.299, 0.114))):
                for value_range in (1, 2):
                    with self.subTest(colour=colour, matrix=matrix, range=value_range):
                        source = flat(
                            640, 360, bt_yuv(*colour, kr, kb, value_range == 2), matrix=matrix, value_range=value_range
                        )
                        got = colour_at(self.framer.apply(source), 160, 90)
                        self.assertLessEqual(
                            max(abs(int(a) - b) for a, b in zip(got, wanted, strict=True)), 1, (got, wanted)
                        )

    def test_other_shapes_are_boxed_in_black(self):
        framed = self.framer.apply(flat(640, 480, (200, 128, 128), matrix=1))
        self.assertEqual((framed.width, framed.height), (320, 180))
        self.assertEqual(tuple(int(part) for part in colour_at(framed, 4, 90)), (16, 128, 128))
        self.assertEqual(colour_at(framed, 160, 90)[0], 200)
        squeezed = self.framer.apply(flat(720, 576, (200, 128, 128)), Fraction(64, 45))
        self.assertEqual(colour_at(squeezed, 4, 90)[0], 200)


class UprightTests(unittest.TestCase):
    def test_a_picture_that_is_turned_is_taken_by_the_matrix_that_it_was_coded_with(self):
        """An untagged one is taken by its height, which is another once it stands."""
        frame = av.VideoFrame(640, 360, "yuv420p")
        made = Upright().apply(frame, 90)
        self.assertEqual((made.width, made.height, frame_matrix(made)), (360, 640, frame_matrix(frame)))
        self.assertIs(Upright().apply(frame), frame)
