"""Cuts: random ranges over all codecs and containers, frame by frame and sample by sample."""

import random
import subprocess
import unittest
from dataclasses import replace
from fractions import Fraction
from shutil import which
from unittest.mock import patch

import av
import av.filter
import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from reel.core.errors import BadValueError
from reel.core.file import CONTAINERS, ConstantQuality, Container, Draft, FilePlan, SoundCodec, VideoCodec, resolve
from reel.core.finish import (
    Edges,
    Encoding,
    Fate,
    Finish,
    Keep,
    PacketIndex,
    PictureFinish,
    TickRange,
    TrackFinish,
    archive_recipe,
    joined,
    left_out,
    moved,
    plan,
    split,
    together,
    without,
)
from reel.core.frame import Crop, Quarter
from reel.core.media import MediaError, probe, read_sent
from reel.core.media.cuts import joints
from reel.core.media.cuts.sound import FADE_S
from reel.core.media.finishing import cut_files, hash_archive, source_to_cut
from reel.core.media.hashes import NAME, check_hashes, hashes_of
from reel.core.media.levels import luma_levels
from reel.core.media.shelf import sidecar_folder
from reel.core.media.tests import clips
from reel.core.media.tests.clips import FRAME, number_of, numbered, write_clip
from reel.core.media.tests.test_files import FolderTestCase
from reel.core.signal import Matrix, Mode, Range
from reel.core.sound import SoundSetup

LENGTH = 60
# What the other player says of any file of a kind, cut or not.
OF_ITSELF = ("deprecated pixel", "Guessed Channel Layout")
HZ = 48_000


def noise(count):
    """Sound of which every stretch is unlike every other: a sweep under a little noise, at half scale."""
    at = np.arange(count) / HZ
    rng = np.random.default_rng(7)
    return (0.4 * np.sin(2 * np.pi * (200 + 300 * at) * at) + 0.05 * rng.standard_normal(count)).astype(np.float32)


def decoded(path, track=0):
    """Return the numbers of all frames, and the samples of a track from the first picture's time on."""
    with av.open(str(path)) as reader:
        picture = reader.streams.video[0]
        picture.codec_context.options = {"err_detect": "explode"}
        frames = list(reader.decode(picture))
        stamps = [frame.pts * frame.time_base for frame in frames]
        numbers = [number_of(frame) for frame in frames]
    with av.open(str(path)) as reader:
        if not reader.streams.audio:
            return numbers, stamps, np.zeros(0)
        sound = reader.streams.audio[track]
        blocks, begin = [], None
        for frame in reader.decode(sound):
            begin = frame.pts * frame.time_base if begin is None else begin
            data = frame.to_ndarray()
            data = data if frame.format.is_planar else data.reshape(-1, 2).T
            scale = 1.0 if data.dtype.kind == "f" else float(np.iinfo(data.dtype).max) + 1
            blocks.append(data[0] / scale)
        samples = np.concatenate(blocks)
        lead = round((begin - stamps[0]) * HZ)
        return numbers, stamps, samples[-lead:] if lead < 0 else np.concatenate((np.zeros(lead), samples))


class CutTests(FolderTestCase):
    def clip(self, container, codec, sound, length=LENGTH, frame=FRAME, name="", **more):
        recipe = resolve(
            Draft(container=container, codec=codec, sound_codec=sound, keyframe_s=Fraction(16, 30), **more)
        )
        asked = FilePlan(recipe=recipe, frame=frame, tracks=("Game",))
        path = self.folder / f"{name}{container.value}-{codec.value}-{recipe.sound_codec.value}.{recipe.suffix}"
        self.heard = noise(round(length * HZ / frame.rate))
        return write_clip(path, asked, range(length), draw=numbered, sound=self.heard)

    def cut(self, paths, container, ranges, edges=Edges.EXACT, rate=FRAME.rate):
        """Cut files into one and return it and its plan."""
        keep = Keep(rate=rate, ranges=tuple(TickRange(*one) for one in ranges), edges=edges)
        sources = [source_to_cut(path, rate) for path in paths]
        made = plan(Finish(container=container, keep=keep), *sources)
        target = self.folder / f"cut-{paths[0].stem}.{CONTAINERS[container].suffix}"
        cut_files(paths, sources, target, made, lambda part: None)
        return target, made

    def check(self, target, ranges, tolerance, heard, rate=FRAME.rate):
        """Hold a cut against what was asked: each frame at its time, the samples of each range at theirs."""
        numbers, stamps, samples = decoded(target)
        self.assertEqual(numbers, [tick for first, end in ranges for tick in range(first, end)])
        unit = Fraction(1, 900 if target.suffix in (".mkv", ".webm") else 80_000)
        self.assertTrue(all(abs(at - stamps[0] - place / rate) < unit for place, at in enumerate(stamps)))
        if heard is None:
            return
        made, fade = 0, round(FADE_S * HZ)
        for first, end in ranges:
            begin, stop = round(made / rate * HZ), round((made + end - first) / rate * HZ)
            there = samples[begin + fade : stop - fade]
            source = round(first / rate * HZ) + fade
            here = heard[source : source + stop - begin - 2 * fade]
            self.assertGreaterEqual(len(there), len(here) - 1)
            if len(here) > 400:
                self.assertLess(self.apart(there, here), tolerance, (first, end))
            made += end - first
        steps = np.abs(np.diff(samples))
        self.assertLess(steps.max(), np.abs(np.diff(heard)).max() * 1.25)  # a codec's own noise is in it

    def apart(self, there, here):
        """Return by how much of their level two stretches differ; it is large unless they lie on one sample."""
        count = min(len(there), len(here))
        return float(np.sqrt(np.mean(np.square(there[:count] - here[:count])) / np.mean(np.square(here[:count]))))

    def test_random_ranges_of_every_codec_hold_the_frames_and_samples_that_were_asked(self):
        """Lossless sound is the same sample for sample. What another player is asked about decodes without a word."""
        kinds = [
            (Container.MKV, VideoCodec.H264, SoundCodec.FLAC, 1e-6),
            (Container.MP4, VideoCodec.H264, SoundCodec.AAC, 0.25),
            (Container.TS, VideoCodec.H264, SoundCodec.AAC, 0.25),
            (Container.MOV, VideoCodec.HEVC, SoundCodec.PCM24, 1e-6),
            (Container.MKV, VideoCodec.HEVC, SoundCodec.OPUS, 0.3),
            (Container.MKV, VideoCodec.AV1, SoundCodec.PCM16, 1e-4),
            (Container.MP4, VideoCodec.AV1, SoundCodec.AAC, 0.25),
            (Container.WEBM, VideoCodec.VP9, SoundCodec.OPUS, 0.3),
            (Container.MKV, VideoCodec.MPEG2, SoundCodec.AC3, 0.3),
            (Container.TS, VideoCodec.MPEG2, SoundCodec.MP3, 0.3),
            (Container.MKV, VideoCodec.FFV1, SoundCodec.PCM16, 1e-4),
            (Container.MKV, VideoCodec.MJPEG, SoundCodec.FLAC, 1e-6),
            (Container.MOV, VideoCodec.PRORES, SoundCodec.PCM16, 1e-4),
            (Container.MOV, VideoCodec.DNXHR, SoundCodec.PCM16, 1e-4),
        ]
        rng, second = random.Random(21), which("ffmpeg")
        for container, codec, sound, tolerance in kinds:
            size = Mode.parse("640x360p30") if codec is VideoCodec.DNXHR else FRAME
            source = self.clip(container, codec, sound, frame=size)
            heard = self.heard
            for _ in range(3):
                edges = sorted(rng.sample(range(LENGTH + 1), 2 * rng.randint(1, 3)))
                ranges = list(zip(edges[::2], edges[1::2], strict=True))
                with self.subTest(source.name, ranges=ranges):
                    target, made = self.cut([source], container, ranges)
                    self.check(target, ranges, tolerance, heard)
                    self.assertEqual(made.frames, sum(end - first for first, end in ranges))
                    if second:
                        command = [second, "-v", "warning", "-i", str(target), "-f", "null", "-"]
                        said = subprocess.run(command, capture_output=True, text=True).stderr
                        self.assertEqual([one for one in said.splitlines() if not any(map(one.count, OF_ITSELF))], [])

    def test_edges_that_move_keep_every_packet_and_two_ranges_that_meet_are_not_cut(self):
        source = self.clip(Container.MKV, VideoCodec.H264, SoundCodec.FLAC)
        heard, whole = self.heard, source_to_cut(source, FRAME.rate)
        target, made = self.cut([source], Container.MP4, [(19, 30), (50, 55)], Edges.KEYFRAME)
        ranges = [(one.first, one.end) for one in made.finish.keep.ranges]
        self.assertEqual((made.encoded, ranges[0][0], ranges[-1][0]), (0, 16, 48))
        self.assertTrue(ranges[0][1] >= 30 and ranges[-1][1] >= 55)
        self.assertEqual([one.fate for one in made.streams], [Fate.UNTOUCHED, Fate.SAME_SAMPLES])
        self.check(target, ranges, 1e-6, heard)
        _, split = self.cut([source], Container.MKV, [(0, 25), (25, LENGTH)])
        self.assertEqual((split.encoded, len(split.stretches)), (0, 1))
        again = PacketIndex.unpacked(whole.packets.packed())
        self.assertEqual((list(again.ticks), list(again.keys)), (list(whole.packets.ticks), list(whole.packets.keys)))

    def test_files_of_one_kind_are_joined_and_sound_goes_on_over_the_joint(self):
        first = self.clip(Container.MKV, VideoCodec.H264, SoundCodec.FLAC, name="one-")
        second = self.clip(Container.MKV, VideoCodec.H264, SoundCodec.FLAC, name="two-")
        target, _ = self.cut([first, second], Container.MP4, [(8, 70), (90, 120)])
        numbers, _, samples = decoded(target)
        self.assertEqual(numbers, [*range(8, 60), *range(10), *range(30, 60)])
        joint = round((60 - 8) / FRAME.rate * HZ)
        np.testing.assert_allclose(samples[joint : joint + 4800], self.heard[:4800], atol=1e-6)
        np.testing.assert_allclose(samples[joint - 4800 : joint], self.heard[-4800:], atol=1e-6)
        other = self.clip(Container.MKV, VideoCodec.H264, SoundCodec.PCM16)
        for paths, said in (([first, other], "not of the same kind"), ([first], "the take ends at 60")):
            with self.assertRaisesRegex(BadValueError, said):
                self.cut(paths, Container.MKV, [(8, 70)])

    def sounded(self, source, container, ranges, *changes):
        """Finish a file's sound and return what was made of it and its plan."""
        found = source_to_cut(source, FRAME.rate)
        keep = Keep(rate=FRAME.rate, ranges=tuple(TickRange(*one) for one in ranges))
        made = plan(Finish(container=container, keep=keep, sound=changes), found)
        target = self.folder / f"sounded.{CONTAINERS[container].suffix}"
        cut_files([source], [found], target, made, lambda part: None)
        return target, made

    def test_a_track_is_moved_by_the_sample_raised_and_brought_to_a_loudness(self):
        source = self.clip(Container.MKV, VideoCodec.H264, SoundCodec.FLAC, length=180)
        heard, whole = self.heard, [(0, 180)]
        for slide_ms, samples in ((Fraction(25), 1200), (Fraction(-40), -1920), (Fraction(1000, 48), 1000)):
            change = TrackFinish(track=1, slide_ms=slide_ms, title="Moved")
            target, made = self.sounded(source, Container.MP4, whole, change)
            _, _, there = decoded(target)
            here = heard[: len(heard) - samples] if samples > 0 else heard[-samples:]
            there = there[samples:] if samples > 0 else there[: len(there) + samples]
            np.testing.assert_allclose(there[: len(here)], here, atol=1e-6)
            self.assertEqual((made.encoded, made.streams[0].fate, made.streams[1].title), (0, Fate.UNTOUCHED, "Moved"))
            self.assertEqual(read_sent(target).digests[0], read_sent(source).digests[0])
            self.assertEqual(probe(target).sound[0].title, "Moved")
        quiet = TrackFinish(track=1, sound=SoundSetup(level_db=-6.5))
        target, _ = self.sounded(source, Container.MKV, [(30, 120)], quiet)
        _, _, there = decoded(target)
        fade, begin = round(FADE_S * HZ), HZ
        ratio = 20 * np.log10(np.std(there[fade : 2 * HZ]) / np.std(heard[begin + fade : begin + 2 * HZ]))
        self.assertAlmostEqual(ratio, -6.5, delta=0.05)
        for target_lufs in (-23.0, -14.0):
            target, _ = self.sounded(source, Container.MKV, whole, TrackFinish(track=1, loudness_lufs=target_lufs))
            self.assertAlmostEqual(self.loudness(target), target_lufs, delta=0.3)
            self.assertLess(probe(target).sound[0].peak_db, -0.9)

    def loudness(self, path):
        """Measure a file's loudness in one go, by libavfilter's own reading of it."""
        with av.open(str(path)) as reader:
            sound, graph = reader.streams.audio[0], av.filter.Graph()
            nodes = [graph.add_abuffer(template=sound), graph.add("ebur128", "metadata=1"), graph.add("abuffersink")]
            graph.link_nodes(*nodes).configure()
            for frame in reader.decode(sound):
                graph.push(frame)
            graph.push(None)
            found = None
            while True:
                try:
                    found = graph.pull().metadata.get("lavfi.r128.I", found)
                except (BlockingIOError, EOFError):
                    return float(found)

    def test_tracks_that_nothing_is_done_to_go_through_beside_one_that_is(self):
        recipe = resolve(Draft(container=Container.MKV, sound_codec=SoundCodec.AAC))
        asked = FilePlan(recipe=recipe, frame=FRAME, tracks=("Game", "Voice"))
        source = write_clip(self.folder / "two.mkv", asked, range(LENGTH), draw=numbered)
        for container in (Container.MKV, Container.MP4, Container.TS):
            change = TrackFinish(track=2, sound=SoundSetup(level_db=-3.0))
            target, made = self.sounded(source, container, [(0, LENGTH)], change)
            self.assertEqual([one.fate for one in made.streams], [Fate.UNTOUCHED, Fate.UNTOUCHED, Fate.ENCODED])
            was, now = read_sent(source), read_sent(target)
            self.assertEqual((was.digests[:2], was.digests[2] == now.digests[2]), (now.digests[:2], False))
            facts = probe(target)
            apart = [abs(one.start_s - facts.video.start_s) for one in facts.sound]
            self.assertLess(max(apart), Fraction(1, 40))
            self.assertLess(abs(apart[0] - apart[1]), Fraction(1, 900))
        for wrong, said in (
            (TrackFinish(track=3), "the file has 2"),
            (TrackFinish(track=1, slide_ms=Fraction(20)), "several files"),
        ):
            keep = Keep(rate=FRAME.rate, ranges=(TickRange(0, 2 * LENGTH),))
            found = source_to_cut(source, FRAME.rate)
            with self.assertRaisesRegex(BadValueError, said):
                plan(Finish(container=Container.MKV, keep=keep, sound=(wrong,)), found, found)

    def encoded(self, source, ranges, encoding):
        found = source_to_cut(source, FRAME.rate)
        keep = Keep(rate=FRAME.rate, ranges=tuple(TickRange(*one) for one in ranges))
        made = plan(Finish(container=encoding.recipe.container, keep=keep, encoding=encoding), found)
        target = self.folder / f"encoded.{encoding.recipe.suffix}"
        cut_files([source], [found], target, made, lambda part: None)
        return target, made, found

    def test_an_archive_copy_decodes_to_the_same_bits_and_a_bit_that_turns_is_found(self):
        for sound, more in (
            (SoundCodec.PCM16, {}),
            (SoundCodec.FLAC, {"bits": 10, "chroma": "4:2:2"}),
            (SoundCodec.PCM24, {"range": "full", "matrix": "bt601"}),
        ):
            source = self.clip(Container.MKV, VideoCodec.H264, sound, **more)
            recipe = archive_recipe(source_to_cut(source, FRAME.rate))
            target, made, found = self.encoded(source, [(0, 30), (40, LENGTH)], Encoding(recipe=recipe))
            hash_archive([source], [found], target, made)
            was = [one for number, one in enumerate(hashes_of(source)) if not 30 <= number < 40]
            self.assertEqual(list(hashes_of(target)), was)
            begin = round(40 / FRAME.rate * HZ)
            np.testing.assert_array_equal(
                decoded(target)[2][48_400:60_000], decoded(source)[2][begin + 400 : begin + 12_000]
            )
        text = sidecar_folder(target) / NAME
        self.assertEqual(check_hashes(target, text), (50, []))
        lines = text.read_text().splitlines()
        text.write_text("\n".join([*lines[:3], "3 " + "0" * 64, *lines[4:-1]]))
        self.assertEqual(check_hashes(target, text), (49, [3, 49]))
        with self.assertRaisesRegex(MediaError, "does not decode to the same"):
            hash_archive([source], [found], target, replace(made, stretches=made.stretches[:1]))

    def test_a_file_is_made_to_a_size_and_what_a_recipe_cannot_hold_is_refused(self):
        rng = np.random.default_rng(3)

        def busy(tick, width, height):
            frame = np.repeat(rng.integers(20, 230, (height * 3 // 2, width // 4), dtype=np.uint8), 4, axis=1)
            return av.VideoFrame.from_ndarray(frame, format="yuv420p")

        asked = FilePlan(recipe=resolve(Draft(container=Container.MKV, rate=ConstantQuality(quality=14))), frame=FRAME)
        source = write_clip(self.folder / "busy.mkv", replace(asked, tracks=("Game",)), range(180), draw=busy)
        for codec, container, wanted in (
            (VideoCodec.H264, Container.MP4, 3_000_000),
            (VideoCodec.VP9, Container.WEBM, 2_000_000),
        ):
            recipe = resolve(Draft(container=container, codec=codec))
            target, made, _ = self.encoded(source, [(0, 180)], Encoding(recipe=recipe, size_bytes=wanted))
            self.assertAlmostEqual(target.stat().st_size / wanted, 1, delta=0.021)
            self.assertEqual((made.encoded, made.frames), (180, 180))
        recipe = resolve(Draft(container=Container.MP4))
        with self.assertRaisesRegex(BadValueError, "its length and tracks take"):
            self.encoded(source, [(0, 180)], Encoding(recipe=recipe, size_bytes=200_000))
        with self.assertRaisesRegex(BadValueError, "no bitrate that could be set"):
            Encoding(recipe=archive_recipe(source_to_cut(source)), size_bytes=10**6)
        with self.assertRaisesRegex(BadValueError, "the recipe has"):
            Finish(container=Container.MKV, encoding=Encoding(recipe=recipe))

    def test_tags_are_put_right_and_no_sample_changes(self):
        tags = PictureFinish(range=Range.FULL, matrix=Matrix.BT601)
        for container, codec, has_range in (
            (Container.MKV, VideoCodec.H264, True),
            (Container.MP4, VideoCodec.H264, True),
            (Container.TS, VideoCodec.H264, True),
            (Container.MP4, VideoCodec.HEVC, True),
            (Container.MP4, VideoCodec.AV1, True),
            (Container.WEBM, VideoCodec.VP9, True),
            (Container.MKV, VideoCodec.FFV1, True),
            (Container.MKV, VideoCodec.MPEG2, False),
            (Container.MOV, VideoCodec.PRORES, False),
        ):
            with self.subTest(codec, container=container):
                source = self.clip(container, codec, SoundCodec.OPUS if container is Container.WEBM else SoundCodec.AAC)
                found = source_to_cut(source, FRAME.rate)
                kept = (
                    (TickRange(0, LENGTH),) if codec is VideoCodec.FFV1 else (TickRange(5, 30), TickRange(32, LENGTH))
                )
                keep = Keep(rate=FRAME.rate, ranges=kept)
                target = self.folder / f"tagged.{source.suffix[1:]}"
                made = plan(Finish(container=container, keep=keep, picture=tags), found)
                cut_files([source], [found], target, made, lambda part: None)
                plain = self.folder / f"plain.{source.suffix[1:]}"
                made = plan(Finish(container=container, keep=keep), found)
                cut_files([source], [found], plain, made, lambda part: None)
                self.assertEqual(list(hashes_of(target)), list(hashes_of(plain)))
                video = probe(target).video
                self.assertEqual(
                    (video.matrix, video.range), (Matrix.BT601, Range.FULL if has_range else Range.LIMITED)
                )
                numbers, stamps, _ = decoded(target)
                self.assertEqual(len(numbers), sum(one.length for one in kept))
                self.assertLess(abs(stamps[-1] - stamps[0] - (len(numbers) - 1) / FRAME.rate), Fraction(1, 900))

    def test_a_picture_is_cropped_turned_and_scaled_where_it_is_encoded_anew(self):
        source = self.clip(Container.MKV, VideoCodec.H264, SoundCodec.FLAC)
        found = source_to_cut(source, FRAME.rate)
        keep, recipe = Keep(rate=FRAME.rate, ranges=(TickRange(3, 20),)), resolve(Draft(container=Container.MP4))
        crop = PictureFinish(crop=Crop(top_px=20, left_px=100, right_px=20))
        with self.assertRaisesRegex(BadValueError, "choose how under File"):
            plan(Finish(container=Container.MP4, keep=keep, picture=crop), found)
        for picture, size in (
            (crop, (200, 160)),
            (replace(crop, turn=Quarter.LEFT), (160, 200)),
            (PictureFinish(width_px=160, height_px=90), (160, 90)),
        ):
            finish = Finish(container=Container.MP4, keep=keep, picture=picture, encoding=Encoding(recipe=recipe))
            target = self.folder / "drawn.mp4"
            cut_files([source], [found], target, plan(finish, found), lambda part: None)
            video = probe(target).video
            self.assertEqual(((video.width_px, video.height_px), video.frames), (size, 17))

    def test_full_range_that_is_tagged_as_limited_is_seen_and_good_pictures_are_not(self):
        def dark(tick, width, height):  # all between 16 and 235
            return numbered(tick, width, height)

        def bright(tick, width, height):
            frame = np.full((height * 3 // 2, width), 128, dtype=np.uint8)
            frame[:height] = np.linspace(0, 255, width).astype(np.uint8)
            return av.VideoFrame.from_ndarray(frame, format="yuv420p")

        for draw, really in ((dark, None), (bright, Range.FULL), (lambda *size: clips.picture(*size), None)):
            asked = FilePlan(recipe=resolve(Draft(container=Container.MKV)), frame=FRAME)
            source = write_clip(self.folder / "looked.mkv", asked, range(20), draw=draw)
            levels = luma_levels(source)
            self.assertEqual(levels.range_by_looking(Range.LIMITED), really)
            self.assertIsNone(levels.range_by_looking(Range.FULL))

    def test_what_cannot_stand_in_a_stream_is_refused_and_times_that_vary_are_kept(self):
        source = self.clip(Container.MKV, VideoCodec.H264, SoundCodec.FLAC)
        plain = replace(source_to_cut(source, FRAME.rate), is_joinable=False)
        keep = Keep(rate=FRAME.rate, ranges=(TickRange(5, 30),))
        with self.assertRaisesRegex(BadValueError, "move the edges to keyframes"):
            plan(Finish(container=Container.MKV, keep=keep), plain)
        moved = plan(Finish(container=Container.MKV, keep=replace(keep, edges=Edges.KEYFRAME)), plain)
        self.assertEqual(moved.encoded, 0)
        asked = FilePlan(
            recipe=resolve(Draft(container=Container.MKV)), frame=FRAME, tracks=("Game",), as_it_comes=True
        )
        times = [0, 20, 70, 100, 101, 190, 240, 300, 390, 430, 500]  # in milliseconds
        varying = write_clip(
            self.folder / "varying.mkv", asked, times, draw=lambda at, *size: numbered(times.index(at), *size)
        )
        target, _ = self.cut([varying], Container.MP4, [(2, 13)])
        numbers, stamps, _ = decoded(target)
        self.assertEqual(numbers, [2, 3, 4, 5, 6, 7, 8])
        self.assertEqual([round((at - stamps[0]) * 1000) for at in stamps], [at - 70 for at in times[2:9]])

    def test_what_breaks_while_it_is_cut_is_said(self):
        source = self.clip(Container.MKV, VideoCodec.H264, SoundCodec.FLAC)
        content = source.read_bytes()

        def cut_after(change):
            found = source_to_cut(source, FRAME.rate)
            keep = Keep(rate=FRAME.rate, ranges=(TickRange(5, 50),))
            made = plan(Finish(container=Container.MKV, keep=keep), found)
            change()
            try:
                cut_files([source], [found], self.folder / "target.mkv", made, lambda part: None)
            finally:
                source.write_bytes(content)

        with self.assertRaises(MediaError):
            cut_after(lambda: source.write_bytes(content[: len(content) // 2]))
        with self.assertRaises(MediaError):
            cut_after(source.unlink)
        with (
            patch.object(joints.Joiner, "encoded", lambda joiner, frames, rate: iter(())),
            self.assertRaises(MediaError),
        ):
            cut_after(lambda: None)


class KeepTests(unittest.TestCase):
    @given(st.lists(st.integers(0, 400), min_size=2, max_size=12, unique=True).filter(lambda one: len(one) % 2 == 0))
    def test_what_is_left_out_and_what_is_kept_are_the_whole(self, edges):
        edges.sort()
        kept = tuple(TickRange(*pair) for pair in zip(edges[::2], edges[1::2], strict=True))
        out = left_out(kept, 500)
        self.assertEqual(sum(one.length for one in (*kept, *out)), 500)
        self.assertEqual(without((TickRange(0, 500),), out), together(kept))
        keep = Keep(rate=Fraction(30), ranges=kept)
        made = [keep.made_tick(tick) for tick in range(500)]
        self.assertEqual([one for one in made if one is not None], list(range(keep.length)))

    def test_ranges_that_do_not_go_together_are_refused(self):
        for ranges in ((), ((5, 9), (8, 12)), ((9, 12), (1, 4))):
            with self.assertRaises(BadValueError):
                Keep(rate=Fraction(30), ranges=tuple(TickRange(*one) for one in ranges))
        kept = (TickRange(0, 10), TickRange(20, 30))
        self.assertEqual(joined(kept, 0), (TickRange(0, 30),))
        self.assertEqual(moved(kept, 1, 2, 99, 40)[1], TickRange(10, 40))
        self.assertEqual(split(kept, 25)[1:], (TickRange(20, 25), TickRange(25, 30)))
        for wrong in (
            lambda: joined(kept, 1),
            lambda: split(kept, 15),
            lambda: moved(kept, 2, 0, 1, 40),
            lambda: TickRange(4, 4),
        ):
            self.assertRaises(BadValueError, wrong)
