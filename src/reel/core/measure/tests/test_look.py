"""What is said of synthetic pictures with known answers: noise, pans, rolls, fades, fields, film, lamps, snow."""

import itertools
import unittest
from fractions import Fraction

import av
import numpy as np

from reel.core.measure import FieldProbe, FieldVerdict, Watch
from reel.core.signal import NS, Picture

HEIGHT, WIDTH = 288, 360
NOISES = (0, 1, 3, 6, 12)


def texture():
    """A large picture with detail at every scale, as pictures of the world have it (1/f)."""
    random = np.random.default_rng(3)
    across, down = WIDTH * 4, HEIGHT * 4
    spectrum = np.fft.rfft2(random.normal(0, 1, (down, across)))
    scale = np.hypot(np.fft.fftfreq(down)[:, None], np.fft.rfftfreq(across)[None])
    image = np.fft.irfft2(spectrum / np.maximum(scale, 0.004), s=(down, across))
    return np.clip((image - image.mean()) / image.std() * 40 + 120, 16, 235)


TEXTURE = texture()
# Out of focus: no detail, and so no tile that stands out when all of it moves.
SOFT = 120 + 60 * np.sin(np.arange(WIDTH * 4) / 9)[None] + 40 * np.sin(np.arange(HEIGHT * 4) / 7)[:, None]
STRIPES = np.tile(np.array([[60.0], [180.0]]), (HEIGHT * 3 // 2, WIDTH * 3))


def scene(moment, across=0.0, down=0.0, image=TEXTURE):
    """The part of a picture that a camera sees that pans and rolls by so many pixels a moment."""
    left, top = round(300 + across * moment), round(250 + down * moment)
    return image[top : top + HEIGHT, left : left + WIDTH].copy()


class Noisy:
    """Makes frames of pictures under noise of a standard deviation in code values."""

    def __init__(self, noise):
        self.noise, self.random = noise, np.random.default_rng(7)

    def frame(self, image):
        shown = image + self.random.normal(0, self.noise, image.shape) if self.noise else image
        grey = np.full((HEIGHT * 3 // 2, WIDTH), 128, dtype=np.uint8)
        grey[:HEIGHT] = np.clip(np.rint(shown), 0, 255)
        return av.VideoFrame.from_ndarray(grey, format="yuv420p")


def flat(level, **marks):
    image = np.full((HEIGHT, WIDTH), float(level))
    for top, left, down, across, value in marks.values():
        image[top : top + down, left : left + across] = value
    return image


def shown(frame, number, per_s):
    return Picture(at_ns=number * NS // per_s, sequence=number, frame=frame)


def watched(images, noise, per_s=10):
    """Watch pictures, given by their number, for three seconds."""
    watch, noisy = Watch(), Noisy(noise)
    for number in range(3 * per_s + 1):
        watch.look(shown(noisy.frame(images(number)), number, per_s))
    return watch.read(3 * NS)


class WatchTests(unittest.TestCase):
    def for_each_noise(self, cases, check):
        for noise in NOISES:
            for name, images in cases.items():
                with self.subTest(name, noise=noise):
                    check(watched(images, noise))

    def test_what_stands_still_is_still_whatever_its_noise(self):
        cases = {"scene": lambda n: scene(0), "grey": lambda n: flat(90), "stripes": lambda n: scene(0, image=STRIPES)}
        self.for_each_noise(cases, lambda seen: self.assertGreater(seen.still_s, 2.5))

    def test_what_was_not_looked_at_is_not_said_to_stand_still_or_to_be_black(self):
        watch, noisy = Watch(), Noisy(0)
        for number in range(11):
            watch.look(shown(noisy.frame(flat(16)), number, 10))
        for number in range(11, 31):
            watch.note(number * NS // 10)
        seen = watch.read(3 * NS)
        self.assertLess(max(seen.still_s, seen.black_s), 0.2)

    def test_what_moves_a_little_is_not_frozen(self):
        cases = {
            "clock digit": lambda n: scene(0) if n // 10 % 2 else digit(scene(0)),
            "cursor": lambda n: flat(60, cursor=(100, 80, 14, 2, 230 if n // 5 % 2 else 60)),
            "slow fade": lambda n: scene(0) * (1 - n / 300),
            **{f"pan {step}": (lambda n, step=step: scene(n, step)) for step in (1, 2, 6)},
            **{f"roll {step}": (lambda n, step=step: scene(n, 0, step)) for step in (1, 3, 6)},
            "crawl": lambda n: flat(30, text=(260, 300 - 3 * n, 12, 40, 220)),
        }
        self.for_each_noise(cases, lambda seen: self.assertLess(seen.still_s, 1.7))

    def test_colour_alone_that_moves_is_not_frozen(self):
        for pixels in ("yuv420p", "yuv422p10le", "nv12", "yuyv422"):
            still, moving = Watch(), Watch()
            for number in range(31):
                planes = np.full((HEIGHT * 3 // 2, WIDTH), 128, dtype=np.uint8)
                still.look(
                    shown(av.VideoFrame.from_ndarray(planes, format="yuv420p").reformat(format=pixels), number, 10)
                )
                planes[HEIGHT : HEIGHT + HEIGHT // 4] = 100 + number % 2 * 40  # of Cb alone
                moving.look(
                    shown(av.VideoFrame.from_ndarray(planes, format="yuv420p").reformat(format=pixels), number, 10)
                )
            with self.subTest(pixels):
                self.assertGreater(still.read(3 * NS).still_s, 2.5)
                self.assertLess(moving.read(3 * NS).still_s, 0.3)
                self.assertGreater(moving.read(3 * NS).distinct_per_s, 8)

    def test_only_black_is_black(self):
        black = {"limited": lambda n: flat(16), "full": lambda n: flat(0)}
        self.for_each_noise(black, lambda seen: self.assertGreater(seen.black_s, 2.5))
        dark = {
            "night with something that moves": lambda n: flat(18, cat=(120, 40 + 4 * n, 60, 80, 27)),
            "lamp": lambda n: flat(16, lamp=(140, 200, 4, 4, 210)),
            "dark grey": lambda n: flat(28),
            "night sky": lambda n: flat(17, moon=(20, 300, 24, 24, 40)),
        }
        self.for_each_noise(dark, lambda seen: self.assertEqual(seen.black_s, 0))

    def test_snow_is_snow_and_nothing_else_is(self):
        random = np.random.default_rng(5)
        snow = watched(lambda n: random.integers(16, 236, (HEIGHT, WIDTH)).astype(float), 0)
        self.assertGreater(snow.snow_s, 2)
        self.assertEqual((snow.black_s, round(snow.still_s)), (0, 0))
        others = {"pan": lambda n: scene(n, 3), "still": lambda n: scene(0), "dark": lambda n: flat(20)}
        self.for_each_noise(others, lambda seen: self.assertEqual(seen.snow_s, 0))

    def test_every_new_picture_is_counted_and_no_repeat(self):
        for noise, image in itertools.product((0, 3), (TEXTURE, SOFT)):
            pan = watched(lambda n, image=image: scene(n, 3, image=image), noise, per_s=20)
            halved = watched(lambda n, image=image: scene(n // 2, 4, image=image), noise, per_s=20)
            with self.subTest(noise=noise, soft=image is SOFT):
                self.assertAlmostEqual(pan.distinct_per_s, 20, delta=0.5)
                self.assertAlmostEqual(halved.distinct_per_s, 10, delta=0.6)


def digit(image):
    image[100:114, 200:210] = np.where(np.eye(14, 10, dtype=bool) | (np.arange(14)[:, None] % 5 == 0), 235, 16)
    return image


def fields_of(kind, pictures=24):
    """The moments of the first and second field of each picture, counted in fields."""
    if kind == "film 3:2":
        moments = [4 * n for n in range(pictures) for _ in range(2 if n % 2 == 0 else 3)]
        return list(zip(moments[0::2], moments[1::2], strict=False))
    later = {"apart": 1, "whole": 0, "film begun with the second field": 2}[kind]
    return [(2 * n, 2 * n + later) for n in range(pictures)]


class FieldTests(unittest.TestCase):
    VERDICTS = {
        "apart": FieldVerdict.APART,
        "whole": FieldVerdict.MERGED,
        "film 3:2": FieldVerdict.FILM,
        "film begun with the second field": FieldVerdict.FILM,
    }

    def test_fields(self):
        top_first = True
        for noise in (0, 3, 12):
            for kind, verdict in self.VERDICTS.items():
                for across, down in ((1, 0), (6, 0), (0, 1), (0, 3), (2, 2)):
                    top_first = not top_first
                    with self.subTest(kind, noise=noise, across=across, down=down, top_first=top_first):
                        test = self.judge(fields_of(kind), noise, across, down, top_first)
                        self.assertEqual(test.verdict, verdict)
                        if verdict is FieldVerdict.APART:
                            self.assertGreater(test.new, 0.9 * test.made)

    def test_what_stands_still_tells_nothing(self):
        for noise in NOISES:
            for image in (TEXTURE, STRIPES):
                test = self.judge(fields_of("apart"), noise, 0, 0, True, image)
                self.assertEqual((test.verdict, test.new), (FieldVerdict.STILL, 0), noise)

    def test_pictures_that_are_lost_on_the_way_change_no_verdict(self):
        for kind in ("apart", "whole"):
            some = self.judge(fields_of(kind), 3, 2, 2, True, lost=lambda number: number % 5 == 2)
            self.assertEqual(some.verdict, self.VERDICTS[kind])
            most = self.judge(fields_of(kind), 3, 2, 2, True, lost=lambda number: number % 2)
            self.assertEqual((most.verdict, most.new), (FieldVerdict.GAPS, 0))

    def test_fine_stripes_behind_what_moves_are_no_fields(self):
        def draw(moment):
            return scene(0, image=STRIPES) * 0.3 + scene(moment, 2) * 0.7

        for kind, verdict in (("whole", FieldVerdict.MERGED), ("apart", FieldVerdict.APART)):
            self.assertEqual(self.judge(fields_of(kind), 3, 0, 0, True, draw=draw).verdict, verdict)

    def test_who_watches_compares_only_pictures_that_follow_each_other(self):
        """Each field is a moment of its own; with every second picture lost none can be told by the ones around it."""
        for step, found in ((1, True), (2, None)):
            watch, noisy = Watch(), Noisy(3)
            for number in range(96):
                woven = scene(2 * (number % 8), 2)
                woven[1::2] = scene(2 * (number % 8) + 1, 2)[1::2]
                watch.look(shown(noisy.frame(woven), number * step, 25))
            self.assertIs(watch.read(96 * step * NS // 25).has_fields, found, step)

    @staticmethod
    def judge(fields, noise, across, down, top_first, image=TEXTURE, draw=None, lost=lambda number: False):
        probe, noisy = FieldProbe(Fraction(25), top_first=top_first), Noisy(noise)
        draw = draw or (lambda moment: scene(moment, across, down, image))
        for number, (first, second) in enumerate(fields):
            upper, lower = (first, second) if top_first else (second, first)
            woven = draw(upper)
            woven[1::2] = draw(lower)[1::2]
            if not lost(number):
                probe.feed(shown(noisy.frame(woven), number, 25))
        return probe.result()
