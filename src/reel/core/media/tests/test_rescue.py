import resource
from fractions import Fraction

import numpy as np

from reel.core.file import Container, VideoCodec
from reel.core.measure import Counts, prove
from reel.core.media import MediaError, PartWriter, claimed_length, probe, rescue, rescued_path, rewrap_to_mp4
from reel.core.media.tests.clips import picture, plan, write_clip
from reel.core.media.tests.test_files import FolderTestCase


class RescueTests(FolderTestCase):
    def left(self, container):
        """What a writer that is killed after 200 pictures leaves."""
        asked, kept = plan(container=container), self.folder / f"left.{container.value}"
        sound = np.full((2, 1600), 0.1, dtype=np.float32)
        with PartWriter(path := self.folder / f"a.{container.value}", asked) as writer:
            for tick in range(200):
                writer.write_picture(picture(tick), tick)
                writer.write_samples(0, sound)
            kept.write_bytes(path.read_bytes())
        return kept

    def test_all_that_can_be_read_is_copied_into_a_whole_file_and_the_original_stays(self):
        for container in (Container.MKV, Container.MP4, Container.MOV, Container.TS):
            with self.subTest(container):
                source = self.left(container)
                before, target = source.read_bytes(), rescued_path(source)
                self.assertEqual(target.name, f"left_rescued.{container.value}")
                rescue(source, target, titles=("Sound",))
                self.assertEqual(source.read_bytes(), before)
                left, whole = probe(source), probe(target)
                self.assertEqual((whole.video.undecodable, whole.broken_s), (0, None))
                self.assertGreaterEqual(whole.video.frames, left.video.frames)
                self.assertGreater(whole.video.frames, 150, "what an encoder keeps back is lost, and no more")
                self.assertAlmostEqual(float(claimed_length(target)), float(whole.length_s), delta=0.1)
                counts = Counts(ticks=whole.video.frames)
                proof = prove(plan(container=container), facts=whole, counts=counts)
                differing = {line.label for line in proof.differing}
                self.assertLessEqual(differing, {"Frames", "Lost frames", "Sound ends at"}, "the last few, no others")
                self.assertLessEqual(whole.video.rate.missing, 3)

    def test_what_ends_within_the_head_of_a_fragment_has_all_before_it(self):
        """Left so by a drive that was filled to the last byte, or whose power failed."""
        for container in (Container.MP4, Container.MOV):
            source = self.left(container)
            content = source.read_bytes()
            at = content.rfind(b"moof") - 4
            whole = self.folder / f"whole.{container.value}"
            whole.write_bytes(content[:at])
            frames = probe(whole).video.frames
            for cut in (at + 3, at + 8, at + 100, at + int.from_bytes(content[at : at + 4], "big") - 1):
                source.write_bytes(content[:cut])
                with self.subTest(container, cut=cut - at):
                    rescue(source, target := rescued_path(source))
                    self.assertEqual(probe(target).video.frames, frames)
                    self.assertGreater(claimed_length(target), 0.9 * frames / 30)
                    claimed_length(source)  # what it says of itself can be read
                    target.unlink()
            # the writer leaves no such head where no more can be written
            path, before = self.folder / f"full.{container.value}", resource.getrlimit(resource.RLIMIT_FSIZE)
            resource.setrlimit(resource.RLIMIT_FSIZE, (at + 100, before[1]))
            try:
                with self.assertRaises(MediaError), PartWriter(path, plan(container=container)) as writer:
                    for tick in range(300):
                        writer.write_picture(picture(tick), tick)
                        writer.write_samples(0, np.full((2, 1600), 0.1, dtype=np.float32))
            finally:
                resource.setrlimit(resource.RLIMIT_FSIZE, before)
            self.assertEqual((path.stat().st_size, probe(path).video.frames), (at, frames))

    def test_av1_is_copied_like_all_else(self):
        """Into a whole file, and into what a browser plays."""
        for container in (Container.MKV, Container.MP4):
            asked = plan(container=container, codec=VideoCodec.AV1, effort="11", keyframe_s=Fraction(1))
            source = write_clip(self.folder / f"a.{container.value}", asked, range(90))
            copies = rescued_path(source), self.folder / "browser.mp4"
            rescue(source, copies[0])
            rewrap_to_mp4(source, copies[1], lambda part: None)
            for copy in copies:
                video = probe(copy).video
                self.assertEqual((video.codec, video.frames, video.undecodable), ("AV1", 90, 0))

    def test_a_name_that_is_too_long_is_shortened(self):
        self.assertEqual(len(rescued_path(self.folder / f"{'ä' * 120}.mkv").name.encode()), 240 + 12)
        self.assertEqual(len(rescued_path(self.folder / f"{'n' * 251}.mkv").name), 255)

    def test_what_follows_damage_in_the_middle_is_kept_as_far_as_it_can_be_read(self):
        source = write_clip(self.folder / "a.mkv", plan(container=Container.MKV), range(300))
        data = bytearray(source.read_bytes())
        data[len(data) // 2 : len(data) // 2 + 4000] = bytes(4000)
        source.write_bytes(data)
        rescue(source, rescued_path(source))
        self.assertGreater(probe(rescued_path(source)).video.frames, 100)

    def test_another_kind_of_file_becomes_mkv_and_what_has_no_index_is_refused(self):
        source = write_clip(self.folder / "tape.mkv", plan(container=Container.MKV), range(60))
        foreign = source.rename(self.folder / "tape.dat")
        self.assertEqual(rescued_path(foreign).name, "tape_rescued.mkv")
        rescue(foreign, rescued_path(foreign))
        self.assertEqual(probe(rescued_path(foreign)).video.frames, 60)
        plain = write_clip(self.folder / "plain.mp4", plan(container=Container.MP4_PLAIN), range(60))
        plain.write_bytes(plain.read_bytes()[: plain.stat().st_size // 2])
        with self.assertRaises(MediaError) as raised:
            rescue(plain, rescued_path(plain))
        self.assertIn("can't be repaired", str(raised.exception))
        self.assertFalse(rescued_path(plain).exists())

    def test_it_can_be_called_off_and_leaves_nothing(self):
        source = write_clip(self.folder / "a.mkv", plan(container=Container.MKV), range(60))

        def call_off(part):
            raise RuntimeError

        with self.assertRaises(RuntimeError):
            rescue(source, rescued_path(source), call_off)
        self.assertFalse(rescued_path(source).exists())
