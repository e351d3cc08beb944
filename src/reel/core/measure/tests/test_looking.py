"""What frames of a file show before it is finished; good pictures show nothing that were to be put right."""

import av
import numpy as np

from reel.core.file import Container, Draft, FilePlan, Lossless, VideoCodec, resolve
from reel.core.frame import Crop
from reel.core.measure import FieldVerdict
from reel.core.measure.looking import look_at
from reel.core.media.tests import clips
from reel.core.media.tests.clips import FRAME, numbered, write_clip
from reel.core.media.tests.test_files import FolderTestCase
from reel.core.signal import Range


def full(tick, width, height):
    """A grey ramp over all code values."""
    frame = np.full((height * 3 // 2, width), 128, dtype=np.uint8)
    frame[:height] = np.roll(np.linspace(0, 255, width).astype(np.uint8), 4 * tick)
    return av.VideoFrame.from_ndarray(frame, format="yuv420p")


def dark(tick, width, height):
    """All of it nearly black."""
    return av.VideoFrame.from_ndarray(np.full((height * 3 // 2, width), 18, dtype=np.uint8), format="yuv420p")


def barred(tick, width, height):
    """A picture between bars, 30 pixels left and right and 12 at the top."""
    frame = clips.picture(tick, width, height).to_ndarray()
    frame[:height, :30] = frame[:height, -30:] = frame[:12] = 16
    return av.VideoFrame.from_ndarray(frame, format="yuv420p")


def soft(moment, width, height):
    """A pattern without hard edges that moves."""
    y, x = np.mgrid[:height, :width]
    frame = np.full((height * 3 // 2, width), 128, dtype=np.uint8)
    frame[:height] = 120 + 40 * np.sin((x + 3 * moment) / 9) + 30 * np.sin((y + x / 3 + 2 * moment) / 14)
    return frame


def woven(top, bottom, width, height):
    """A frame of the upper field of one moment and the lower one of another."""
    frame = soft(top, width, height)
    frame[1:height:2] = soft(bottom, width, height)[1:height:2]
    return av.VideoFrame.from_ndarray(frame, format="yuv420p")


def film(tick, *size):
    """Four pictures in five frames."""
    pair = ((0, 0), (1, 1), (1, 2), (2, 3), (3, 3))[tick % 5]
    return woven(*(3 * (tick // 5 * 4 + one) for one in pair), *size)


PLAIN = (None, Crop())


class LookingTests(FolderTestCase):
    def test_levels_bars_and_fields_are_seen_and_good_pictures_show_none(self):
        nothing = {FieldVerdict.MERGED, FieldVerdict.STILL}
        for name, draw, range_and_bars, fields, top_first in (
            ("ramp", clips.picture, PLAIN, nothing, True),
            ("numbers", numbered, PLAIN, nothing, True),
            ("still", lambda tick, *size: clips.picture(0, *size), PLAIN, nothing, True),
            ("dark", dark, PLAIN, nothing, True),
            ("whole", lambda tick, *size: woven(2 * tick, 2 * tick, *size), PLAIN, nothing, True),
            ("full", full, (Range.FULL, Crop()), nothing, True),
            ("bars", barred, (None, Crop(left_px=30, top_px=12, right_px=30)), nothing, True),
            ("top first", lambda tick, *size: woven(2 * tick, 2 * tick + 1, *size), PLAIN, {FieldVerdict.APART}, True),
            ("bottom first", lambda tick, *size: woven(2 * tick + 1, 2 * tick, *size), PLAIN, {FieldVerdict.APART}, 0),
            ("film", film, PLAIN, {FieldVerdict.FILM}, True),
        ):  # fmt: skip
            recipe = resolve(Draft(container=Container.MKV, codec=VideoCodec.FFV1, rate=Lossless()))
            source = write_clip(self.folder / "looked.mkv", FilePlan(recipe=recipe, frame=FRAME), range(90), draw=draw)
            looks = look_at(source, FRAME.rate)
            with self.subTest(name):
                self.assertEqual((looks.levels.range_by_looking(Range.LIMITED), looks.bars), range_and_bars)
                self.assertIn(looks.fields, fields)
                self.assertEqual(looks.top_first, top_first)
                self.assertIsNone(looks.levels.range_by_looking(Range.FULL))
