"""The wave of a track around an instant, in all containers, and the sharp sound in it."""

from fractions import Fraction

import numpy as np

from reel.core.file import Container, Draft, FilePlan, SoundCodec, resolve
from reel.core.media.finishing import source_to_cut
from reel.core.media.tests.clips import FRAME, write_clip
from reel.core.media.tests.test_files import FolderTestCase
from reel.core.media.waveform import waveform

HZ, CLAP_S = 48_000, 3.21


class WaveformTests(FolderTestCase):
    def test_a_clap_is_found_where_it_is_and_none_in_a_tone(self):
        sound = (0.02 * np.sin(np.arange(6 * HZ) * 0.03)).astype(np.float32)
        clap, crack = round(CLAP_S * HZ), 0.5 * np.random.default_rng(2).standard_normal(900)
        sound[clap : clap + 900] += (crack * np.exp(-np.arange(900) / 200)).astype(np.float32)
        for container, codec in (
            (Container.MKV, SoundCodec.FLAC),
            (Container.MP4, SoundCodec.AAC),
            (Container.TS, SoundCodec.AAC),
            (Container.MOV, SoundCodec.PCM16),
        ):
            recipe = resolve(Draft(container=container, sound_codec=codec))
            asked = FilePlan(recipe=recipe, frame=FRAME, tracks=("Game",))
            path = write_clip(self.folder / f"clap.{recipe.suffix}", asked, range(180), sound=sound)
            found = source_to_cut(path)
            start_s = found.packets.start * found.packets.time_base
            index = found.sounds[0].index
            near = waveform(path, index, start_s, Fraction(27, 10), Fraction(37, 10), 400)
            self.assertEqual(len(near.sharp_s), 1, container)
            self.assertAlmostEqual(near.sharp_s[0], CLAP_S, delta=0.006)  # AAC rings before it
            loudest = int(np.argmax(near.high))
            self.assertAlmostEqual(float(near.begin_s) + loudest / 400, CLAP_S, delta=0.012)
            self.assertLess(min(near.low), -0.2)
            for begin_s in (
                Fraction(1),
                Fraction(-1, 2),
                Fraction(49, 10),
                Fraction(33, 10),
            ):  # the last just behind it
                end_s = begin_s + 1
                elsewhere = waveform(path, index, start_s, begin_s, end_s, 100)
                self.assertEqual((elsewhere.sharp_s, len(elsewhere.high)), ((), 100))
                self.assertAlmostEqual(max(elsewhere.high), 0.02, delta=0.01)
