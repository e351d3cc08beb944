"""What else is made of a take: tracks treated, tags put right, pictures drawn anew, archive copies, files of a size."""

from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import av.filter
import numpy as np

from reel.core.errors import BadValueError
from reel.core.file import CONTAINERS, ConstantQuality, Container, Draft, FilePlan, SoundCodec, VideoCodec, resolve
from reel.core.finish import (
    Encoding,
    Fate,
    Finish,
    Keep,
    PictureFinish,
    TickRange,
    TrackFinish,
    archive_recipe,
    plan,
)
from reel.core.frame import Crop, Quarter
from reel.core.media import MediaError, probe, read_sent
from reel.core.media.cuts.sound import FADE_S
from reel.core.media.finishing import cut_files, hash_archive, source_to_cut
from reel.core.media.hashes import NAME, check_hashes, hashes_of
from reel.core.media.shelf import sidecar_folder
from reel.core.media.tests.clips import FRAME, numbered, write_clip
from reel.core.media.tests.cutting import HZ, LENGTH, CutCase, decoded, noise, rated
from reel.core.signal import Matrix, Mode, Range
from reel.core.sound import SoundSetup


class MadeTests(CutCase):
    def sounded(self, source, container, ranges, *changes):
        """Finish a file's sound and return what was made of it and its plan."""
        found = source_to_cut(source)
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
        with self.assertRaisesRegex(BadValueError, "the file has 2"):
            self.sounded(source, Container.MKV, [(0, LENGTH)], TrackFinish(track=3))

    def test_sound_in_several_files_is_treated_as_that_of_one(self):
        recipe = resolve(Draft(container=Container.MKV, sound_codec=SoundCodec.FLAC))
        asked, heard = FilePlan(recipe=recipe, frame=FRAME, tracks=("Game",)), noise(180 * HZ // 30)
        whole, *parts = (
            write_clip(
                self.folder / f"{first}-{end}.mkv", asked, range(end - first), draw=numbered,
                sound=heard[first * HZ // 30 : end * HZ // 30],
            )
            for first, end in ((0, 180), (0, 50), (50, 111), (111, 180))
        )  # fmt: skip
        for more, ranges in (
            ({"slide_ms": Fraction(25)}, [(0, 180)]),
            ({"slide_ms": Fraction(-2500)}, [(10, 180)]),
            ({"slide_ms": Fraction(3000, 48)}, [(51, 60), (108, 120), (150, 170)]),
            ({"slide_ms": Fraction(5), "end_slide_ms": Fraction(12)}, [(30, 70), (100, 180)]),
            ({"muted": (TickRange(40, 60), TickRange(110, 115))}, [(0, 180)]),
            ({"sound": SoundSetup(level_db=-3.0)}, [(112, 180)]),
        ):
            found = []
            for paths in ([whole], parts):
                sources = [source_to_cut(path) for path in paths]
                keep = Keep(rate=FRAME.rate, ranges=tuple(TickRange(*one) for one in ranges))
                change = TrackFinish(track=1, **more)
                made = plan(Finish(container=Container.MKV, keep=keep, sound=(change,)), *sources)
                target = self.folder / f"made-{len(paths)}.mkv"
                cut_files(paths, sources, target, made, lambda part: None)
                found.append(decoded(target))
            with self.subTest(more, ranges=ranges):
                self.assertEqual(len(found[0][0]), len(found[1][0]))
                np.testing.assert_allclose(found[1][2], found[0][2], atol=2e-7)

    def encoded(self, source, ranges, encoding):
        found = source_to_cut(source)
        keep = Keep(rate=FRAME.rate, ranges=tuple(TickRange(*one) for one in ranges))
        made = plan(Finish(container=encoding.recipe.container, keep=keep, encoding=encoding), found)
        target = self.folder / f"encoded.{encoding.recipe.suffix}"
        cut_files([source], [found], target, made, lambda part: None)
        return target, made, found

    def test_what_is_of_another_kind_is_joined_where_all_is_encoded_anew(self):
        """Its size, rate, codec and sound come to be those of the first; a track that it does not have is silent."""
        first = write_clip(
            self.folder / "first.mkv",
            FilePlan(recipe=resolve(Draft(container=Container.MKV)), frame=FRAME, tracks=("Game", "Voice")),
            range(60),
            draw=numbered,
        )
        recipe = resolve(Draft(container=Container.MOV, codec=VideoCodec.MPEG2, sound_rate_hz=44_100))
        second = write_clip(
            self.folder / "second.mov",
            FilePlan(recipe=recipe, frame=Mode.parse("640x360p25"), tracks=("Sound",)),
            range(50),
            draw=lambda tick, *size: numbered(tick).reformat(*size),
        )
        keep = Keep(rate=FRAME.rate, ranges=(TickRange(0, 120),))
        sources = [rated(source_to_cut(path), FRAME.rate) for path in (first, second)]
        with self.assertRaisesRegex(BadValueError, "only where all is encoded anew"):
            plan(Finish(container=Container.MKV, keep=keep), *sources)
        encoding = Encoding(recipe=resolve(Draft(container=Container.MKV, sound_codec=SoundCodec.FLAC)))
        made = plan(Finish(container=Container.MKV, keep=keep, encoding=encoding), *sources)
        target = self.folder / "joined.mkv"
        cut_files([first, second], sources, target, made, lambda part: None)
        facts = probe(target)
        self.assertEqual((facts.video.width_px, facts.video.rate.rate, facts.video.frames), (320, 30, 120))
        for track, is_there in ((0, True), (1, False)):
            numbers, _, samples = decoded(target, track)
            behind = [max(one for one in range(50) if round(one * 30 / 25) <= tick) for tick in range(60)]
            self.assertEqual(numbers, [*range(60), *behind])
            self.assertAlmostEqual(len(samples) / HZ, 4, delta=0.01)
            # what clips are given are samples, whatever their rate: at 44.1 kHz the sine is lower
            for begin, hz, level in ((0.2, 440, 0.4), (2.2, 440 * 44_100 / HZ, 0.4 * is_there)):
                heard = samples[round(begin * HZ) : round((begin + 1.6) * HZ)]
                self.assertAlmostEqual(np.sqrt(2) * heard.std(), level, delta=0.02)
                if level:
                    crossings = np.count_nonzero(np.diff(np.sign(heard)))
                    self.assertAlmostEqual(crossings / 1.6 / 2, hz, delta=1)

    def test_an_archive_copy_decodes_to_the_same_bits_and_a_bit_that_turns_is_found(self):
        for sound, more in (
            (SoundCodec.PCM16, {}),
            (SoundCodec.FLAC, {"bits": 10, "chroma": "4:2:2"}),
            (SoundCodec.PCM24, {"range": "full", "matrix": "bt601"}),
        ):
            source = self.clip(Container.MKV, VideoCodec.H264, sound, **more)
            recipe = archive_recipe(source_to_cut(source))
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
        text.write_bytes(b"0 \x97\xff")
        with self.assertRaisesRegex(MediaError, "is damaged"):
            check_hashes(target, text)
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
                found = source_to_cut(source)
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
        found = source_to_cut(source)
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

    def test_a_drive_that_is_full_is_named_and_not_the_file_that_is_read(self):
        source = self.clip(Container.MKV, VideoCodec.H264, SoundCodec.FLAC)
        found = source_to_cut(source)
        keep = Keep(rate=FRAME.rate, ranges=(TickRange(3, 50),))
        for container in (Container.MKV, Container.TS):
            recipe = resolve(Draft(container=container))
            for encoding in (None, Encoding(recipe=recipe)):
                made = plan(Finish(container=container, keep=keep, encoding=encoding), found)
                with self.assertRaisesRegex(MediaError, r"full could not be (written|closed) \(No space left"):
                    cut_files([source], [found], Path("/dev/full"), made, lambda part: None)
