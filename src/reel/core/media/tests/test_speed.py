from dataclasses import replace

from reel.core.file import CODECS, Draft, FilePlan, VideoCodec, resolve
from reel.core.media import MediaError, PartWriter, Sample, measure_speed, probe
from reel.core.media.tests.clips import picture
from reel.core.media.tests.test_files import FolderTestCase
from reel.core.signal import Mode

FRAME = Mode.parse("320x180p30")


def plan(codec, **more):
    return FilePlan(recipe=resolve(Draft(codec=codec, container="mkv", **more)), frame=FRAME)


class SpeedTests(FolderTestCase):
    def setUp(self):
        super().setUp()
        self.path = self.folder / "sample.mkv"
        with PartWriter(self.path, plan(VideoCodec.FFV1)) as writer:
            for tick in range(20):
                writer.write_picture(picture(tick), tick)

    def test_every_codec_is_measured_with_the_same_pictures(self):
        found = {}
        for codec in CODECS:
            asked = plan(codec)
            frames = Sample(self.path).frames(asked)
            self.assertEqual((len(frames), frames[0].format.name), (20, asked.signal.pixels))
            found[codec] = measure_speed(asked, frames, seconds=0.05)
            self.assertGreater(found[codec].pictures_per_s, 0.1)
            self.assertGreater(found[codec].bits_per_picture, 100)
        self.assertGreater(found[VideoCodec.PRORES].bits_per_picture, 3 * found[VideoCodec.HEVC].bits_per_picture)

    def test_what_is_measured_is_what_a_file_of_these_pictures_takes(self):
        for codec in (VideoCodec.H264, VideoCodec.MPEG2, VideoCodec.VP9):
            asked = plan(codec)
            frames = Sample(self.path).frames(asked)
            measured = measure_speed(asked, frames, seconds=1.0)
            written = self.folder / "written.mkv"
            with PartWriter(written, asked) as writer:
                for tick in range(114):  # three times forth and back
                    place = tick % 38
                    writer.write_picture(frames[place if place < 20 else 38 - place], tick)
            wanted = probe(written).video.bitrate_bps / 30
            with self.subTest(codec):
                self.assertAlmostEqual(measured.bits_per_picture / wanted, 1, delta=0.25)

    def test_what_is_wrong_is_said_and_calling_off_stops_it(self):
        with self.assertRaises(MediaError):
            Sample(self.folder / "none.mkv").frames(plan(VideoCodec.H264))
        asked = plan(VideoCodec.H264)
        frames = Sample(self.path).frames(asked)
        tiny = replace(plan(VideoCodec.DNXHR), frame=Mode.parse("128x64p30"))
        with self.assertRaises(MediaError) as raised:
            measure_speed(tiny, frames, seconds=0.05)
        self.assertIn("can't encode this here", str(raised.exception))

        def call_off():
            raise KeyboardInterrupt

        with self.assertRaises(KeyboardInterrupt):
            measure_speed(asked, frames, seconds=60, go_on=call_off)
