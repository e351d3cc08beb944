import datetime
import itertools
import re
import unittest
from dataclasses import replace
from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from reel.core.errors import BadValueError
from reel.core.file import (
    CODECS,
    CONTAINERS,
    SOUND_CODECS,
    STARTING_POINTS,
    Chroma,
    ConstantBitrate,
    ConstantQuality,
    ConstantQuantiser,
    Container,
    Draft,
    FilePlan,
    Lossless,
    Measured,
    MismatchError,
    NameFacts,
    RateKind,
    Recipe,
    SoundCodec,
    VariableBitrate,
    VideoCodec,
    default_rate,
    differences,
    encoder_settings,
    expectations,
    file_stem,
    forecast,
    full_quality,
    lines,
    offers,
    resolve,
    slug,
    start_from,
)
from reel.core.signal import Matrix, Mode, Range, pixel_format

FRAME = Mode.parse("1280x720p30")
RATES = st.one_of(
    st.builds(ConstantQuality, quality=st.integers(0, 63)),
    st.builds(ConstantQuantiser, quantiser=st.integers(0, 63)),
    st.builds(ConstantBitrate, bitrate_bps=st.integers(200_000, 400_000_000)),
    st.just(VariableBitrate(bitrate_bps=4_000_000, max_bps=9_000_000)),
    st.just(Lossless()),
    st.just(default_rate(RateKind.PROFILE, CODECS[VideoCodec.PRORES])),
)
WORDS = st.sampled_from(["", "superfast", "10", "speed 8", "422 HQ", "SQ", "grain", "4.1", "5.1", "placebo"])
DRAFTS = st.builds(
    Draft,
    container=st.sampled_from(Container), codec=st.sampled_from(VideoCodec), rate=RATES, effort=WORDS, profile=WORDS,
    chroma=st.sampled_from(Chroma), bits=st.sampled_from((8, 10)), matrix=st.sampled_from(Matrix),
    range=st.sampled_from(Range), b_frames=st.none() | st.integers(-1, 20), lookahead=st.none() | st.integers(-1, 300),
    tune=WORDS, level=WORDS, sound_codec=st.sampled_from(SoundCodec),
    sound_bitrate_bps=st.integers(1, 700_000), sound_rate_hz=st.sampled_from((44_100, 48_000, 96_000)),
)  # fmt: skip


NAMED = NameFacts(
    rig="Moss & Stone", at=datetime.datetime(2026, 5, 2, 21, 5, 9), size="1280×720", rate="29.97", codec="H.264"
)


class RecipeTests(unittest.TestCase):
    def test_limits_are_named(self):
        for fields in (
            {"keyframe_s": Fraction(0)},
            {"sound_bitrate_bps": 1},
            {"effort": "placebo"},
            {"sound_rate_hz": 22_050},
            {"sound_channels": 6},
            {"rate": ConstantQuality(quality=0)},
            {"rate": ConstantQuality(quality=52)},
            {"b_frames": 17},
            {"tune": "zoom"},
            {"level": "7"},
            {"profile": "422 HQ"},
        ):
            with self.subTest(**fields), self.assertRaises(BadValueError) as raised:
                Recipe(**fields)
            self.assertRegex(str(raised.exception), r"is from|takes|has|mono or stereo")
        for make in (
            lambda: ConstantBitrate(bitrate_bps=100_000),
            lambda: ConstantBitrate(bitrate_bps=2**63),
            lambda: VariableBitrate(bitrate_bps=9_000_000, max_bps=8_000_000),
            lambda: ConstantQuality(quality=64),
            lambda: ConstantQuantiser(quantiser=-1),
        ):
            with self.assertRaises(BadValueError):
                make()

    def test_every_pair_is_made_or_refused_with_its_reason(self):
        for container, codec, sound in itertools.product(Container, VideoCodec, SoundCodec):
            draft = Draft(container=container, codec=codec, sound_codec=sound)
            holds = CONTAINERS[container]
            wrong = {one.field for one in draft.mismatches()} & {"codec", "sound_codec"}
            wanted = {"codec"} if codec not in holds.video else set()
            wanted |= {"sound_codec"} if sound not in holds.sound else set()
            self.assertEqual(wrong, wanted)
            for error in draft.mismatches():
                if error.field in wanted:
                    self.assertIn(holds.name, str(error))
                    self.assertGreater(len(error.limit), 10)
            mended = resolve(draft)
            self.assertEqual(mended.codec, codec)
            self.assertEqual(mended.container == container, "codec" not in wanted)

    @given(DRAFTS)
    def test_what_is_mended_works_and_what_works_stays(self, draft):
        mended = resolve(draft)
        self.assertEqual(resolve(mended), mended)
        self.assertEqual(tuple(mended.mismatches()), ())
        self.assertEqual(offers(mended), ())
        wrong = list(draft.mismatches())
        found = offers(draft)
        self.assertEqual(bool(found), bool(wrong))
        for one in found:
            self.assertIsInstance(one, Recipe)
            self.assertTrue(differences(draft, one) or wrong)
        if wrong:
            with self.assertRaises(MismatchError):
                Recipe(**draft.as_fields())
        else:
            self.assertEqual(Recipe(**draft.as_fields()), mended)
        plan = FilePlan(recipe=mended, frame=FRAME, tracks=("game",))
        told, asked = encoder_settings(plan), expectations(plan)
        self.assertEqual((told.pixels, told.keyframe_ticks), (asked.pixels, asked.keyframe_ticks))
        self.assertEqual(lines(mended).keys(), lines(Recipe()).keys())

    def test_two_ways_are_offered_for_a_codec_that_the_container_does_not_hold(self):
        kept, other = offers(Draft(container=Container.MP4, codec=VideoCodec.PRORES, sound_codec=SoundCodec.PCM24))
        self.assertEqual((kept.container, kept.codec, kept.sound_codec), ("mov", "prores", "pcm24"))
        self.assertEqual((other.container, other.codec, other.sound_codec), ("mp4", "h264", "aac"))

    def test_levels_are_the_smallest_that_hold_the_frame(self):
        """As the standards' own tables of examples have it: ITU-T H.264, table A-6; H.265, table A.11; AV1, A.3."""
        for codec, mode, level in (
            (VideoCodec.H264, "720x576p25", "3"),
            (VideoCodec.H264, "1280x720p30", "3.1"),
            (VideoCodec.H264, "1280x720p60", "3.2"),
            (VideoCodec.H264, "1920x1080p30", "4"),
            (VideoCodec.H264, "1920x1080p60", "4.2"),
            (VideoCodec.H264, "3840x2160p30", "5.1"),
            (VideoCodec.HEVC, "1280x720p30", "3.1"),
            (VideoCodec.HEVC, "1920x1080p60", "4.1"),
            (VideoCodec.HEVC, "3840x2160p60", "5.1"),
            (VideoCodec.AV1, "1920x1080p60", "4.1"),
            (VideoCodec.AV1, "3840x2160p60", "5.1"),
        ):
            recipe = resolve(Draft(codec=codec))
            with self.subTest(codec, mode=mode):
                self.assertEqual(FilePlan(recipe=recipe, frame=Mode.parse(mode)).level, level)
        much = replace(Recipe(), rate=ConstantBitrate(bitrate_bps=60_000_000))
        self.assertEqual(FilePlan(recipe=much, frame=FRAME).level, "4.1", "bits need it")

    def test_a_profile_with_more_bits_a_sample_has_more_bits_a_second(self):
        """ITU-T H.264, table A-2: 150 Mb/s in High 10 and 200 in High 4:2:2 go into level 4.1, and no more."""
        for draft, most in (({"bits": 10}, 150), ({"bits": 10, "chroma": Chroma.C422}, 200), ({}, 62)):
            for megabits, level in ((most, "4.1"), (most + 1, "5")):
                rate = ConstantBitrate(bitrate_bps=megabits * 1_000_000)
                recipe = Recipe(container=Container.MKV, rate=rate, **draft)
                plan = FilePlan(recipe=recipe, frame=Mode.parse("1920x1080p30"))
                self.assertEqual(plan.level, level, (draft, megabits))

    def test_a_frame_that_a_recipe_can_not_hold_is_refused(self):
        for fields, mode, said in (
            ({"level": "3"}, "1280x720p30", "needs 3.1"),
            ({"codec": VideoCodec.DNXHR, "profile": "SQ"}, "128x128p30", "256×120"),
            ({"codec": VideoCodec.MPEG2}, "2560x1440p30", "1920×1152"),
            ({"codec": VideoCodec.MPEG2}, "1280x720p90", "pictures a second"),
            ({"codec": VideoCodec.H264, "rate": ConstantBitrate(bitrate_bps=400_000_000)}, "4096x2304p120", ""),
        ):
            plan = FilePlan(recipe=resolve(Draft(**fields)), frame=Mode.parse(mode))
            with self.subTest(mode=mode, **fields):
                if said:
                    with self.assertRaises(BadValueError) as raised:
                        plan.check()
                    self.assertIn(said, str(raised.exception))
                else:
                    plan.check()

    def test_what_is_held_by_settings_is_forecast_and_what_is_not_is_measured(self):
        recipe = Recipe(rate=ConstantBitrate(bitrate_bps=12_000_000), sound_bitrate_bps=192_000)
        cost = forecast(FilePlan(recipe=recipe, frame=FRAME, tracks=("game", "voice")))
        self.assertEqual(cost.total_bps, 12_384_000)
        self.assertEqual((cost.bytes_per_minute, cost.bytes_per_hour), (92_880_000, 5_572_800_000))
        self.assertEqual(cost.seconds_left(cost.bytes_per_hour), 3600)
        self.assertEqual(cost.picture_bps, 12_000_000)
        plan = FilePlan(recipe=Recipe(), frame=FRAME, tracks=("game",))
        self.assertIsNone(forecast(plan))
        found = forecast(plan, Measured.of([5_000_000]))
        self.assertTrue(found.measured)
        self.assertEqual(found.picture_bps, 5_000_000 - 192_000)
        lossless = replace(plan, recipe=Recipe(container=Container.MKV, sound_codec=SoundCodec.FLAC))
        self.assertIsNone(forecast(lossless, Measured.of([5_000_000])).picture_bps, "nobody knows how much is sound")

    def test_what_arrives_in_more_is_kept_where_the_codec_can(self):
        for codec, comes, wanted in (
            (VideoCodec.H264, "yuyv422", (Chroma.C422, 8)),
            (VideoCodec.H264, "rgb24", (Chroma.C444, 8)),
            (VideoCodec.HEVC, "p010le", (Chroma.C420, 10)),
            (VideoCodec.H264, "yuv420p", None),
            (VideoCodec.AV1, "yuv444p", None),
            (VideoCodec.MPEG2, "yuv420p10le", None),
            (VideoCodec.DNXHR, "yuv422p10le", (Chroma.C422, 10)),
        ):
            recipe = resolve(Draft(codec=codec))
            found = full_quality(recipe, pixel_format(comes))
            with self.subTest(codec, comes=comes):
                self.assertEqual(found and (found.chroma, found.bits), wanted)
                self.assertEqual(found.codec if found else codec, codec)
        whole = full_quality(Draft(), pixel_format("yuv444p10le"))
        self.assertIsNone(full_quality(whole, pixel_format("yuv444p10le")), "it is whole already")
        self.assertIsNone(full_quality(whole, pixel_format("yuv444p")), "and deeper than what comes")
        deep = full_quality(resolve(Draft(bits=10)), pixel_format("yuv422p"))
        self.assertEqual((deep.chroma, deep.bits), (Chroma.C422, 10))

    def test_a_time_lapse_costs_by_what_it_shows(self):
        recipe = Recipe(rate=ConstantBitrate(bitrate_bps=12_000_000))
        cost = forecast(FilePlan(recipe=recipe, frame=FRAME, lapse=Fraction(60)))
        self.assertEqual((cost.total_bps, cost.written_bps, cost.bytes_per_hour), (12_000_000, 200_000, 90_000_000))
        self.assertEqual(cost.seconds_left(90_000_000), 3600)

    def test_starting_points_are_what_they_say_and_leave_the_rest(self):
        before = Recipe(name_pattern="bed_{number}", sound_rate_hz=44_100, tune="grain", b_frames=2)
        for purpose, point in STARTING_POINTS.items():
            recipe = start_from(purpose, before)
            with self.subTest(purpose):
                for field, wanted in point.changes.items():
                    self.assertEqual(getattr(recipe, field), wanted, "nothing of it had to be mended")
                self.assertEqual((recipe.name_pattern, recipe.sound_rate_hz, recipe.tune), ("bed_{number}", 44_100, ""))
                FilePlan(recipe=recipe, frame=FRAME).check()

    def test_tables_are_whole(self):
        for codec in CODECS.values():
            with self.subTest(codec.label):
                self.assertTrue(codec.forms())
                self.assertEqual(bool(codec.efforts), codec.effort(codec.default_effort) is not None)
                for kind in codec.rates:
                    has_number = kind in (RateKind.QUALITY, RateKind.QUANTISER)
                    self.assertEqual(codec.scale(kind) is not None, has_number)
        for container in CONTAINERS.values():
            self.assertTrue(set(container.why_not) <= {*VideoCodec, *SoundCodec} and container.sound)
        self.assertEqual(set(SOUND_CODECS), set(SoundCodec))


class NamingTests(unittest.TestCase):
    @given(st.text())
    def test_slug_is_safe_on_every_file_system(self, text):
        self.assertRegex(slug(text), r"\A[a-z0-9][a-z0-9-]{0,79}\Z")

    @given(st.text(max_size=90))
    def test_a_pattern_that_is_taken_makes_one_plain_name(self, pattern):
        try:
            Recipe(name_pattern=pattern)
        except BadValueError:
            return
        stem = file_stem(pattern, replace(NAMED, rig="../../etc"), 14)
        self.assertIn("014", stem)
        self.assertIsNone(re.search(r"[/\\\x00-\x1f]|^\.", stem))

    def test_no_name_is_longer_than_file_systems_hold_and_its_number_stays(self):
        codec, at = "H.264 High 4:2:2 Intra", datetime.datetime(2026, 5, 2)
        facts = NameFacts(rig="moss and stone " * 20, at=at, codec=codec, size="1280×720")
        for pattern in (
            "{rig}_{rig}_{rig}_{number}",
            "{number}" + "{date}" * 12,
            "{codec}{size}{time}" * 3 + "{number}",
            "{codec}" * 10 + "{number}",
        ):
            names = {file_stem(pattern, facts, number) for number in (1, 2)}
            self.assertEqual(len(names), 2, pattern)
            self.assertLessEqual(max(len(name) for name in names), 200)

    def test_patterns(self):
        for pattern in ("{rig}", "{number", "{number!r}", "{number:>99}", "{rig.__class__}{number}", "../{number}", ""):
            with self.subTest(pattern), self.assertRaises(BadValueError):
                Recipe(name_pattern=pattern)
        self.assertEqual(file_stem("{rig}_{date}_{number}", NAMED, 14), "moss-stone_2026-05-02_014")
        made = file_stem("{codec} {size}p{rate} {time}_{number}", NAMED, 3)
        self.assertEqual(made, "h-264 1280x720p29-97 21-05-09_003")
