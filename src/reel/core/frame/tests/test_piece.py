"""Pieces as properties: any source, any crop, any frame."""

import unittest
from dataclasses import replace
from fractions import Fraction

from hypothesis import given, settings
from hypothesis import strategies as st

from reel.core.errors import BadValueError
from reel.core.frame import (
    Advice,
    Arrangement,
    Crop,
    Fit,
    FrameSetup,
    Piece,
    Place,
    Quarter,
    cover,
    proposals,
    scaling,
    smaller,
    with_renamed,
    without_input,
)
from reel.core.frame.edit import add_piece, keep_arrangement, move_piece, remove_piece, side_by_side
from reel.core.signal import Mode

sides = st.integers(16, 4096)
sizes = st.tuples(sides, sides)
frames = st.tuples(st.integers(32, 2048).map(lambda n: 2 * n), st.integers(32, 1152).map(lambda n: 2 * n))
aspects = st.sampled_from([Fraction(1), Fraction(16, 15), Fraction(8, 9), Fraction(4, 3), Fraction(64, 45)])
crops = st.builds(Crop, **{name: st.integers(0, 5000) for name in ("left_px", "top_px", "right_px", "bottom_px")})
FRAME = FrameSetup(mode=Mode.parse("1280x720p30"))


class CastTests(unittest.TestCase):
    @settings(max_examples=300)
    @given(sizes, frames, aspects, crops, st.sampled_from(Fit), st.sampled_from(Quarter))
    def test_what_fills_the_frame_lies_within_it(self, source, frame, aspect, crop, fit, turn):
        piece = Piece(fit=fit, crop=crop, turn=turn, zoom=Fraction(3, 2), centre_y=Fraction(11, 20))
        area, placed = piece.cast(source, frame, aspect)
        self.assertTrue(area.x_px >= 0 and area.x_px + area.width_px <= source[0] and area.width_px >= 1)
        self.assertTrue(area.y_px >= 0 and area.y_px + area.height_px <= source[1] and area.height_px >= 1)
        self.assertTrue(placed.x_px >= 0 and placed.x_px + placed.width_px <= frame[0])
        self.assertTrue(placed.y_px >= 0 and placed.y_px + placed.height_px <= frame[1])
        self.assertEqual({value % 2 for value in (placed.x_px, placed.y_px, placed.width_px, placed.height_px)}, {0})
        self.assertGreater(scaling(piece, source, frame, aspect).factor, 0)

    @settings(max_examples=300)
    @given(sizes, frames, aspects, st.sampled_from(Quarter))
    def test_the_shape_is_kept_when_asked_to(self, source, frame, aspect, turn):
        """Whole: to the even pixel on one side, the other is the frame's. Filling: to half a pixel of the source."""
        area, placed = Piece(turn=turn).cast(source, frame, aspect)
        wide, high = area.width_px * aspect, Fraction(area.height_px)
        if turn in (Quarter.RIGHT, Quarter.LEFT):
            wide, high = high, wide
        scale = min(Fraction(frame[0]) / wide, Fraction(frame[1]) / high)
        if min(wide * scale, high * scale) >= 2:
            self.assertLessEqual(abs(placed.width_px - wide * scale), 1)
            self.assertLessEqual(abs(placed.height_px - high * scale), 1)
        part = cover(source, frame, aspect)
        if min(part.width_px, part.height_px) > 2:
            exact = frame[0] / Fraction(frame[1]) / aspect
            self.assertLessEqual(min(abs(part.width_px - part.height_px * exact),
                                     abs(part.height_px - part.width_px / exact)), 1)  # fmt: skip

    @given(sizes, frames, st.integers(-500, 4000), st.integers(-500, 2000), st.integers(2, 3000), st.integers(2, 3000))
    def test_a_place_of_its_own_is_kept_to_the_even_pixel(self, source, frame, x, y, width, height):
        piece = Piece(place=Place(x_px=x, y_px=y, width_px=width, height_px=height), fit=Fit.STRETCH)
        _, placed = piece.cast(source, frame)
        for got, asked in zip(
            (placed.x_px, placed.y_px, placed.width_px, placed.height_px), (x, y, width, height), strict=True
        ):
            self.assertTrue(0 <= asked - got <= 1)

    def test_refusals_name_the_thing_and_the_limit(self):
        for make in (
            lambda: Crop(left_px=-1),
            lambda: Place(x_px=0, y_px=0, width_px=0, height_px=2),
            lambda: Piece(zoom=Fraction(1, 2)),
            lambda: Piece(opacity=101),
            lambda: Piece(key="ä"),
            lambda: Piece(key="cc"),
            lambda: Arrangement(pieces=()),
            lambda: Arrangement(name=" "),
            lambda: FrameSetup(mode=Mode.parse("4098x2304p30")),
            lambda: FrameSetup(mode=Mode.parse("32x32p30")),
            lambda: replace(FRAME, ground="red"),
            lambda: replace(FRAME, arrangements=()),
            lambda: remove_piece(FRAME, 0, 0),
            lambda: remove_piece(FRAME, 3, 0),
        ):
            with self.assertRaises(BadValueError):
                make()


class EditTests(unittest.TestCase):
    def test_pieces_and_arrangements_come_and_go(self):
        frame = add_piece(FRAME, 0, "Camera", (640, 480))
        camera = frame.arrangements[0].pieces[1]
        self.assertTrue(camera.place.x_px + camera.place.width_px < 1280)
        self.assertAlmostEqual(camera.place.width_px / camera.place.height_px, 4 / 3, delta=0.02)
        self.assertEqual(move_piece(frame, 0, 1, -1).arrangements[0].pieces[0], camera)
        both = keep_arrangement(frame, 0, "Both")
        self.assertEqual([one.name for one in both.arrangements], ["The picture", "Both"])
        self.assertEqual(with_renamed(both, "Camera", "Bench").arrangements[1].pieces[1].input, "Bench")
        self.assertEqual(without_input(both, "Camera").arrangements[1].pieces, (Piece(),))

    @given(st.lists(sizes, min_size=1, max_size=5), frames)
    def test_side_by_side_none_touches_another_or_the_edge(self, sources, frame):
        setup = replace(FRAME, mode=Mode(width_px=frame[0], height_px=frame[1], rate=Fraction(30)))
        named = [(str(number), size) for number, size in enumerate(sources)]
        right = 0
        for piece in side_by_side(setup, 0, named).arrangements[0].pieces:
            self.assertGreaterEqual(piece.place.x_px, right - 2)
            right = piece.place.x_px + piece.place.width_px
        self.assertLessEqual(right, frame[0] + 2)


class AdviceTests(unittest.TestCase):
    def test_bars_around_4_3_ask_for_a_frame_of_4_3(self):
        pillar = Crop(left_px=160, right_px=160)
        found = {one.advice: one.frame for one in proposals(FRAME, (1280, 720), Fraction(1), pillar)}
        self.assertEqual(list(found), [Advice.NARROW, Advice.CUT])
        self.assertEqual(found[Advice.NARROW].mode.size_label, "960×720")
        self.assertEqual(found[Advice.CUT].arrangements[0].pieces[0].crop, pillar)
        letter = proposals(FRAME, (1280, 720), Fraction(1), Crop(top_px=90, bottom_px=90))
        self.assertEqual([one.advice for one in letter], [Advice.CUT])
        self.assertEqual(proposals(FRAME, (1280, 720), Fraction(1), Crop()), [])

    def test_a_square_picture_loses_more_above_than_below(self):
        (found,) = proposals(FRAME, (960, 1000), Fraction(1), None)
        self.assertEqual((found.advice, found.frame.mode.size_label), (Advice.PART, "960×540"))
        area, placed = found.frame.arrangements[0].pieces[0].cast((960, 1000), found.frame.size)
        self.assertEqual((area.width_px, area.height_px), (placed.width_px, placed.height_px))
        self.assertAlmostEqual(area.y_px + area.height_px / 2, 550, delta=1)
        self.assertEqual(proposals(found.frame, (960, 1000), Fraction(1), None), [], "once is enough")


class SizesTests(unittest.TestCase):
    def test_smaller_sizes_keep_the_shape_and_are_even(self):
        for mode, wanted in (
            ("1280x720p30", ["960×540", "640×360"]),
            ("1920x1080p60", ["1280×720", "960×540"]),
            ("720x1280p30", ["540×960", "360×640"]),
            ("768x576i25", ["720×540", "480×360"]),
            ("320x240p30", []),
        ):
            found = smaller(Mode.parse(mode))
            self.assertEqual([one.size_label for one in found], wanted)
            self.assertTrue(all(one.rate == Mode.parse(mode).rate for one in found))
