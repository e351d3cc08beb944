"""Cuts: random ranges over all codecs and containers, frame by frame and sample by sample."""

import random
import subprocess
import unittest
from dataclasses import replace
from fractions import Fraction
from shutil import which
from unittest.mock import patch

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from reel.core.errors import BadValueError
from reel.core.file import Container, Draft, FilePlan, SoundCodec, VideoCodec, resolve
from reel.core.finish import (
    Edges,
    Fate,
    Finish,
    Keep,
    PacketIndex,
    TickRange,
    joined,
    left_out,
    moved,
    plan,
    put_back,
    split,
    together,
    without,
)
from reel.core.media import MediaError
from reel.core.media.cuts import joints
from reel.core.media.finishing import cut_files, source_to_cut
from reel.core.media.tests.clips import FRAME, numbered, write_clip
from reel.core.media.tests.cutting import HZ, LENGTH, OF_ITSELF, CutCase, decoded
from reel.core.signal import Mode


class CutTests(CutCase):
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

    def test_the_last_samples_are_there_where_the_encoder_keeps_some_back(self):
        """Whole blocks of AC-3, of 1536 samples, and one that is filled but for a little."""
        source = self.clip(Container.TS, VideoCodec.MPEG2, SoundCodec.AC3)
        for path, ranges in ((source, [(0, LENGTH)]), (self.cut([source], Container.TS, [(22, 46)])[0], [(22, 46)])):
            self.check(path, ranges, 0.3, self.heard)

    def test_ranges_cut_into_another_container_hold_their_frames(self):
        """Where units lie between start codes, and come to lie behind their lengths, and the other way round."""
        ranges = [(3, 20), (24, 25), (30, 55)]
        for codec in (VideoCodec.H264, VideoCodec.HEVC):
            for container in (Container.TS, Container.MKV):
                source = self.clip(container, codec, SoundCodec.AAC)
                for other in (Container.MP4, Container.MOV, Container.MKV, Container.TS):
                    with self.subTest(source.name, to=other):
                        self.check(self.cut([source], other, ranges)[0], ranges, 0.25, self.heard)

    def test_edges_that_move_keep_every_packet_and_two_ranges_that_meet_are_not_cut(self):
        source = self.clip(Container.MKV, VideoCodec.H264, SoundCodec.FLAC)
        heard, whole = self.heard, source_to_cut(source)
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

    def test_what_cannot_stand_in_a_stream_is_refused_and_times_that_vary_are_kept(self):
        source = self.clip(Container.MKV, VideoCodec.H264, SoundCodec.FLAC)
        plain = replace(source_to_cut(source), is_joinable=False)
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
            found = source_to_cut(source)
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
        found = source_to_cut(source)
        none = replace(found, packets=replace(found.packets, keys=np.zeros(LENGTH, dtype=np.bool_)))
        keep = Keep(rate=FRAME.rate, ranges=(TickRange(5, 50),))
        with self.assertRaisesRegex(BadValueError, "none of its keyframes stands alone"):
            plan(Finish(container=Container.MKV, keep=keep), none)
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
        ranges = tuple(TickRange(*one) for one in ((0, 10), (10, 20), (30, 40), (40, 50)))
        apart = tuple(TickRange(*one) for one in ((0, 10), (10, 40), (40, 50)))
        self.assertEqual(put_back(ranges, TickRange(20, 30)), apart, "what was only split stays so")
        self.assertEqual(put_back(ranges, TickRange(50, 60))[-1], TickRange(40, 60))
        self.assertEqual(moved(kept, 1, 2, 99, 40)[1], TickRange(10, 40))
        self.assertEqual(split(kept, 25)[1:], (TickRange(20, 25), TickRange(25, 30)))
        for wrong in (
            lambda: joined(kept, 1),
            lambda: split(kept, 15),
            lambda: moved(kept, 2, 0, 1, 40),
            lambda: TickRange(4, 4),
        ):
            self.assertRaises(BadValueError, wrong)
