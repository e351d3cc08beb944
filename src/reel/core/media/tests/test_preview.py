from fractions import Fraction

import av
import numpy as np

from reel.core.file import Draft, FilePlan, Plays, SoundCodec, VideoCodec, plays, plays_as_found, resolve
from reel.core.media import MediaError, encode_for_browser, frame_times, probe, reorders
from reel.core.media.tests.clips import FRAME, write_clip
from reel.core.media.tests.test_files import FolderTestCase


class PreviewTests(FolderTestCase):
    def test_what_no_browser_plays_is_copied_picture_by_picture_with_all_its_tracks(self):
        for fields, wanted in (
            ({"container": "mov", "codec": VideoCodec.PRORES, "sound_codec": SoundCodec.PCM24}, Plays.ENCODED),
            ({"container": "ts", "codec": VideoCodec.HEVC}, Plays.ENCODED),
            ({"container": "mkv", "codec": VideoCodec.FFV1, "sound_codec": SoundCodec.AC3}, Plays.ENCODED),
            ({"container": "mkv"}, Plays.REWRAPPED),
            ({"container": "mp4", "sound_codec": SoundCodec.FLAC}, Plays.ITSELF),
            ({"container": "webm", "codec": VideoCodec.AV1}, Plays.ITSELF),
            ({"bits": 10}, Plays.ENCODED),
        ):
            recipe = resolve(Draft(**fields))
            with self.subTest(**fields):
                plan = FilePlan(recipe=recipe, frame=FRAME, tracks=("game", "voice"))
                self.assertEqual(plays(plan), wanted)
                if wanted is not Plays.ENCODED:
                    continue
                source = write_clip(self.folder / f"a.{recipe.suffix}", plan, [*range(20), *range(26, 60)])
                parts = []
                copy = self.folder / "a.copy.mp4"
                encode_for_browser(source, copy, parts.append)
                facts = probe(copy)
                self.assertEqual((facts.video.codec, facts.video.pixels, facts.video.frames), ("H.264", "yuv420p", 54))
                self.assertEqual([sound.codec for sound in facts.sound], ["AAC", "AAC"])
                self.assertAlmostEqual(float(facts.length_s), 2, delta=0.05)
                self.assertAlmostEqual(float(facts.sound[1].length_s), 2, delta=0.05)
                self.assertGreater(max(parts), 0.8)
                with av.open(str(copy)) as container:
                    shown = [frame.to_ndarray()[90, :300] for frame in container.decode(video=0)]
                self.assertGreater(np.abs(shown[0].astype(int) - shown[30]).mean(), 10, "it moves")

    def test_what_a_browser_enters_at_another_frame_where_distances_vary_is_copied_without_b_frames(self):
        times = [0, 16, 49, 90, 190, *range(207, 1600, 33), 1700, 1716]
        for fields, wanted in (
            ({"container": "mp4"}, Plays.ENCODED),  # with B-frames
            ({"container": "mp4", "b_frames": 0}, Plays.ITSELF),
            ({"container": "mkv", "b_frames": 0}, Plays.REWRAPPED),
            ({"container": "webm", "codec": VideoCodec.AV1}, Plays.REWRAPPED),
            ({"container": "webm", "codec": VideoCodec.VP9}, Plays.ENCODED),
        ):
            with self.subTest(**fields):
                plan = FilePlan(recipe=resolve(Draft(**fields)), frame=FRAME, as_it_comes=True)
                self.assertEqual(plays(plan), wanted)
                path = write_clip(self.folder / f"a.{plan.recipe.suffix}", plan, times, sound=np.zeros(1))
                self.assertEqual(reorders(path), plan.recipe.b_frames != 0 and plan.recipe.codec is VideoCodec.H264)
                found = probe(path)
                as_found = plays_as_found(
                    found.container, found.video.codec, found.video.pixels, [], varies=True, reorders=reorders(path)
                )
                self.assertEqual(as_found, wanted)
                if wanted is not Plays.ENCODED:
                    continue
                copy = self.folder / "copy.mp4"
                encode_for_browser(path, copy, lambda part: None)
                self.assertFalse(reorders(copy))
                self.assertEqual([round(at * 1000) for at in frame_times(copy, Fraction(0), Fraction(9))], times)

    def test_what_can_not_be_read_is_said(self):
        (self.folder / "a.mov").write_bytes(b"no film")
        with self.assertRaises(MediaError):
            encode_for_browser(self.folder / "a.mov", self.folder / "b.mp4", lambda part: None)
