"""Every allowed container × codec × rate control records on the virtual clock and holds what was asked."""

import itertools
import json
import shutil
import subprocess
import tempfile
import unittest
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from reel.core.file import CODECS, CONTAINERS, Draft, Recipe, VideoCodec, default_rate, resolve
from reel.core.frame import Arrangement, Caption, FrameSetup, Piece, Place
from reel.core.line import file_plan
from reel.core.line.tests.rigs import feed_input, of
from reel.core.measure import prove
from reel.core.media import Shelf, probe
from reel.core.media.planes import planes_of
from reel.core.signal import Mode
from reel.recorder.virtual import record
from reel.standins.plain import opener

SIZE = Mode.parse("256x144p24")
# What other readers name the codecs: ffprobe, and mediainfo, which knows some by their container's name only.
NAMES = {
    VideoCodec.H264: ("h264", "AVC"), VideoCodec.HEVC: ("hevc", "HEVC"), VideoCodec.AV1: ("av1", "AV1"),
    VideoCodec.VP9: ("vp9", "VP9 vp09"), VideoCodec.MPEG2: ("mpeg2video", "MPEG Video"),
    VideoCodec.PRORES: ("prores", "ProRes"), VideoCodec.DNXHR: ("dnxhd", "VC-3"), VideoCodec.FFV1: ("ffv1", "FFV1"),
    VideoCodec.MJPEG: ("mjpeg", "JPEG V_MJPEG"),
}  # fmt: skip


def every_recipe():
    """Each container, codec and rate control that go together, with each profile; sounds and codings in turn."""
    turn = itertools.count()
    codings = {codec: itertools.cycle(itertools.product(one.matrices, one.ranges)) for codec, one in CODECS.items()}
    for container, holds in CONTAINERS.items():
        for codec in holds.video:
            facts = CODECS[codec]
            profiles = [profile.name for profile in facts.profiles] or [""]
            for kind, profile in itertools.product(facts.rates, profiles):
                sound = holds.sound[next(turn) % len(holds.sound)]
                rate = default_rate(kind, facts)
                coding = dict(zip(("matrix", "range"), next(codings[codec]), strict=True))
                asked = Draft(container=container, codec=codec, rate=rate, profile=profile, sound_codec=sound, **coding)
                yield resolve(asked)


def moving(number):
    return 40 + number * 5 % 150


class CodecTests(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.shelf = Shelf(Path(folder.name))

    def record(self, recipe, *, grey=moving, frame=None, mode=SIZE, seconds=0.5):
        one = feed_input("garden.mp4", name="garden")
        setup = of(one, mode=mode, recipe=recipe)
        setup = replace(setup, frame=frame) if frame else setup
        return record(setup, opener(mode=mode, hz=440, grey=grey), self.shelf, rig_name="test", rolled_s=[(0, seconds)])

    def assert_proved(self, take):
        facts = probe(take.path)
        proof = prove(take.plan, facts=facts, counts=take.counts)
        self.assertEqual([(line.label, line.asked, line.got) for line in proof.differing], [])
        self.assertEqual(facts.video.frames, take.counts.ticks)
        return facts

    def test_every_allowed_recipe_records_and_holds_what_was_asked(self):
        looked = set()
        for recipe in every_recipe():
            with self.subTest(recipe.label, container=recipe.container, sound=recipe.sound_codec):
                take = self.record(recipe)
                self.assert_proved(take)
                if (recipe.container, recipe.codec) not in looked:
                    looked.add((recipe.container, recipe.codec))
                    self.check_with_second_eyes(take.path, recipe)
                take.path.unlink()

    def check_with_second_eyes(self, path, recipe):
        if shutil.which("ffprobe") is not None:
            command = ["ffprobe", "-v", "error", "-count_frames", "-show_streams", "-of", "json", str(path)]
            streams = json.loads(subprocess.run(command, capture_output=True, check=True).stdout)["streams"]
            video = next(stream for stream in streams if stream["codec_type"] == "video")
            self.assertEqual(video["codec_name"], NAMES[recipe.codec][0])
            self.assertEqual((video["width"], video["height"], int(video["nb_read_frames"])), (256, 144, 12))
        if shutil.which("mediainfo") is not None:
            command = ["mediainfo", "--Inform=Video;%Format%|%Width%|%Height%|%FrameRate%", str(path)]
            said = subprocess.run(command, capture_output=True, check=True, text=True).stdout.strip().split("|")
            self.assertIn(said[0], NAMES[recipe.codec][1])
            self.assertEqual(said[1:3], ["256", "144"])
            self.assertAlmostEqual(float(said[3] or 24), 24, delta=0.1)

    def test_every_depth_and_chroma_goes_through_whole(self):
        """Each form that a codec stores: measured in the file, with a caption laid over in the same form."""
        caption = Piece(overlay=Caption(text="Bed 4"), place=Place(x_px=16, y_px=16, width_px=64, height_px=40))
        frame = FrameSetup(mode=SIZE, arrangements=(Arrangement(pieces=(Piece(), caption)),))
        for codec, facts in CODECS.items():
            for (chroma, bits), stored in facts.forms().items():
                with self.subTest(codec, chroma=chroma, bits=bits):
                    recipe = resolve(Draft(container="mov", codec=codec, chroma=chroma, bits=bits))
                    take = self.record(recipe, grey=lambda _: 120, frame=frame)
                    self.assertEqual(self.assert_proved(take).video.pixels, stored.pixels)
                    with av.open(str(take.path)) as container:
                        (luma, *_) = planes_of(next(container.decode(video=0)))
                    step = 1 << (bits - 8)
                    grey = (120 - 16) * 255 / 219 if recipe.range == "full" else 120
                    self.assertAlmostEqual(np.median(luma[80:]) / step, grey, delta=1.5)
                    self.assertGreater(luma[16:56, 16:140].max() / step, 200, "the caption")
                    take.path.unlink()

    def test_a_profile_is_called_otherwise_where_every_picture_is_a_keyframe(self):
        for codec in (VideoCodec.H264, VideoCodec.HEVC):
            for rate, (chroma, bits) in itertools.product(("quality", "lossless"), CODECS[codec].forms()):
                facts = CODECS[codec]
                asked = Draft(container="mkv", codec=codec, chroma=chroma, bits=bits, rate=default_rate(rate, facts))
                with self.subTest(codec, rate=rate, chroma=chroma, bits=bits):
                    recipe = replace(resolve(asked), keyframe_s=Fraction(1, 10))
                    self.assert_proved(self.record(recipe, mode=Mode.parse("256x144p5"), seconds=1))

    def test_what_is_lossless_is_so_sample_by_sample(self):
        for codec in (VideoCodec.FFV1, VideoCodec.H264, VideoCodec.HEVC, VideoCodec.VP9):
            rate = default_rate("lossless", CODECS[codec])
            for chroma, bits in resolve(Draft(container="mkv", codec=codec)).forms():
                recipe = resolve(Draft(container="mkv", codec=codec, rate=rate, chroma=chroma, bits=bits))
                with self.subTest(codec, chroma=chroma, bits=bits):
                    take = self.record(recipe)
                    with av.open(str(take.path)) as container:
                        for number, shown in enumerate(container.decode(video=0)):
                            (luma, *_) = planes_of(shown)
                            self.assertEqual(set(np.unique(luma)), {moving(number) << (bits - 8)})
                    take.path.unlink()


class KeyframeTests(unittest.TestCase):
    def test_keyframes_lie_where_they_were_asked_whatever_is_shown(self):
        """Hard cuts at every odd place set none of their own."""
        with tempfile.TemporaryDirectory() as folder:
            shelf = Shelf(Path(folder))
            for codec, facts in CODECS.items():
                if facts.is_intra:
                    continue
                recipe: Recipe = replace(resolve(Draft(container="mkv", codec=codec)), keyframe_s=Fraction(1, 2))
                setup = of(feed_input("garden.mp4", name="garden"), mode=SIZE, recipe=recipe)
                cut = opener(mode=SIZE, grey=lambda number: 30 if number // 7 % 2 else 220)
                take = record(setup, cut, shelf, rig_name="test", rolled_s=[(0, 3)])
                with self.subTest(codec), av.open(str(take.path)) as container:
                    keys = [n for n, frame in enumerate(container.decode(video=0)) if frame.key_frame]
                    self.assertEqual(keys, [0, 12, 24, 36, 48, 60])
                    self.assertEqual(file_plan(setup).keyframe_ticks, 12)
