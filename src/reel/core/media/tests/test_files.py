import itertools
import json
import random
import shutil
import subprocess
import tempfile
import unittest
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from unittest.mock import patch

import av
import numpy as np
from av.stream import Disposition
from hypothesis import given
from hypothesis import strategies as st

from reel.core.file import (
    ConstantBitrate,
    ConstantQuality,
    Container,
    Draft,
    FilePlan,
    SoundCodec,
    VideoCodec,
    forecast,
    resolve,
)
from reel.core.media import MediaError, PartWriter, frame_at, frame_times, measure_rate, poster, probe, rewrap_to_mp4
from reel.core.media.containers import container_suffix
from reel.core.media.frames import shown_at
from reel.core.media.rate import STANDARD_RATES
from reel.core.media.tests.clips import number_of, numbered, plan, write_clip
from reel.core.signal import Matrix, Mode, Range


class FolderTestCase(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.folder = Path(folder.name)


class RateTests(unittest.TestCase):
    @given(
        st.sampled_from(STANDARD_RATES),
        st.sampled_from([Fraction(1, 1000), Fraction(1, 90_000), Fraction(1, 15_360)]),
        st.sets(st.integers(1, 398), max_size=40),
        st.integers(0, 5000),
    )
    def test_fixed_rate_and_missing_ticks_are_found_exactly(self, rate, unit, gone, start):
        ticks = [tick for tick in range(400) if tick not in gone]
        stamps = np.array([start + round(tick / rate / unit) for tick in ticks], dtype=np.int64)
        facts = measure_rate(stamps, unit)
        self.assertEqual((facts.rate, facts.fixed, facts.missing), (rate, True, len(gone)))

    def test_varying_and_too_few(self):
        facts = measure_rate(np.array([0, 33, 70, 99, 140, 161], dtype=np.int64), Fraction(1, 1000))
        self.assertEqual((facts.fixed, facts.even), (False, 30))
        bursts = [begin + round(tick * 1000 / 60) for begin in (0, 3007, 4511) for tick in range(20)]
        self.assertEqual(measure_rate(np.array(bursts, dtype=np.int64), Fraction(1, 1000)).even, 60)
        self.assertIsNone(measure_rate(np.array([5], dtype=np.int64), Fraction(1, 1000)))


class SizeTests(FolderTestCase):
    def test_what_a_profile_and_a_container_add_is_forecast_to_a_twentieth(self):
        """Where a size is known before anything is measured: ProRes and DNxHR by their size, the packets of MPEG-TS."""
        random = np.random.default_rng(1)
        ground = random.integers(0, 64, (1200, 2000)).astype(np.uint8)
        noise = random.normal(0, 0.1, (2, 48_000)).astype(np.float32)
        low = ConstantBitrate(bitrate_bps=300_000)
        for mode, frames, more in (
            ("640x360p30", 4, {"codec": VideoCodec.PRORES, "profile": "422 LT", "container": Container.MOV}),
            ("1280x720p30", 4, {"codec": VideoCodec.PRORES, "profile": "422 HQ", "container": Container.MOV}),
            ("1280x720p30", 4, {"codec": VideoCodec.DNXHR, "profile": "SQ", "container": Container.MOV}),
            ("320x180p30", 240, {"container": Container.TS, "rate": low, "sound_bitrate_bps": 96_000}),
        ):
            frame = Mode.parse(mode)
            asked = FilePlan(recipe=resolve(Draft(**more)), frame=frame, tracks=("Sound",) if frames > 30 else ())
            path = self.folder / "a"
            with PartWriter(path, asked) as writer:
                for tick in range(frames):
                    planes = np.full((frame.height_px * 3 // 2, frame.width_px), 128, np.uint8)
                    shown = ground[tick : tick + frame.height_px, : frame.width_px]
                    planes[: frame.height_px] = shown + (np.arange(frame.width_px) * 2 + tick * 4) % 90 + 40
                    picture = av.VideoFrame.from_ndarray(planes, format="yuv420p")
                    writer.write_picture(picture.reformat(format=asked.signal.pixels), tick)
                    for track in range(len(asked.tracks)):
                        writer.write_samples(track, noise[:, :1600])
            came_to = path.stat().st_size * 8 / frames * 30
            with self.subTest(mode, **more):
                self.assertAlmostEqual(came_to / forecast(asked).total_bps, 1, delta=0.05)


class WriterTests(FolderTestCase):
    def test_file_holds_what_was_asked(self):
        for container in (Container.MKV, Container.MP4):
            for rate in ("30", "30000/1001", "60", "24"):
                frame = Mode.parse(f"320x180p{rate}")
                asked = plan(frame, container=container, keyframe_s=Fraction(1, 2))
                with self.subTest(container=container, rate=rate):
                    facts = probe(write_clip(self.folder / f"a.{container.value}", asked, range(90)))
                    video, sound = facts.video, facts.sound[0]
                    self.assertEqual((video.width_px, video.height_px, video.frames), (320, 180, 90))
                    self.assertEqual((video.rate.rate, video.rate.fixed, video.rate.missing), (frame.rate, True, 0))
                    self.assertEqual((video.codec, video.profile, video.pixels), ("H.264", "High", "yuv420p"))
                    self.assertEqual((video.matrix, video.range), (Matrix.BT709, Range.LIMITED))
                    self.assertEqual(set(video.keyframe_ticks), {asked.keyframe_ticks})
                    self.assertEqual((sound.codec, sound.rate_hz, sound.channels), ("AAC", 48_000, 2))
                    self.assertEqual((video.start_s, sound.start_s), (0, 0))
                    self.assertLess(abs(sound.length_s - video.length_s), Fraction(1, 20))

    def test_the_first_of_each_kind_is_what_a_player_takes_where_nobody_chooses(self):
        for container in (Container.MKV, Container.MP4, Container.MOV):
            asked = plan(container=container, tracks=("Game", "Voice"))
            with av.open(str(write_clip(self.folder / f"a.{container.value}", asked, range(10)))) as reader:
                said = [bool(stream.disposition & Disposition.default) for stream in reader.streams]
            self.assertEqual(said, [True, True, False], container)

    def test_a_keyframe_that_is_due_among_the_last_pictures_stays_where_it_is(self):
        for codec, effort in ((VideoCodec.H264, "medium"), (VideoCodec.HEVC, "fast")):
            for count in range(61, 65):
                recipe = resolve(Draft(container=Container.MP4, codec=codec, effort=effort, keyframe_s=Fraction(1)))
                asked = FilePlan(recipe=recipe, frame=Mode.parse("320x180p30"), tracks=())
                video = probe(write_clip(self.folder / "a.mp4", asked, range(count))).video
                with self.subTest(codec, count=count):
                    self.assertEqual((video.keyframe_ticks, video.frames), ((30,), count))

    def test_every_length_at_the_ntsc_rates_is_read_as_asked(self):
        """Also by another reader where there is one: its durations and rates agree to one tick."""
        for container in (Container.MKV, Container.MP4):
            for place, rate in enumerate(("24000/1001", "30000/1001", "60000/1001")):
                for number in range(24):
                    frame = Mode.parse(f"64x36p{rate}")
                    count = 5 + number * 7 % 90 + place
                    asked = plan(frame, container=container, effort=("veryfast", "superfast")[number % 2], tracks=())
                    path = write_clip(self.folder / f"a.{container.value}", asked, range(count))
                    video = probe(path).video
                    with self.subTest(container=container, rate=rate, count=count):
                        facts = (video.rate.rate, video.rate.fixed, video.rate.missing, video.frames)
                        self.assertEqual(facts, (frame.rate, True, 0, count))
                        self.assertLess(abs(video.length_s - count / frame.rate), Fraction(1, 500))
                        if number % 8 == 0:
                            self.check_with_second_eyes(path, frame.rate, count)

    def check_with_second_eyes(self, path, rate, count):
        if shutil.which("ffprobe") is None:
            return
        entries = "format=duration:stream=r_frame_rate,avg_frame_rate:packet=pts_time,duration_time"
        command = ["ffprobe", "-v", "error", "-show_entries", entries, "-of", "json", str(path)]
        read = json.loads(subprocess.run(command, capture_output=True, check=True).stdout)
        (stream,) = read["streams"]
        self.assertAlmostEqual(float(Fraction(stream["avg_frame_rate"])), float(rate), places=3)
        self.assertAlmostEqual(float(read["format"]["duration"]), count / rate, delta=1 / float(rate))
        for packet in read["packets"]:
            self.assertAlmostEqual(float(packet["duration_time"]), 1 / float(rate), delta=0.0011)

    def test_picture_and_sound_begin_and_end_together_whichever_is_late(self):
        cases = itertools.product((Container.MKV, Container.MP4, Container.TS), ("ultrafast", "fast"), (False, True))
        for (container, effort, sound_first), count in zip(cases, itertools.cycle((61, 77, 90))):
            with self.subTest(container=container, effort=effort, sound_first=sound_first, count=count):
                asked = plan(Mode.parse("320x180p25"), container=container, effort=effort)
                path = self.folder / f"b.{container.value}"
                facts = probe(write_clip(path, asked, range(count), sound_first=sound_first))
                sound, video = facts.sound[0], facts.video
                starts = sound.start_s - video.start_s
                self.assertLess(abs(starts), Fraction(1024, 48_000) + Fraction(1, 1000))
                self.assertLess(abs(starts + sound.length_s - video.length_s), Fraction(1024, 48_000))

    def test_what_an_encoder_refuses_is_said_before_anything_is_written(self):
        asked = plan()
        object.__setattr__(asked.recipe, "rate", ConstantQuality(quality=0))  # what the recipe itself refuses
        with self.assertRaises(MediaError) as raised:
            PartWriter(self.folder / "a.mkv", asked)
        self.assertIn("the encoder refuses it", str(raised.exception))

    def test_lost_ticks_leave_gaps(self):
        kept = [tick for tick in range(120) if tick not in (40, 41, 42, 77)]
        facts = probe(write_clip(self.folder / "a.mkv", plan(), kept))
        self.assertEqual((facts.video.frames, facts.video.rate.rate, facts.video.rate.missing), (116, 30, 4))

    def test_every_written_picture_is_shown_at_its_tick(self):
        """Whatever is lost, and wherever a fragment ends: what was written is what a player decodes."""
        choose = random.Random(8)
        for number in range(24):
            count = choose.randint(5, 70)
            lost = {choose.randint(1, count) + step for step in range(choose.choice((0, 3, 14)))}
            ticks = [tick for tick in range(count) if tick not in lost]
            sound = ("Sound",) if number % 2 == 0 else ()
            asked = plan(
                container=choose.choice((Container.MKV, Container.MP4, Container.TS, Container.MOV)),
                effort="veryfast",
                tracks=sound,
            )
            path = write_clip(self.folder / f"a{number}.{asked.recipe.suffix}", asked, ticks)
            with av.open(str(path)) as container:
                shown = [round(frame.pts * frame.time_base * 30) for frame in container.decode(video=0)]
            if asked.recipe.container is Container.TS:  # whose time begins anywhere
                self.assertEqual(np.diff(shown).tolist(), np.diff(ticks).tolist(), path.name)
            else:
                self.assertEqual(shown, ticks, path.name)

    def test_constant_bitrate_is_constant(self):
        asked = plan(rate=ConstantBitrate(bitrate_bps=1_500_000))
        facts = probe(
            write_clip(
                self.folder / "a.mp4", replace(asked, recipe=replace(asked.recipe, container=Container.MP4)), range(240)
            )
        )
        self.assertAlmostEqual(facts.video.bitrate_bps / 1_500_000, 1, delta=0.05)

    def test_unwritable_place_is_a_media_error(self):
        with self.assertRaises(MediaError) as raised:
            write_clip(self.folder / "none" / "a.mkv", plan(), [0])
        self.assertIn("a.mkv", str(raised.exception))

    def test_rewrap_keeps_every_frame(self):
        source = write_clip(self.folder / "a.mkv", plan(), range(60))
        parts = []
        rewrap_to_mp4(source, self.folder / "a.mp4", parts.append)
        facts = probe(self.folder / "a.mp4")
        self.assertEqual((facts.video.frames, len(facts.sound)), (60, 1))
        self.assertEqual(parts, sorted(parts))
        with av.open(str(source)) as before, av.open(str(self.folder / "a.mp4")) as after:
            pairs = zip(before.decode(video=0), after.decode(video=0), strict=True)
            self.assertTrue(all(np.array_equal(a.to_ndarray(), b.to_ndarray()) for a, b in pairs))

    def test_poster_is_a_jpeg_of_the_picture(self):
        data = poster(write_clip(self.folder / "a.mkv", plan(), range(60)))
        self.assertEqual(data[:3], b"\xff\xd8\xff")
        with self.assertRaises(MediaError):
            (self.folder / "b.mkv").write_bytes(b"no video" * 100)
            poster(self.folder / "b.mkv")

    def test_a_stream_of_an_unknown_codec_is_passed_over(self):
        broken = self.folder / "b.mov"
        content = write_clip(
            self.folder / "a.mov", plan(container=Container.MOV, sound_codec=SoundCodec.PCM16), range(30)
        ).read_bytes()
        for code, has_picture in ((b"sowt", True), (b"avc1", False)):
            broken.write_bytes(content.replace(code, b"qqqq"))
            facts = probe(broken)
            self.assertEqual((facts.video is not None, len(facts.sound)), (has_picture, 0 if has_picture else 1))
        broken.write_bytes(content.replace(b"sowt", b"qqqq").replace(b"avc1", b"qqqq"))
        for read in (probe, container_suffix):
            with self.assertRaisesRegex(MediaError, "holds neither a picture nor sound"):
                read(broken)

    def test_a_name_in_another_code_than_utf_8_is_read_with_a_mark_in_its_place(self):
        for ending in ("mkv", "mp4"):
            path = write_clip(self.folder / f"a.{ending}", plan(container=ending, tracks=("Game room",)), range(30))
            path.write_bytes(path.read_bytes().replace(b"Game room", "Gäste=Mus".encode("latin-1")))
            copy = self.folder / f"copy of {ending}.mp4"
            rewrap_to_mp4(path, copy, lambda part: None)
            for read in (path, copy):
                self.assertEqual((probe(read).sound[0].title, probe(read).video.frames), ("G\ufffdste=Mus", 30))

    def test_rubbish_is_refused(self):
        for name, content in (("empty.mkv", b""), ("text.mp4", b"hello" * 50), ("cut.mkv", b"\x1a\x45\xdf\xa3")):
            (self.folder / name).write_bytes(content)
            with self.subTest(name), self.assertRaises(MediaError) as raised:
                probe(self.folder / name)
            self.assertIn(name, str(raised.exception))
        with self.assertRaises(MediaError):
            probe(self.folder / "missing.mkv")


class FrameTests(FolderTestCase):
    """The frame that is said to be shown at a moment is, in every container, also one without an index."""

    def test_every_frame_is_found_at_its_own_time(self):
        for container in ("mp4", "mkv", "mov", "ts"):
            path = write_clip(
                self.folder / f"a.{container}", plan(container=container, keyframe_s=Fraction(1)), range(150)
            )
            for number in (0, 1, 29, 30, 31, 60, 74, 119, 149):
                with self.subTest(container, number=number):
                    found = frame_at(path, Fraction(2 * number + 1, 60), Fraction(30))
                    self.assertEqual((found.number, found.is_key), (number, number % 30 == 0))
                    self.assertEqual(found.is_new, None if number == 0 else True)
                    self.assertGreater(found.size_bytes, 0)
        with self.assertRaises(MediaError):
            frame_at(self.folder / "none.mp4", Fraction(0), Fraction(30))

    def test_steps_at_any_distances_go_from_each_frame_to_the_next(self):
        """B-frames, a second between two frames, seven before the last: each step from a middle is the next frame."""
        steps = random.Random(7)
        ticks = list(itertools.accumulate(steps.choice((8, 16, 17, 33, 34, 50, 1000)) for _ in range(60)))
        ticks = [tick - ticks[0] for tick in ticks] + [ticks[-1] + 7000]
        for container, codec in itertools.product(("mp4", "mkv", "mov", "ts"), (VideoCodec.H264, VideoCodec.HEVC)):
            with self.subTest(container, codec=codec):
                asked = plan(
                    as_it_comes=True, tracks=(), container=container, codec=codec, keyframe_s=Fraction(1, 2), b_frames=3
                )
                path = write_clip(self.folder / f"{codec}.{container}", asked, ticks, sound=np.zeros(1))
                begins = [Fraction(tick, 1000) for tick in ticks]
                for number, (begin, end) in enumerate(itertools.pairwise(begins)):
                    found = frame_times(path, (begin + end) / 2)
                    place = max(place for place, at in enumerate(found) if at <= (begin + end) / 2)
                    around = found[max(0, place - 1) : place + 2]
                    wanted = begins[max(0, number - 1 if place else number) : number + 2]
                    for one, asked_s in zip(around, wanted, strict=True):
                        self.assertAlmostEqual(one, asked_s, delta=Fraction(1, 1000))
                self.assertIsNone(frame_at(path, begins[-1], None).number)
        with self.assertRaises(MediaError):
            frame_times(self.folder / "none.mp4", Fraction(0))

    def test_a_file_without_an_index_that_is_entered_behind_a_moment_is_entered_earlier(self):
        mode = Mode.parse("320x180p10")
        asked = plan(mode, container=Container.TS, keyframe_s=Fraction(10), tracks=())
        path = write_clip(self.folder / "long.ts", asked, range(120), draw=numbered)
        for number in (35, 99, 100, 119):
            self.assertEqual(number_of(shown_at(path, Fraction(2 * number + 1, 20)).frame), number)

    def test_a_frame_too_far_from_its_keyframe_is_not_looked_for(self):
        path = write_clip(self.folder / "a.mkv", plan(keyframe_s=Fraction(10)), range(120))
        with patch("reel.core.media.frames.MAX_DECODED", 50):
            self.assertEqual(frame_at(path, Fraction(1), Fraction(30)).number, 30)
            with self.assertRaises(MediaError):
                frame_at(path, Fraction(3), Fraction(30))
