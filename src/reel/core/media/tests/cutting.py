"""What tests of finishes stand on: clips whose frames are numbered, cut, and read frame by frame."""

from dataclasses import replace
from fractions import Fraction

import av
import av.filter
import numpy as np

from reel.core.file import CONTAINERS, Draft, FilePlan, resolve
from reel.core.finish import (
    Edges,
    Finish,
    Keep,
    TickRange,
    plan,
)
from reel.core.media.cuts.sound import FADE_S
from reel.core.media.finishing import cut_files, source_to_cut
from reel.core.media.tests.clips import FRAME, number_of, numbered, write_clip
from reel.core.media.tests.test_files import FolderTestCase

LENGTH = 60
# What the other player says of any file of a kind, cut or not.
OF_ITSELF = ("deprecated pixel", "Guessed Channel Layout", "EOI missing")
HZ = 48_000


def noise(count):
    """Sound of which every stretch is unlike every other: a sweep under a little noise, at half scale."""
    at = np.arange(count) / HZ
    rng = np.random.default_rng(7)
    return (0.4 * np.sin(2 * np.pi * (200 + 300 * at) * at) + 0.05 * rng.standard_normal(count)).astype(np.float32)


def rated(source, rate):
    """What was read of a file by the ticks of the take that it belongs to."""
    return replace(source, packets=replace(source.packets, rate=rate))


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
            data = data if frame.format.is_planar else data.reshape(-1, frame.layout.nb_channels).T
            scale = 1.0 if data.dtype.kind == "f" else float(np.iinfo(data.dtype).max) + 1
            blocks.append(data[0] / scale)
        samples = np.concatenate(blocks)
        lead = round((begin - stamps[0]) * HZ)
        return numbers, stamps, samples[-lead:] if lead < 0 else np.concatenate((np.zeros(lead), samples))


class CutCase(FolderTestCase):
    """Makes clips, cuts them, and holds what comes of it against what was asked."""

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
        sources = [rated(source_to_cut(path), rate) for path in paths]
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
