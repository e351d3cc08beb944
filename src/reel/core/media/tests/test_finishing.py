"""Rewrapping: every pair of containers with every codec, packet by packet, and what is refused or left out."""

from fractions import Fraction
from pathlib import Path
from unittest.mock import patch

import av

from reel.core.errors import BadValueError
from reel.core.file import CONTAINERS, Container, Draft, FilePlan, SoundCodec, VideoCodec, resolve
from reel.core.finish import Finish, plan
from reel.core.media import MediaError, probe
from reel.core.media import rewrap as rewrapping
from reel.core.media.finishing import finish_file, source_of
from reel.core.media.tests.clips import FRAME, picture, write_clip
from reel.core.media.tests.test_files import FolderTestCase
from reel.core.media.writer import PartWriter, Shape


def packets(path, indices=None):
    """Time and size of what a file's streams hold, by stream."""
    with av.open(str(path)) as reader:
        found = {stream.index: [] for stream in reader.streams if indices is None or stream.index in indices}
        for packet in reader.demux():
            if packet.size and packet.stream_index in found:
                found[packet.stream_index].append(packet.pts * packet.time_base)
        return [sorted(times) for times in found.values()]


class FinishingTests(FolderTestCase):
    def clip(self, container=Container.MKV, codec=VideoCodec.H264, sound=SoundCodec.AAC, tracks=("Sound",), **more):
        recipe = resolve(Draft(container=container, codec=codec, sound_codec=sound, **more))
        asked = FilePlan(recipe=recipe, frame=FRAME, tracks=tracks)
        name = f"{container.value}-{codec.value}-{recipe.sound_codec.value}.{recipe.suffix}"
        return write_clip(self.folder / name, asked, range(12))

    def rewrap(self, source, container, tracks=None):
        """Rewrap a file and return the new one and the plan."""
        made = plan(Finish(container=container, tracks=tracks), source_of(source))
        target = self.folder / f"to-{container.value}-{source.stem}.{CONTAINERS[container].suffix}"
        finish_file(source, target, made, lambda part: None)
        return target, made

    def test_a_picture_that_is_turned_stays_so_where_the_container_can_say_it(self):
        path = self.folder / "upright.mp4"
        asked = FilePlan(recipe=resolve(Draft(container=Container.MP4)), frame=FRAME, tracks=())
        with PartWriter(path, asked, shape=Shape(turned_deg=90)) as writer:
            for tick in range(12):
                writer.write_picture(picture(tick), tick)
        for container in (Container.MP4, Container.MOV, Container.MKV, Container.TS):
            target, made = self.rewrap(path, container)
            with self.subTest(container):
                is_said = any("turned by 90°" in note for note in made.notes)
                turned = (0, True) if container is Container.TS else (90, False)
                self.assertEqual((probe(target).video.turned_deg, is_said), turned)

    def test_a_first_frame_that_cannot_be_decoded_keeps_nothing_from_being_rewrapped(self):
        source = self.clip(codec=VideoCodec.FFV1)
        with av.open(str(source)) as reader:
            first = next(packet for packet in reader.demux(video=0) if packet.size)
            at, size = first.pos, first.size
        data = bytearray(source.read_bytes())
        data[at + 40 : at + size] = bytes(size - 40)
        source.write_bytes(data)
        self.assertEqual(source_of(source).pictures[0].turned_deg, 0)
        target, _ = self.rewrap(source, Container.MKV)
        self.assertEqual(packets(target), packets(source))

    def test_every_pair_holds_the_same_packets_at_the_same_times(self):
        """Codecs in the container that holds them, H.264 in all; decoded without an error by another reading."""
        sources = [self.clip(codec=codec) for codec in VideoCodec if codec in CONTAINERS[Container.MKV].video]
        sources.append(self.clip(Container.MOV, VideoCodec.DNXHR, SoundCodec.PCM16))
        sources += [
            self.clip(container) for container in CONTAINERS if container not in (Container.WEBM, Container.MKV)
        ]
        sources.append(self.clip(Container.WEBM, VideoCodec.VP9, SoundCodec.OPUS))
        pairs = 0
        for source in sources:
            before, was = probe(source), packets(source)
            begin = was[0][0] if source.suffix == ".ts" else Fraction(0)
            for container in Container:
                with self.subTest(source.name, to=container):
                    try:
                        target, made = self.rewrap(source, container)
                    except BadValueError as error:
                        self.assertRegex(str(error), "does not hold .*What does: ")
                        continue
                    self.assertEqual(len(made.kept) + len(made.left_out), len(was))
                    after, unit = probe(target), Fraction(1, 2000 if target.suffix in (".mkv", ".webm") else 10**6)
                    if source.suffix in (".mkv", ".webm") or target.suffix == ".ts":
                        unit = max(unit, Fraction(1, 80_000))  # rounded to what the other counts in
                    # what begins before 0, or where 0 is anything, moves by one step for all streams
                    is_moved = target.suffix == ".ts" or (source.suffix, target.suffix) == (".ts", ".mkv")
                    new = packets(target)
                    shift = new[0][0] - was[0][0] if is_moved else -begin
                    for old, now in zip((was[index] for index in made.kept), new, strict=True):
                        apart = [abs(two - one - shift) for one, two in zip(old, now, strict=True)]
                        self.assertLessEqual(max(apart), unit * 2)
                    self.assertIsNone(after.broken_s)
                    for name in ("codec", "profile", "frames", "pixels", "matrix", "range", "pixel_aspect"):
                        self.assertEqual(getattr(after.video, name), getattr(before.video, name), name)
                    if CONTAINERS[container].names_tracks and before.sound and after.sound:
                        self.assertEqual(after.sound[0].title, before.sound[0].title)
                    pairs += 1
        self.assertGreater(pairs, 35)

    def test_what_the_target_cannot_hold_is_left_out_and_said(self):
        source = self.clip(sound=SoundCodec.PCM16, tracks=("Game", "Voice"))
        target, made = self.rewrap(source, Container.MP4)
        self.assertEqual([one.stream.title for one in made.left_out], ["Game", "Voice"])
        self.assertIn("MP4 does not hold PCM 16-bit: few programs open it there", made.left_out[0].why)
        self.assertEqual(probe(target).sound, ())
        chosen, made = self.rewrap(source, Container.MOV, tracks=(2,))
        self.assertEqual(([one.title for one in probe(chosen).sound], made.left_out), (["Voice"], ()))
        with self.assertRaisesRegex(BadValueError, "the file has 2"):
            self.rewrap(source, Container.MOV, tracks=(3,))

    def test_chapters_and_tags_go_with_it_and_the_index_stands_in_front(self):
        source, tagged = self.clip(), self.folder / "tagged.mkv"
        rewrapping.copy_packets(source, tagged, lambda part: None, chapters=[(Fraction(0), Fraction(1, 5), "a jay")])
        target, _ = self.rewrap(tagged, Container.MP4)
        with av.open(str(target)) as reader:
            (chapter,) = reader.chapters()
            self.assertEqual(
                (chapter["metadata"]["title"], chapter["end"] * chapter["time_base"]), ("a jay", Fraction(1, 5))
            )
        content = target.read_bytes()
        self.assertLess(content.index(b"moov"), content.index(b"mdat"))

    def test_an_index_that_is_larger_than_was_reserved_is_written_all_the_same(self):
        source = self.clip()
        with patch.object(rewrapping, "_index_bytes", lambda reader, streams: 64):
            target, _ = self.rewrap(source, Container.MP4)
        self.assertEqual(probe(target).video.frames, 12)

    def test_a_copy_that_carries_something_else_is_refused(self):
        source, target = self.clip(), self.folder / "other.mp4"
        made, copy = plan(Finish(container=Container.MP4), source_of(source)), rewrapping.rewrap

        def altered(source, target, kept, tell):
            copy(source, target, kept, tell)
            content = bytearray(target.read_bytes())
            content[content.index(b"mdat") + 900] ^= 1
            target.write_bytes(content)

        with patch("reel.core.media.finishing.rewrap", altered), self.assertRaisesRegex(MediaError, "does not carry"):
            finish_file(source, target, made, lambda part: None)

    def test_hostile_sources_are_refused_in_a_sentence(self):
        empty, noise = self.folder / "empty.mp4", self.folder / "noise.mkv"
        empty.write_bytes(b"")
        noise.write_bytes(bytes(range(256)) * 40)
        for path in (empty, noise, Path("/dev/null"), self.folder / "none.mp4"):
            with self.subTest(path), self.assertRaises(MediaError):
                source_of(path)
