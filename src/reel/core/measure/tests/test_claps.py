"""Claps that are planted in files are found, also in a part of a long one; what was no clap says nothing."""

import av
import numpy as np

from reel.core.measure.claps import claps_in
from reel.core.media import PartWriter
from reel.core.media.tests.clips import FRAME, picture, plan
from reel.core.media.tests.test_files import FolderTestCase

LENGTH, RATE = 200, 48_000
FLASHES = (52, 81, 119, 160)  # frames, at distances of their own


def lit(tick, width, height):
    """A picture that moves, with a lamp in it that is lit for three frames from each flash on."""
    planes = picture(tick, width, height).to_ndarray()
    planes[40:80, 200:260] = 230 if any(0 <= tick - flash < 3 for flash in FLASHES) else 60
    return av.VideoFrame.from_ndarray(planes, format="yuv420p")


def clicks(late_ms, at=FLASHES, noise=0.002):
    """The room, and a click so many ms after each flash."""
    random = np.random.default_rng(4)
    heard = random.normal(0, noise, LENGTH * RATE // 30).astype(np.float32)
    for frame in at:
        begin = round((frame / 30 + late_ms / 1000) * RATE)
        heard[begin : begin + 240] += 0.5 * np.hanning(240) * random.choice((-1, 1), 240)
    return heard


class ClapTests(FolderTestCase):
    def write(self, draw, *sounds):
        path = self.folder / "claps.mkv"
        asked = plan(tracks=tuple(f"Track {number}" for number in range(len(sounds))))
        with PartWriter(path, asked) as writer:
            for tick in range(LENGTH):
                writer.write_picture(draw(tick, FRAME.width_px, FRAME.height_px), tick)
                for track, heard in enumerate(sounds):
                    writer.write_samples(track, np.stack([heard[tick * 1600 : (tick + 1) * 1600]] * 2))
        return path

    def test_each_track_is_measured_by_what_is_seen(self):
        told = []
        found = claps_in(self.write(lit, clicks(85), clicks(-240), clicks(0, at=(20, 180))), told.append)
        self.assertEqual(
            [(one.track, one.is_seen, len(one.reading.claps_ms)) for one in found], [(1, True, 4), (2, True, 4)]
        )
        for one, late_ms in zip(found, (85, -240), strict=True):
            # a flash begins somewhere within the picture before
            self.assertAlmostEqual(one.reading.offset_ms - 1000 / 60, late_ms, delta=one.reading.within_ms)
            self.assertLess(one.reading.within_ms, 20)
            self.assertAlmostEqual(one.at_s, FLASHES[0] / 30, delta=0.01)
        self.assertGreater(max(told), 0.8)

    def test_what_is_only_heard_is_measured_by_the_first_track(self):
        (found,) = claps_in(self.write(picture, clicks(10), clicks(130)))
        self.assertEqual((found.track, found.is_seen), (2, False))
        self.assertAlmostEqual(found.reading.offset_ms, 120, delta=2)

    def test_what_agrees_by_chance_says_nothing(self):
        """Clicks that follow no flash, and a game that flashes and clicks all the time."""
        self.assertEqual(claps_in(self.write(lit, clicks(0, at=(30, 70, 95, 150, 185)))), ())

        def game(tick, width, height):
            planes = picture(tick, width, height).to_ndarray()
            planes[40:80, 200:260] = 230 if tick % 4 == 0 else 60
            return av.VideoFrame.from_ndarray(planes, format="yuv420p")

        self.assertEqual(claps_in(self.write(game, clicks(0, at=range(2, LENGTH, 5)))), ())
