"""What was spoken over a take: where it lies is found by what was played, how late it was heard by clicks."""

from fractions import Fraction

import av
import numpy as np

from reel.core.file import Container, Draft, FilePlan, SoundCodec, resolve
from reel.core.media import MediaError
from reel.core.media.commentary import lay_over, played_at
from reel.core.media.tests.clips import FRAME, write_clip
from reel.core.media.tests.test_files import FolderTestCase
from reel.core.sound import round_trip

HZ, SECONDS = 48_000, 20
RNG = np.random.default_rng(8)
PLAYED = (0.1 * RNG.standard_normal(SECONDS * HZ)).astype(np.float32)


def read(path):
    with av.open(str(path)) as reader:
        blocks = [frame.to_ndarray().ravel() for frame in reader.decode(audio=0)]
    found = np.concatenate(blocks)
    return found / -float(np.iinfo(found.dtype).min)


class CommentaryTests(FolderTestCase):
    def raw(self, heard, played):
        """A raw file of what was heard and what was played."""
        path = self.folder / "raw.s16"
        frames = np.stack([heard, played], axis=1)
        path.write_bytes(np.rint(np.clip(frames, -1, 1) * 32767).astype("<i2").tobytes())
        return path

    def test_it_is_found_where_what_was_played_lies_and_nowhere_else(self):
        recipe = resolve(Draft(container=Container.MP4, sound_codec=SoundCodec.AAC))
        asked = FilePlan(recipe=recipe, frame=FRAME, tracks=("Game",))
        take = write_clip(self.folder / "take.mp4", asked, range(SECONDS * 30), sound=PLAYED)
        for at_s, rate_hz, guessed_s in ((0.0, HZ, 0.1), (3.25, HZ, 2.9), (7.5, 44_100, 7.6), (-0.3, HZ, 0.0)):
            first = round(at_s * HZ)
            there = PLAYED[max(0, first) : first + 10 * HZ]
            there = np.concatenate((np.zeros(max(0, -first), dtype=np.float32), there))
            if rate_hz != HZ:
                places = np.arange(round(len(there) * rate_hz / HZ)) * HZ / rate_hz
                there = np.interp(places, np.arange(len(there)), there).astype(np.float32)
            raw = self.raw(np.zeros_like(there), there)
            found = played_at(raw, rate_hz, take, Fraction(str(guessed_s)))
            self.assertAlmostEqual(float(found), at_s, delta=0.0005)
        silent = self.raw(np.zeros(10 * HZ), np.zeros(10 * HZ))
        other = self.raw(np.zeros(10 * HZ), 0.1 * RNG.standard_normal(10 * HZ))
        for nothing in (silent, other):
            self.assertIsNone(played_at(nothing, HZ, take, Fraction(1)))
        self.assertIsNone(played_at(self.raw(PLAYED, PLAYED), HZ, take, Fraction(15)))  # not where the browser says

    def test_it_lies_along_the_take_and_a_part_is_spoken_again(self):
        first = self.folder / "first.flac"
        tone = (0.3 * np.sin(np.arange(4 * HZ) * 0.05)).astype(np.float32)
        count = lay_over(self.raw(tone, tone), HZ, Fraction(2), first)
        heard = read(first)
        self.assertEqual((count, len(heard)), (6 * HZ, 6 * HZ))
        self.assertEqual(np.abs(heard[: 2 * HZ]).max(), 0)
        np.testing.assert_allclose(heard[2 * HZ + 300 : 6 * HZ - 300], tone[300:-300], atol=1e-4)
        second = self.folder / "second.flac"
        lay_over(self.raw(-tone[:HZ], tone[:HZ]), HZ, Fraction(3), second, first)
        again = read(second)
        self.assertEqual(len(again), 6 * HZ)
        np.testing.assert_allclose(again[2 * HZ + 300 : 3 * HZ - 1], heard[2 * HZ + 300 : 3 * HZ - 1], atol=1e-4)
        np.testing.assert_allclose(again[3 * HZ + 300 : 4 * HZ - 300], -tone[300 : HZ - 300], atol=1e-4)
        np.testing.assert_allclose(again[4 * HZ + 1 :], heard[4 * HZ + 1 :], atol=1e-4)
        self.assertLess(np.abs(np.diff(again)).max(), 0.02)
        early = self.folder / "early.flac"
        self.assertEqual(lay_over(self.raw(tone, tone), HZ, Fraction(-1, 10), early), 4 * HZ - 4800)
        np.testing.assert_allclose(read(early)[300:HZ], tone[5100 : HZ + 4800], atol=1e-4)
        for at_s, wrong in ((Fraction(-9), self.raw(tone, tone)), (Fraction(0), self.folder / "none.s16")):
            with self.assertRaises(MediaError):
                lay_over(wrong, HZ, at_s, self.folder / "x.flac")

    def test_how_late_a_microphone_is_is_heard_by_clicks_and_not_by_other_sounds(self):
        for rate_hz in (44_100, 48_000):
            played = [round((0.5 + one) * rate_hz) for one in (0, 0.37, 0.81, 1.18, 1.7, 2.05, 2.6, 2.93)]
            for late_ms, noise in ((0.0, 0.001), (85.0, 0.001), (240.0, 0.01)):
                heard = (noise * RNG.standard_normal(5 * rate_hz)).astype(np.float32)
                for place in played:
                    at = place + round(late_ms * rate_hz / 1000)
                    heard[at : at + 96] += 0.5 * np.sign(RNG.standard_normal(96)).astype(np.float32)
                found = round_trip(heard[None], rate_hz, played)
                self.assertAlmostEqual(found.late_ms, late_ms, delta=1.0)
                self.assertLess(found.within_ms, 1.0)
            self.assertIsNone(round_trip(np.zeros((1, 5 * rate_hz), dtype=np.float32), rate_hz, played))
            speech = (0.3 * np.sin(np.arange(5 * rate_hz) * 0.03)).astype(np.float32)
            self.assertIsNone(round_trip(speech[None], rate_hz, played))
