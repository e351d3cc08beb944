"""Pictures that a finish makes: of fields, of film, at other speeds and rates, graded, with less noise, sharper."""

from dataclasses import replace
from fractions import Fraction
from itertools import pairwise

import av
import numpy as np

from reel.core.errors import BadValueError
from reel.core.file import Container, Draft, FilePlan, Lossless, SoundCodec, VideoCodec, resolve
from reel.core.finish import Encoding, Fields, Finish, Grade, Keep, Pace, PictureFinish, TickRange, plan
from reel.core.media import probe
from reel.core.media.adjusting import Adjuster
from reel.core.media.cuts.sound import at_speed, of_length
from reel.core.media.finishing import cut_files, source_to_cut
from reel.core.media.scope import luma_wave
from reel.core.media.tests.clips import FRAME, numbered, write_clip
from reel.core.media.tests.cutting import HZ, CutCase, decoded
from reel.core.signal import Matrix, Mode, Range, Signal, SoundFormat

ARCHIVE = resolve(Draft(container=Container.MKV, codec=VideoCodec.FFV1, rate=Lossless()))
EACH_ONCE = Pace(ticks_per_s=Fraction(30), frames_per_s=Fraction(30))


def woven(top, bottom):
    """Return a frame that has the upper field of one picture and the lower one of another.

    They are numbered in Gray code, each of whose bits changes in each field: what does not is detail, not movement.
    """
    made, other = (numbered(one ^ one >> 1).to_ndarray() for one in (top, bottom))
    made[1::2] = other[1::2]
    return av.VideoFrame.from_ndarray(made, format="yuv420p")


def from_gray(number):
    """Return the number that has a Gray code."""
    return number ^ (from_gray(number >> 1) if number else 0)


def frame(value, pixels="yuv420p", size=(64, 64)):
    """Return a frame with a luma of so much at 8 bits, or the luma that is given, and red chroma."""
    planes = np.full((size[1] * 3 // 2, size[0]), 0, dtype=np.uint8)
    planes[: size[1]], planes[size[1] : size[1] * 5 // 4], planes[size[1] * 5 // 4 :] = value, 110, 170
    made = av.VideoFrame.from_ndarray(planes, format="yuv420p")
    if pixels != "yuv420p":
        made = av.VideoFrame.from_ndarray(planes.astype(np.uint16) * 4, format=pixels)
    return made


class PicturesMadeTests(CutCase):
    def made(self, source, picture, *ranges, recipe=None):
        """Finish a file's picture; returns the numbers of what is made, its samples and its facts."""
        found = source_to_cut(source)
        keep = Keep(rate=FRAME.rate, ranges=tuple(TickRange(*one) for one in ranges))
        recipe = recipe or resolve(Draft(container=Container.MKV))
        finish = Finish(container=recipe.container, keep=keep, picture=picture, encoding=Encoding(recipe=recipe))
        made, target = plan(finish, found), self.folder / "made.mkv"
        cut_files([source], [found], target, made, lambda part: None)
        numbers, stamps, samples = decoded(target)
        self.assertEqual(len(numbers), made.frames)
        self.assertLess(max(abs(b - a - 1 / made.frame.rate) for a, b in pairwise(stamps)), Fraction(2, 1000))
        # picture and sound end together
        self.assertAlmostEqual(len(samples) / HZ, float(made.length_s), delta=0.03)
        return numbers, samples, probe(target).video

    def test_speed_and_rate_drop_and_repeat_pictures_and_nothing_is_blended(self):
        source, each = self.clip(Container.MKV, VideoCodec.H264, SoundCodec.FLAC, length=60), list(range(60))
        slow = Fraction(1, 2)
        for picture, ranges, expected, rate in (
            (PictureFinish(speed=slow), [(0, 60)], [one for one in each for _ in range(2)], 30),
            (PictureFinish(speed=Fraction(4, 5)), [(0, 60)], each, 24),
            (PictureFinish(speed=slow, rate=Fraction(15)), [(7, 60)], each[7:], 15),
            (PictureFinish(speed=Fraction(2)), [(0, 60)], each[::2], 30),
            (PictureFinish(speed=Fraction(7)), [(11, 34)], [11, 18, 25], 30),
            (PictureFinish(rate=Fraction(60)), [(10, 20)], [one for one in each[10:20] for _ in range(2)], 60),
            (
                PictureFinish(rate=Fraction(10)),
                [(0, 20), (40, 60)],
                [*each[:20:3], 41, 44, 47, 50, 53, 56, 59][:13],
                10,
            ),
            (PictureFinish(rate=Fraction(24)), [(0, 60)], [int(one * 30 / 24) for one in range(48)], 24),
        ):
            with self.subTest(speed=picture.speed, rate=picture.rate):
                numbers, _, video = self.made(source, picture, *ranges)
                self.assertEqual((numbers, video.rate.rate), (expected, rate))
        for wrong in ({"speed": Fraction(1, 100)}, {"rate": Fraction(500)}, {"sharpness": 9.0}, {"denoise": 99}):
            with self.assertRaises(BadValueError):
                PictureFinish(**wrong)

    def test_a_take_that_lost_frames_keeps_its_holes_unless_its_rate_changes(self):
        asked = FilePlan(recipe=resolve(Draft(container=Container.MKV)), frame=FRAME, tracks=("Game",))
        there = [*range(10), *range(13, 30)]
        source = write_clip(self.folder / "holes.mkv", asked, there, draw=numbered)
        found = source_to_cut(source)
        keep = Keep(rate=FRAME.rate, ranges=(TickRange(0, 30),))
        encoding = Encoding(recipe=resolve(Draft(container=Container.MKV)))
        made = plan(Finish(container=Container.MKV, keep=keep, encoding=encoding), found)
        self.assertEqual((made.frames, made.ticks, made.pace), (27, 30, EACH_ONCE))
        alone = write_clip(self.folder / "alone.mkv", asked, [*range(10), 12, 15, *range(17, 30)], draw=numbered)
        found = source_to_cut(alone)
        fields = replace(made.finish, picture=PictureFinish(fields=Fields.EACH))
        target = self.folder / "fields.mkv"
        cut_files([alone], [found], target, plan(fields, found), lambda part: None)
        _, stamps, _ = decoded(target)
        ticks = [round((one - stamps[0]) * 60) for one in stamps]
        self.assertEqual(ticks, [*range(20), 24, 25, 30, 31, *range(34, 60)])
        numbers, _, _ = self.made(source, PictureFinish(rate=Fraction(60)), (0, 30))
        self.assertEqual(numbers, [min(there, key=lambda one: (tick // 2 - one) % 100) for tick in range(60)])

    def test_pictures_at_times_of_their_own_come_onto_even_ones(self):
        """Each is shown from the nearest frame on until the next one is due, also where a range begins between two."""
        asked = FilePlan(
            recipe=resolve(Draft(container=Container.MKV)), frame=FRAME, tracks=("Game",), as_it_comes=True
        )
        times = [0, 17, 33, 50, 67, 100, 500, 517, 521, 533, 903, 1000, 1017, 1033, 1050, 1067]  # in milliseconds
        source = write_clip(
            self.folder / "varying.mkv", asked, times, draw=lambda at, *size: numbered(times.index(at), *size)
        )
        found = source_to_cut(source)
        self.assertEqual((found.packets.is_fixed, found.packets.rate), (False, 60))
        due = [round(at * 60 / 1000) for at in times]
        ranges, slow = [(0, 20), (25, 34), (40, 50), (52, 64)], Fraction(1, 2)
        keep = Keep(rate=Fraction(60), ranges=tuple(TickRange(*one) for one in ranges))
        shown = [
            max(number for number, at in enumerate(due) if at <= tick)
            for first, end in ranges
            for tick in range(first, end)
        ]
        for picture, expected in (
            (PictureFinish(), shown),
            (PictureFinish(rate=Fraction(30)), shown[::2]),
            (PictureFinish(speed=slow, rate=Fraction(60)), [number for number in shown for _ in range(2)]),
        ):
            encoding = Encoding(recipe=resolve(Draft(container=Container.MKV)))
            made = plan(Finish(container=Container.MKV, keep=keep, picture=picture, encoding=encoding), found)
            target = self.folder / "even.mkv"
            cut_files([source], [found], target, made, lambda part: None)
            with self.subTest(picture.rate):
                self.assertEqual(decoded(target)[0], expected)
                self.assertTrue(probe(target).video.rate.fixed)

    def test_fields_become_pictures_and_pull_down_is_undone(self):
        asked = FilePlan(recipe=ARCHIVE, frame=FRAME, tracks=("Game",))
        for top_first in (True, False):
            fields = write_clip(
                self.folder / f"fields-{top_first}.mkv",
                asked,
                range(30),
                draw=lambda tick, *_: woven(2 * tick, 2 * tick + 1) if top_first else woven(2 * tick + 1, 2 * tick),  # noqa: B023 - drawn at once
            )
            picture = PictureFinish(fields=Fields.EACH, top_first=top_first)
            numbers, _, video = self.made(fields, picture, (0, 10), (20, 30), recipe=ARCHIVE)
            self.assertEqual(([*map(from_gray, numbers)], video.rate.rate), ([*range(20), *range(40, 60)], 60))
            numbers, _, video = self.made(fields, PictureFinish(fields=Fields.PAIR, top_first=top_first), (5, 30))
            self.assertEqual(([*map(from_gray, numbers)], video.rate.rate), ([2 * one for one in range(5, 30)], 30))
        film = write_clip(
            self.folder / "film.mkv",
            asked,
            range(60),
            draw=lambda tick, *_: woven(
                *(tick // 5 * 4 + one for one in ((0, 0), (1, 1), (1, 2), (2, 3), (3, 3))[tick % 5])
            ),
        )
        numbers, _, video = self.made(film, PictureFinish(fields=Fields.FILM, top_first=True), (0, 60), recipe=ARCHIVE)
        self.assertEqual(([*map(from_gray, numbers)], video.rate.rate), (list(range(48)), 24))
        ten_bits = replace(asked, recipe=resolve(Draft(container=Container.MKV, codec=VideoCodec.FFV1, bits=10)))
        deep = write_clip(self.folder / "deep.mkv", ten_bits, range(5), draw=numbered)
        with self.assertRaisesRegex(BadValueError, "8 bits only"):
            self.made(deep, PictureFinish(fields=Fields.FILM, top_first=True), (0, 5))

    def test_a_grade_is_what_its_figures_say_and_noise_and_edges_change_alone(self):
        for pixels, scale in (("yuv420p", 1), ("yuv420p10le", 4)):
            for value_range, black, reach in ((Range.LIMITED, 16, 219), (Range.FULL, 0, 255)):
                mode = Mode(width_px=64, height_px=64, rate=Fraction(30))
                signal = Signal(mode=mode, pixels=pixels, matrix=Matrix.BT709, range=value_range)
                for grade in (Grade(brightness=0.1), Grade(contrast=1.5), Grade(gamma=2.0), Grade(saturation=0.0)):
                    value = 60
                    part = ((value - black) / reach - 0.5) * grade.contrast + 0.5 + grade.brightness
                    expected = black + reach * max(0.0, part) ** (1 / grade.gamma)
                    made = Adjuster(PictureFinish(grade=grade), signal).apply(frame(value, pixels)).to_ndarray() / scale
                    self.assertAlmostEqual(float(made[:64].mean()), expected, delta=0.6)
                    self.assertAlmostEqual(float(made[64:80].mean()), 128 - 18 * grade.saturation, delta=0.6)
                self.assertIs(Adjuster(PictureFinish(), signal).apply(first := frame(9, pixels)), first)
                noisy = np.clip(100 + np.random.default_rng(5).normal(0, 6, (64, 64)), 0, 255)
                made = Adjuster(PictureFinish(denoise=8), signal).apply(frame(noisy, pixels)).to_ndarray() / scale
                self.assertLess(np.std(made[:64]), 3.0)
                edge = frame(np.where(np.arange(64) < 32, 80, 160), pixels)
                made = Adjuster(PictureFinish(sharpness=1.0), signal).apply(edge).to_ndarray()[:64] / scale
                self.assertGreater(made.max() - made.min(), 100)
                self.assertEqual((made[:, 5].mean(), made[:, 60].mean()), (80, 160))

    def test_sound_at_another_speed_keeps_its_pitch_and_is_in_step_over_an_hour(self):
        rate_hz, length_s = 8000, 3600
        form, burst = SoundFormat(rate_hz=rate_hz, channels=1), np.hanning(rate_hz // 2)
        tone = (burst * np.sin(2 * np.pi * 500 * np.arange(len(burst)) / rate_hz)).astype(np.float32)
        minute = np.zeros((1, 60 * rate_hz), dtype=np.float32)
        minute[0, rate_hz : rate_hz + len(tone)] = tone
        for speed in (Fraction(1, 2), Fraction(24, 25), Fraction(3)):
            made = [*of_length(at_speed(iter([minute] * 60), form, speed), 1, round(length_s / speed * rate_hz))]
            heard = np.concatenate(made, axis=1)[0]
            self.assertEqual(len(heard), round(length_s / speed * rate_hz))
            apart_s = []
            for number in (0, 30, 59):
                middle = round((60 * number + 1.25) / speed * rate_hz)
                around = heard[middle - rate_hz // 4 : middle + rate_hz // 4].astype(np.float64)
                apart_s.append(
                    ((np.arange(len(around)) - len(around) // 2) * around**2).sum() / (around**2).sum() / rate_hz
                )
                self.assertAlmostEqual(int(np.abs(np.fft.rfft(around)).argmax()) * 2, 500, delta=6)
            stereo = np.stack((minute[0, : 4 * rate_hz], np.zeros(4 * rate_hz, dtype=np.float32)))
            both = np.concatenate([*at_speed(iter([stereo]), SoundFormat(rate_hz=rate_hz, channels=2), speed)], axis=1)
            self.assertAlmostEqual(both.shape[1] / (4 * rate_hz / speed), 1, delta=0.1)
            self.assertEqual((both.shape[0], float(np.abs(both[1]).max())), (2, 0.0))
            self.assertAlmostEqual(np.argmax(np.abs(np.fft.rfft(both[0]))) * rate_hz / both.shape[1], 500, delta=6)
            self.assertLess(max(apart_s) - min(apart_s), 0.002)
            self.assertLess(max(map(abs, apart_s)), 0.010)  # a piece that is laid is 64 ms at this rate, 43 at 48 kHz

    def test_a_waveform_has_each_value_where_it_is(self):
        ramp = np.tile(np.linspace(16, 235, 640).astype(np.uint8), (90, 1))
        wave = luma_wave(ramp)
        self.assertEqual(wave.shape, (256, 320))
        np.testing.assert_allclose(wave.sum(axis=0), 1)
        np.testing.assert_allclose((wave * np.arange(256)[:, None]).sum(axis=0), ramp[0].reshape(320, 2).mean(axis=1))
        narrow = luma_wave(ramp[:, :64])
        self.assertEqual(int((narrow.sum(axis=0) > 0).sum()), 64)
