"""What is laid over pictures: words, images with alpha, clocks, strokes; and images that are refused."""

import tempfile
import unittest
from dataclasses import replace
from io import BytesIO
from pathlib import Path

import av
import numpy as np
from PIL import Image as Pictures

from reel.core.errors import BadValueError
from reel.core.frame import Arrangement, Caption, Clock, Fit, Font, FrameSetup, Image, Lettering, Piece, Place
from reel.core.media import Composer, Moment, OverlayAssets, OverlayBitmap, Stroke, draw_stroke, keep_image, planes_of
from reel.core.media.colour import coded
from reel.core.media.composing import code_values
from reel.core.media.overlay import edge_px
from reel.core.signal import Mode, Signal
from reel.options import FONTS

MODE = Mode.parse("320x180p30")


def grey(level=60):
    frame = av.VideoFrame(320, 180, "yuv420p")
    for plane, value in zip(planes_of(frame), (level, 128, 128), strict=True):
        plane[:] = value
    frame.colorspace, frame.color_range = 1, 1
    return frame


def png(size=(40, 20), colour=(255, 0, 0, 255)):
    data = BytesIO()
    Pictures.new("RGBA", size, colour).save(data, "PNG")
    return data.getvalue()


class OverlayTests(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.images = Path(folder.name) / "images"
        self.assets = OverlayAssets(fonts=FONTS, images=self.images)

    def composed(self, overlay, *, place=(20, 20, 40, 20), opacity=100, moment=None, pen=()):
        x, y, width, height = place
        piece = Piece(overlay=overlay, opacity=opacity, place=Place(x_px=x, y_px=y, width_px=width, height_px=height))
        pieces = (Piece(), piece) if overlay else (Piece(),)
        setup = FrameSetup(mode=MODE, arrangements=(Arrangement(pieces=pieces),))
        composer = Composer(setup, Signal(mode=MODE), assets=self.assets)
        composer.pen = pen
        before = grey()
        made = composer.compose({"": (before, 1)}, moment)
        self.assertEqual(int(planes_of(before)[0].max()), 60, "what came is not drawn on")
        return [plane.astype(int) for plane in planes_of(made)]

    def test_a_case_lies_around_the_picture_and_covers_none_of_it(self):
        """Its slot is at the upper end: above an upright picture, at the left of one that lies."""
        upright, lying = (
            Place(x_px=100, y_px=20, width_px=80, height_px=140),
            Place(x_px=60, y_px=40, width_px=160, height_px=90),
        )
        cut_off = Place(x_px=-20, y_px=-20, width_px=100, height_px=60)
        # where the slot is, and where beside it the case is dark
        for place, slot, dark in ((upright, (18, 140), (18, 170)), (lying, (85, 58), (115, 58)), (cut_off, None, None)):
            bare = Piece(place=place, fit=Fit.STRETCH)
            luma = {}
            for piece in (bare, replace(bare, outline=True)):
                frame = FrameSetup(mode=MODE, arrangements=(Arrangement(pieces=(piece,)),), ground="#ffffff")
                luma[piece.outline] = planes_of(Composer(frame, Signal(mode=MODE)).compose({"": (grey(), 1)}))[0]
            changed = luma[True] != luma[False]
            left, top = max(0, place.x_px), max(0, place.y_px)
            inside = (slice(top, place.y_px + place.height_px), slice(left, place.x_px + place.width_px))
            edge = edge_px((place.width_px, place.height_px))
            with self.subTest(place):
                self.assertFalse(changed[inside].any())
                self.assertTrue(changed[place.y_px + place.height_px // 2, place.x_px + place.width_px + edge // 2])
                self.assertFalse(changed[:, place.x_px + place.width_px + edge :].any())
                if slot is not None:
                    self.assertGreater(int(luma[True][slot]), int(luma[True][dark]) + 20)

    def test_an_image_has_its_colours_where_it_covers_and_nothing_where_it_does_not(self):
        name, size = keep_image(png(), self.images)
        self.assertEqual(size, (40, 20))
        planes = self.composed(Image(name=name))
        wanted = code_values("#ff0000", Signal(mode=MODE))
        for number, plane in enumerate(planes):
            shift = 1 if number else 0
            inside = plane[24 >> shift : 36 >> shift, 24 >> shift : 56 >> shift]
            self.assertLessEqual(np.abs(inside - wanted[number]).max(), 1)
            self.assertTrue((plane[60:] == (128 if number else 60)).all())
        half = self.composed(Image(name=name), opacity=50)[0][30, 40]
        self.assertAlmostEqual(half, (60 + wanted[0]) / 2, delta=1)
        clear, _ = keep_image(png(colour=(255, 0, 0, 0)), self.images)
        self.assertTrue((self.composed(Image(name=clear))[0] == 60).all())
        self.assertTrue((self.composed(Image(name="0" * 16 + ".png"))[0] == 60).all(), "one that is gone is left out")
        over = self.composed(Image(name=name), place=(300, -10, 40, 20))[0]
        self.assertAlmostEqual(over[5, 310], wanted[0], delta=1)

    def test_words_and_clocks_are_written_in_the_shipped_fonts(self):
        drawn = {}
        for font in Font:
            letters = Lettering(font=font, size_px=30)
            luma = self.composed(Caption(text="Bed 4\nGrün", lettering=letters))[0]
            self.assertGreater(luma.max(), 220)
            self.assertTrue((luma[:18] == 60).all())
            drawn[font] = luma
        self.assertTrue(all(not np.array_equal(drawn[Font.MONO], drawn[font]) for font in (Font.SANS, Font.GROTESQUE)))
        grounded = replace(letters, ground="#000000", colour="#ffffff")
        self.assertLess(self.composed(Caption(text="x", lettering=grounded))[0][22, 22], 20)
        first, later = (self.composed(Clock(), moment=Moment(timecode=f"00:00:0{n}:00"))[0] for n in (1, 2))
        self.assertFalse(np.array_equal(first, later))

    def test_strokes_of_the_pen_lie_over_all(self):
        film = draw_stroke(Stroke(points=((10, 90), (310, 90)), width_px=8, colour="#ffffff"), Signal(mode=MODE))
        luma = self.composed(None, pen=(film,))[0]
        self.assertGreater(luma[90, 20:300].min(), 230)
        self.assertTrue((luma[:80] == 60).all())
        for wrong in ({"points": ()}, {"points": ((0, 0),) * 2001}, {"points": ((10**6, 0),)}):
            with self.assertRaises(BadValueError):
                Stroke(**wrong)
        for wrong in ({"width_px": 0}, {"width_px": 81}, {"colour": "red"}):
            with self.assertRaises(BadValueError):
                Stroke(points=((0, 0),), **wrong)

    def test_a_film_is_mixed_as_exact_arithmetic_says_wherever_it_lies(self):
        """Within a code value: solid, half covered, mostly empty; in 8 and 10 bits; whole and cut off at the edges."""
        rng = np.random.default_rng(5)
        for pixels, steps in (("yuv420p", (2, 2)), ("yuv422p10le", (1, 2)), ("yuv444p", (1, 1))):
            target = Signal(mode=MODE, pixels=pixels)
            for kind in ("solid", "half", "sparse", "nothing"):
                rgba = rng.integers(0, 256, (60, 90, 4), dtype=np.uint8)
                rgba[..., 3] = {"solid": 255, "half": rgba[..., 3], "sparse": 0, "nothing": 0}[kind]
                if kind == "sparse":
                    rgba[20:24, 30:70, 3] = rng.integers(0, 2, (4, 40)) * 255
                for x, y, opacity in ((40, 30, 100), (40, 30, 37), (-20, -10, 100), (280, 150, 100)):
                    frame = av.VideoFrame(320, 180, pixels)
                    for plane in planes_of(frame):
                        plane[:] = rng.integers(60, 200, plane.shape)
                    before = [plane.astype(float) for plane in planes_of(frame)]
                    OverlayBitmap.of(rgba, target).lay(frame, x, y, opacity)
                    cover = rgba[..., 3] / 255 * opacity / 100
                    for number, (plane, under) in enumerate(zip(planes_of(frame), before, strict=True)):
                        down, across = steps if number else (1, 1)
                        colour = coded(rgba[..., :3].astype(np.float32) / 255, target)[number] * cover
                        mixed, covered = (
                            one.reshape(60 // down, down, 90 // across, across).mean(axis=(1, 3))
                            for one in (colour, cover)
                        )
                        wide = (
                            np.zeros((180 // down + 400, 320 // across + 400)),
                            np.zeros((180 // down + 400, 320 // across + 400)),
                        )
                        top, left = y // down + 200, x // across + 200
                        for whole, one in zip(wide, (mixed, covered), strict=True):
                            whole[top : top + one.shape[0], left : left + one.shape[1]] = one
                        height, width = plane.shape
                        colour, cover_ = (one[200 : 200 + height, 200 : 200 + width] for one in wide)
                        apart = np.abs(plane - (under * (1 - cover_) + colour)).max()
                        self.assertLess(apart, 1.6 if plane.dtype == np.uint8 else 3, (pixels, kind, x, opacity))

    def test_what_is_no_png_or_too_big_is_refused_and_not_kept(self):
        for data in (
            b"",
            b"GIF89a",
            png()[:60],
            b"\x89PNG\r\n\x1a\n" + b"\x00" * 100,
            png((5000, 2)),
            b"\x89" * 9_000_000,
        ):
            with self.subTest(data[:8]), self.assertRaises(BadValueError):
                keep_image(data, self.images)
        self.assertFalse(self.images.exists() and list(self.images.iterdir()))

    def test_joined_emoji_are_words_like_others(self):
        self.assertGreater(self.composed(Caption(text="bed 4 👩\u200d🌾"))[0].max(), 200)

    def test_refusals(self):
        for make in (
            lambda: Caption(text=" "),
            lambda: Caption(text="x" * 201),
            lambda: Caption(text="a\nb\nc\nd\ne"),
            lambda: Caption(text="a\x07b"),
            lambda: Image(name="../secret.png"),
            lambda: Lettering(size_px=4),
            lambda: Lettering(colour="red"),
        ):
            with self.assertRaises(BadValueError):
                make()
