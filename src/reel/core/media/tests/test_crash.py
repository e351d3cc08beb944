"""What a crash costs is no more than what is said: held against the encoders, and against files as they lie there."""

import random
from fractions import Fraction

import av
import numpy as np

from reel.core.file import CODECS, Container, FilePlan, crash_cost_s, encoder_settings, held_pictures
from reel.core.file.codec_facts import VideoCodec
from reel.core.file.recipe import Draft
from reel.core.file.resolving import resolve
from reel.core.media import PartWriter, probe
from reel.core.media.errors import MediaError
from reel.core.media.tests.clips import picture
from reel.core.media.tests.test_files import FolderTestCase
from reel.core.media.writer import tell
from reel.core.signal import Mode

# SVT-AV1 takes its time: the presets on both sides of where it looks ahead further.
AV1 = ("11", "8")


# How much is held back does not depend on the size.
FRAME = Mode.parse("192x128p30")


def plans(containers=(Container.MKV,), frame=FRAME, **draft):
    for container in containers:
        for codec, facts in CODECS.items():
            for effort in facts.efforts or (None,):
                if codec is VideoCodec.AV1 and effort.name not in AV1:
                    continue
                named = {"effort": effort.name} if effort else {}
                recipe = resolve(Draft(container=container, codec=codec, **named, **draft))
                if recipe.codec is codec and recipe.container is container:
                    yield FilePlan(recipe=recipe, frame=frame, tracks=("Sound",))


def held(plan, pictures=100):
    """The most pictures that an encoder has taken and not given back."""
    told = encoder_settings(plan)
    encoder = av.CodecContext.create(told.encoder, "w")
    tell(encoder, plan, told)
    given, most = 0, 0
    for tick in range(pictures):
        frame = av.VideoFrame.from_ndarray(picture(tick, 192, 128).to_ndarray(), format="yuv420p").reformat(
            format=told.pixels
        )
        frame.pts, frame.time_base = tick, 1 / plan.tick_rate
        given += sum(packet.size > 0 for packet in encoder.encode(frame))
        most = max(most, tick + 1 - given)
    return most


class CrashTests(FolderTestCase):
    def test_what_encoders_hold_is_known(self):
        for plan in plans():
            with self.subTest(plan.recipe.codec, effort=plan.recipe.effort):
                found, said = held(plan), held_pictures(plan)
                self.assertLessEqual(found, said)
                self.assertLessEqual(said, 2 * found + 5, "nothing is said to be lost that isn't")

    def test_what_lies_in_a_file_at_any_moment_is_all_but_what_is_said(self):
        """Over containers, rates, look-ahead and B-frames, at random moments."""
        chosen = random.Random(4)
        for plan in (
            *plans((Container.MKV, Container.MP4, Container.TS), keyframe_s=Fraction(1)),
            *plans((Container.MP4,), Mode.parse("192x128p5"), keyframe_s=Fraction(1)),
        ):
            if plan.recipe.effort not in ("", "medium", "11") or (plan.frame.rate < 10 and not plan.recipe.effort):
                continue
            with self.subTest(
                plan.recipe.container, codec=plan.recipe.codec, effort=plan.recipe.effort, rate=plan.frame.rate
            ):
                self.assert_left(plan, chosen)

    def assert_left(self, plan, chosen):
        path, rate = self.folder / f"a.{plan.recipe.suffix}", plan.frame.rate
        cost_s = crash_cost_s(plan)
        moments = sorted(chosen.sample(range(int(cost_s * rate) + 2, 110), 3))
        sound = np.full((2, int(48_000 / rate)), 0.1, dtype=np.float32)
        with PartWriter(path, plan) as writer:
            for tick in range(110):
                writer.write_picture(picture(tick, 192, 128).reformat(format=plan.signal.pixels), tick)
                if tick >= 0.6 * rate:  # sound may come later than its picture
                    writer.write_samples(0, sound)
                if tick + 1 in moments:
                    left = self.folder / f"left.{plan.recipe.suffix}"
                    left.write_bytes(path.read_bytes())
                    try:
                        found = probe(left).video.frames
                    except MediaError:
                        found = 0
                    self.assertGreaterEqual(found, tick + 1 - cost_s * rate, tick + 1)
