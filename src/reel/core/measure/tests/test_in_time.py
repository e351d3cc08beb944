"""What is planted in a file is found along its time, to the frame and to ten milliseconds, and nothing else."""

from fractions import Fraction

import av
import numpy as np

from reel.core.file import Lossless
from reel.core.measure import examine
from reel.core.measure.in_time import Bins, PictureInTime, SoundInTime, TakeInTime, coded_rate, rate_of
from reel.core.media import PartWriter
from reel.core.media.tests.clips import plan
from reel.core.media.tests.test_files import FolderTestCase
from reel.core.signal import Mode

RATE = 30
RANDOM = np.random.default_rng(5)
GROUNDS = [np.kron(RANDOM.integers(30, 220, (9, 16)), np.ones((20, 20))).astype(np.uint8) for _ in range(2)]
# what is planted, by frames of the file: [first, one beyond the last)
BLACK, STILL, LOST, DOUBLED, CUTS = (90, 135), (180, 240), (300, 303), (330, 391), (360, 420)
CLIPPED_S, SILENT_S = (3.0, 9.25), (5.0, 7.0)
LENGTH = 480


def planted(tick):
    """A picture that moves, with all that is planted but the lost ones."""
    if tick in DOUBLED:
        tick -= 1
    if STILL[0] <= tick < STILL[1]:
        tick = STILL[0]
    planes = np.full((270, 320), 128, dtype=np.uint8)
    ground = GROUNDS[sum(tick >= cut for cut in CUTS) % 2]
    planes[:180] = 16 if BLACK[0] <= tick < BLACK[1] else np.roll(ground, 3 * tick, axis=1)
    return av.VideoFrame.from_ndarray(planes, format="yuv420p")


def sounds():
    """Two tracks: a voice that clips and falls silent, and a hum that does neither."""
    at_s = np.arange(LENGTH * 48_000 // RATE) / 48_000
    voice = 0.3 * np.sin(at_s * 2 * np.pi * 300)
    for second in CLIPPED_S:
        voice[(at_s >= second) & (at_s < second + 0.02)] *= 6
    voice[(at_s >= SILENT_S[0]) & (at_s < SILENT_S[1])] = 0
    hum = 0.05 * np.sin(at_s * 2 * np.pi * 100)
    return [np.clip(np.stack([one, one]), -1, 1).astype(np.float32) for one in (voice, hum)]


class InTimeTests(FolderTestCase):
    def write(self, picture, **recipe):
        asked = plan(Mode.parse("320x180p30"), tracks=("voice", "hum"), **recipe)
        path, heard = self.folder / f"planted.{asked.recipe.suffix}", sounds()
        with PartWriter(path, asked) as writer:
            for tick in range(LENGTH):
                if not LOST[0] <= tick < LOST[1]:
                    writer.write_picture(picture(tick), tick)
                for track, data in enumerate(heard):
                    writer.write_samples(track, data[:, tick * 1600 : (tick + 1) * 1600])
        return examine(path)

    def test_what_is_planted_is_found_where_it_is(self):
        for container in ("mp4", "mkv", "ts"):
            with self.subTest(container):
                found = self.write(planted, container=container).in_time
                picture, (voice, hum) = found.picture, found.tracks
                self.assertEqual(self.frames(picture.black), [BLACK])
                self.assertEqual(self.frames(picture.still), [STILL])
                self.assertEqual([(self.frame(one.at_ms), one.number) for one in picture.lost], [(LOST[0], 3)])
                self.assertEqual([self.frame(one.at_ms) for one in picture.doubled], list(DOUBLED))
                cuts = {self.frame(cut) for cut in picture.cuts}
                self.assertLessEqual(set(CUTS), cuts)
                self.assertLessEqual(cuts, {*CUTS, *BLACK, STILL[1], LOST[1]})  # what was left out is jumped over
                self.assertEqual((hum.clipped, hum.silent), ((), ()))
                self.assertEqual(len(voice.clipped), 2)
                for one, second in zip(voice.clipped, CLIPPED_S, strict=True):
                    self.assertAlmostEqual(one.at_ms, second * 1000, delta=10)
                self.assertEqual(len(voice.silent), 1)
                self.assertAlmostEqual(voice.silent[0].begin_ms, SILENT_S[0] * 1000, delta=10)
                self.assertAlmostEqual(voice.silent[0].end_ms, SILENT_S[1] * 1000, delta=10)

    def frames(self, spans):
        return [(self.frame(span.begin_ms), self.frame(span.end_ms)) for span in spans]

    def frame(self, at_ms):
        return round(at_ms * RATE / 1000)

    def test_a_picture_at_times_of_its_own_stands_until_the_next_comes(self):
        path, times = self.folder / "varying.mkv", [*range(0, 1000, 37), 2600, *range(2641, 3500, 41), 4600]
        with PartWriter(path, plan(Mode.parse("320x180p30"), tracks=(), as_it_comes=True)) as writer:
            for place, at_ms in enumerate(times):
                writer.write_picture(planted(place), at_ms)
        examined = examine(path)
        self.assertFalse(examined.facts.video.rate.fixed)
        spans = [(one.begin_ms, one.end_ms) for one in examined.in_time.picture.still]
        self.assertEqual(spans, [(999, 2600), (3461, 4600)])
        self.assertEqual(examined.seen.still.total_s, Fraction(2740, 1000))

    def test_a_source_that_draws_fewer_pictures_does_not_stand_still(self):
        for times in (2, 15, 45):

            def repeated(tick, times=times):
                return planted(tick // times * times % BLACK[0])

            with self.subTest(times):
                found = self.write(repeated, container="mkv", codec="ffv1", rate=Lossless(), effort="")
                stands = {end - begin for begin, end in self.frames(found.in_time.picture.still)}
                self.assertEqual(stands, {45, 30} if times == 45 else set())
                self.assertEqual(times == 45, found.seen.still.total_s > 13)

    def test_levels_and_data_rates_are_those_of_the_file(self):
        found = self.write(planted)
        in_time, facts = found.in_time, found.facts
        rates = [rate_of(one) for one in in_time.picture.rates]
        self.assertEqual(len(rates), -(-in_time.length_ms // in_time.step_ms))
        self.assertAlmostEqual(sum(rates) / len(rates) / facts.video.bitrate_bps, 1, delta=0.05)
        voice = in_time.tracks[0]
        self.assertAlmostEqual(voice.levels[2_000 // in_time.step_ms], 20 * np.log10(0.3 / 2**0.5) + 100, delta=1)
        self.assertEqual(voice.peaks[6_000 // in_time.step_ms], 0)
        self.assertEqual(sum(in_time.picture.new[: 3_000 // in_time.step_ms]), 90)
        self.assertEqual(TakeInTime.unpacked(in_time.packed()), in_time)

    def test_an_hour_takes_less_than_200_kilobytes(self):
        values = RANDOM.uniform(1, 255, 14_400).astype(np.uint8)
        bins = Bins()
        bins.add_all(np.arange(0, 3_600_000, 33.0), np.ones(109_091))
        self.assertEqual(bins.step_ms, 250)
        counted = bins.values(250, 3_600_000)
        self.assertEqual((len(counted), counted.sum()), (14_400, 109_091))
        picture = PictureInTime(rates=coded_rate(values * 50_000.0), new=values.tobytes(), rate=Fraction(30))
        tracks = tuple(SoundInTime(title="t", levels=values.tobytes(), peaks=values.tobytes()) for _ in range(4))
        whole = TakeInTime(step_ms=250, length_ms=3_600_000, picture=picture, tracks=tracks)
        self.assertLess(len(whole.packed()), 200_000)
