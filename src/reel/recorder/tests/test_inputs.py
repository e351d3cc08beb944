"""Sounds of several inputs on their tracks: levels, delays, sound files, drift, what is bounded."""

import struct
from dataclasses import replace
from unittest.mock import patch

import av
import numpy as np

from reel.core.file import Container, Recipe, SoundCodec, SoundFiles
from reel.core.line import Microphone, file_plan
from reel.core.line.tests.rigs import of, one
from reel.core.measure import Placed, prove
from reel.core.media import probe, sidecar_folder
from reel.core.media.soundfile import SoundFile
from reel.core.signal import NS, Picture, Samples, SoundFormat
from reel.core.sound import Sides, SoundSetup
from reel.recorder.clock import VirtualClock
from reel.recorder.inputs.reader import Reader
from reel.recorder.rig.source import Source
from reel.recorder.tests.reading import SMALL, amplitude_db, decoded, lumas
from reel.recorder.tests.several import QUICK, RigTestCase, microphone, picture, tracks
from reel.standins.plain import Plain, opener


def wav_facts(path):
    """Read a WAV's own words: channels, samples a second, bits, the code of its samples (1 is PCM), bytes of sound."""
    data, at, found = path.read_bytes(), 12, ()
    while data[at : at + 4] != b"data":
        if data[at : at + 4] == b"fmt ":
            channels, rate_hz = struct.unpack_from("<HI", data, at + 10)
            found = (
                channels,
                rate_hz,
                *struct.unpack_from("<H", data, at + 22),
                *struct.unpack_from("<H", data, at + 32),
            )
        at += 8 + struct.unpack_from("<I", data, at + 4)[0]
    return (*found, struct.unpack_from("<I", data, at + 4)[0])


class InputTests(RigTestCase):
    def test_a_tone_per_input_is_on_its_tracks_alone_at_its_level(self):
        """Six inputs on six tracks and a mix of all, in both containers; levels within 0.1 dB."""
        hz = (440, 1000, 900, 2600, 3500, 5000)
        levels = (0.0, -6.0, 3.0, -12.5, 0.0, 6.0)
        routes = ((1,), (2,), (3,), (4,), (5, 2), (6,))
        names = ("garden", *(f"mic {number}" for number in range(2, 7)))
        sounds = [SoundSetup(level_db=level, tracks=route) for level, route in zip(levels, routes, strict=True)]
        inputs = (
            picture(sound=sounds[0]),
            *(one(Microphone(), name=name, sound=sound) for name, sound in zip(names[1:], sounds[1:], strict=True)),
        )
        openers = [opener(mode=SMALL, hz=hz[0])] + [opener(hz=one_hz, channels=1) for one_hz in hz[1:]]
        for container in (Container.MKV, Container.MP4):
            recipe = Recipe(effort="ultrafast", container=container)
            setup = of(*inputs, mode=SMALL, recipe=recipe, tracks=tracks(*names), mix_first=True)
            take = self.record(setup, openers)
            self.assert_proved(setup, take)
            found = decoded(take.path)
            self.assertEqual(list(found), ["Mix of all", *names])
            for number, (title, data) in enumerate(found.items()):
                for place, tone_hz in enumerate(hz):
                    got = amplitude_db(data[0][9600:-9600], tone_hz)
                    with self.subTest(container, track=title, hz=tone_hz):
                        if number == 0 or number in routes[place]:
                            self.assertAlmostEqual(got, -20 + levels[place], delta=0.1)
                        else:
                            self.assertLess(got, -75)

    def test_sound_files_beside_the_take_begin_and_end_with_it(self):
        """One for each track, over a hold, read by other eyes; they follow the take's name and go with it."""
        mic = microphone("Bench microphone", tracks=(2,))
        for kind in (SoundFiles.WAV, SoundFiles.FLAC):
            recipe = replace(QUICK, sound_files=kind)
            setup = of(picture(), mic, mode=SMALL, recipe=recipe, tracks=tracks("garden", "Voice"), mix_first=True)
            openers = [opener(mode=SMALL, hz=440), opener(pulses=(2, 6), channels=1)]
            take = self.record(setup, openers, ((1, 3), (5, 7)))
            names = [f"1-mix-of-all.{kind.value}", f"2-garden.{kind.value}", f"3-voice.{kind.value}"]
            self.assertEqual(sorted(path.name for path in sidecar_folder(take.path).iterdir()), names)
            files = [probe(sidecar_folder(take.path) / name) for name in names]
            proof = prove(take.plan, facts=probe(take.path), counts=take.counts, sidecars=files)
            self.assertEqual([line for line in proof.lines if line.label in names and line.cause], [])
            with av.open(str(sidecar_folder(take.path) / names[2])) as container:
                voice = np.concatenate([frame.to_ndarray().reshape(-1, 2) for frame in container.decode()])[:, 0]
            self.assertEqual(len(voice), 4 * 48_000)
            loud = np.flatnonzero(np.abs(voice.astype(float)) > 0.5 * 2**31)
            self.assertEqual((loud[0], loud[-1]), (48_000 - 23, 3 * 48_000 + 23), "to the sample, on both sides")
            self.assertEqual(round(voice.max() / 2**31, 5), 0.8, "without loss")
            if kind is SoundFiles.WAV:
                self.assertEqual(wav_facts(sidecar_folder(take.path) / names[1]), (2, 48_000, 24, 1, 192_000 * 6))
            else:
                (sidecar_folder(take.path) / names[1]).unlink()
                lacking = prove(
                    take.plan, facts=probe(take.path), counts=take.counts, sidecars=[files[0], None, files[2]]
                )
                self.assertEqual([line.label for line in lacking.differing if "garden" in line.label], [names[1]])
            (name,) = self.shelf.rename([(take.path.name, "")], f"evening {kind.value}")
            self.assertTrue((sidecar_folder(self.shelf.root / name) / names[2]).exists())
            self.shelf.delete(name)
            self.assertEqual(list(self.shelf.root.iterdir()), [])

    def test_a_sound_file_of_a_writer_that_was_killed_can_be_read(self):
        for kind in (SoundFiles.WAV, SoundFiles.FLAC):
            path = self.shelf.root / f"cut.{kind.value}"
            file = SoundFile(path, kind, SoundFormat())
            for _ in range(200):
                file.write(np.full((2, 960), 0.25, dtype=np.float32))
            left = self.shelf.root / f"left.{kind.value}"
            left.write_bytes(path.read_bytes())  # as it lies there before it is closed
            with av.open(str(left)) as container:
                heard = sum(frame.samples for frame in container.decode(audio=0))
            self.assertGreater(heard, 3 * 48_000)
            file.close()

    def test_sides_mute_and_delay(self):
        """A pulse at 1 s is found where its delay puts it, to a millisecond; a muted input is silent."""
        for delay_ms in (-500, -40, 0, 250, 2000):
            with self.subTest(delay_ms=delay_ms):
                moved = microphone("moved", delay_ms=delay_ms, tracks=(2,))
                muted = microphone("muted", muted=True, tracks=(1,))
                setup = of(picture(), moved, muted, mode=SMALL, recipe=QUICK, tracks=tracks("still", "moved"))
                pulse = {"pulses": (4,), "channels": 1}
                take = self.record(
                    setup, [opener(mode=SMALL, pulses=(4,)), opener(**pulse), opener(hz=700, channels=1)], [(3, 7)]
                )
                found = decoded(take.path)
                at = {name: np.argmax(np.abs(data[0])) / 48 for name, data in found.items()}
                self.assertAlmostEqual(at["still"], 1000, delta=1)
                self.assertAlmostEqual(at["moved"] - at["still"], delay_ms, delta=1)
                self.assertLess(amplitude_db(found["still"][0], 700), -70)
                self.assert_proved(setup, take)
        left = of(picture(sound=SoundSetup(sides=Sides.LEFT)), mode=SMALL, recipe=QUICK)
        (data,) = decoded(self.record(left, [opener(mode=SMALL, hz=440)]).path).values()
        self.assertTrue(np.allclose(data[0], data[1], atol=0.02))

    def test_sound_that_is_delayed_ends_with_the_picture_and_nothing_of_it_is_lost(self):
        """Over a hold, in parts, and at the very beginning, where nothing was heard before."""
        setup = of(picture(sound=SoundSetup(delay_ms=500)), mode=SMALL, recipe=QUICK)
        for splits in ((), ((2, Source.split),)):
            for rolled_s in ([(0, 6)], [(0, 3), (5, 8)]):
                with self.subTest(splits=splits, rolled_s=rolled_s):
                    take = self.record(setup, opener(mode=SMALL, hz=440), rolled_s, does_s=splits)
                    self.assertEqual(len(take.parts), 1 + len(splits))
                    self.assertEqual([one.sound for one in take.counts.inputs], [()])
                    facts = [probe(part.path) for part in take.parts]
                    self.assertEqual(sum(one.video.frames for one in facts), 144)
                    for one in facts:
                        self.assertAlmostEqual(one.sound[0].length_s, one.video.length_s, delta=0.03)

    def test_what_is_too_loud_is_bounded_counted_and_proved(self):
        """30 dB too much, in what a codec keeps as it is and in what it does not."""
        for sound, highest in (({"container": Container.MKV, "sound_codec": SoundCodec.PCM16}, 1.0), ({}, 1.3)):
            setup = of(picture(sound=SoundSetup(level_db=24)), mode=SMALL, recipe=replace(QUICK, **sound))
            take = self.record(setup, opener(mode=SMALL, hz=440, amplitude=0.9))
            (data,) = decoded(take.path).values()
            self.assertLessEqual(np.abs(data / (2**15 if data.dtype == np.int16 else 1)).max(), highest)
            self.assertGreater(take.counts.tracks[0].clipped[0].number, 80_000)
            facts = probe(take.path)
            rounded = replace(facts, sound=(replace(facts.sound[0], clipped=0),))  # as a voice is that is coded
            for found in (facts, rounded):
                proof = prove(file_plan(setup), facts=found, counts=take.counts)
                (said,) = [line for line in proof.differing if "clipping" in line.label]
                self.assertIn("louder than full scale", said.cause)

    def test_a_limiter_holds_in_the_file_whatever_comes_after_it(self):
        """Brought from 44.1 to 48 kHz, on a track of its own and together with another that is limited too."""
        rng = np.random.default_rng(7)
        noise = rng.uniform(-1, 1, 44_100 * 3).astype(np.float32)

        class Noise(Plain):
            def _next(self):
                item = super()._next()
                return item if isinstance(item, Picture) else replace(item, data=np.stack([noise[: self._block]] * 2))

        loud = [lambda start_ns: Noise(start_ns, mode=SMALL, hz=1, rate_hz=44_100, block=441)]
        loud.append(lambda start_ns: Noise(start_ns, hz=1, rate_hz=44_100, block=441))
        limited = SoundSetup(limit_db=-6, level_db=12)
        recipe = replace(QUICK, container=Container.MKV, sound_codec=SoundCodec.PCM16)
        alone = of(picture(sound=limited), mode=SMALL, recipe=recipe)
        both = of(picture(sound=limited), microphone("voice", limit_db=-6, level_db=12), mode=SMALL, recipe=recipe)
        for setup, openers in ((alone, loud[:1]), (both, loud)):
            take = self.record(setup, openers)
            (data,) = decoded(take.path).values()
            self.assertAlmostEqual(20 * np.log10(np.abs(data.astype(float)).max() / 2**15), -6, delta=0.1)
            self.assertEqual(data.size, 2 * 96_000)
            self.assert_proved(setup, take)

    def test_a_sample_that_is_none_is_silence_counted_and_said(self):
        """Not a number, infinite, or far beyond what sound is, into the codecs that end at such samples."""

        class Broken(Plain):
            def _next(self):
                item = super()._next()
                if isinstance(item, Samples) and NS <= item.at_ns < NS + 10_000_000:
                    item.data[0, 5:8] = (np.nan, np.inf, 1e30)
                return item

        for container, codec in ((Container.MKV, SoundCodec.AAC), (Container.MP4, SoundCodec.MP3)):
            recipe = replace(QUICK, container=container, sound_codec=codec)
            setup = of(picture(), mode=SMALL, recipe=recipe)
            take = self.record(setup, lambda start_ns: Broken(start_ns, mode=SMALL, hz=440))
            self.assertEqual([one.broken for one in take.counts.inputs], [(Placed(first_tick=24, number=3),)])
            (data,) = decoded(take.path).values()
            self.assertLess(np.abs(data).max(), 0.2)
            proof = prove(file_plan(setup), facts=probe(take.path), counts=take.counts)
            self.assertIn("garden, broken sound", [line.label for line in proof.differing])

    def test_clocks_that_drift_are_followed_and_the_correction_is_told(self):
        """One clock is 700 ppm fast and one slow, 52 ms in all: a pulse at the end lies within 5 ms of the flash."""
        mics = [microphone("fast", tracks=(2,)), microphone("slow", tracks=(3,))]
        setup = of(picture(), *mics, mode=SMALL, recipe=QUICK, tracks=tracks("garden", "fast", "slow"))
        flash = SMALL.rate * 75
        openers = [opener(mode=SMALL, grey=lambda number: 200 if number == flash else 30, hz=400, block=4800)]
        for ppm in (700, -700):  # 75 s by the clock of the room are so many by that of the device
            pulse = 75 * (1 + ppm / 1_000_000)
            openers.append(opener(pulses=(pulse,), ppm=ppm, channels=1, block=4800))
        take = self.record(setup, openers, [(0, 78)])
        found, lit = decoded(take.path), list(lumas(take.path))
        flash_s = int(np.argmax(lit)) / 24
        self.assertEqual(flash_s, 75)
        for name, sign in (("fast", 1), ("slow", -1)):
            at_s = np.argmax(np.abs(found[name][0])) / 48_000
            self.assertAlmostEqual(at_s, flash_s, delta=0.005)
            (counted,) = [one for one in take.counts.inputs if one.name == name]
            self.assertAlmostEqual(counted.stretched_ppm, -700 * sign, delta=35)
        proof = prove(file_plan(setup), facts=probe(take.path), counts=take.counts)
        self.assertIn("fast, clock", [line.label for line in proof.lines])

    def test_what_was_just_opened_keeps_pace_once_it_was_not_behind_for_a_while(self):
        """A take that begins with it waits for that: what is read and drawn for the first time takes longer."""
        source = Source(of(picture(), mode=SMALL, recipe=QUICK), [opener(mode=SMALL)], VirtualClock())
        for slow_until_s, second, keeps in ((0.7, 0.6, False), (0.7, 0.9, False), (0.7, 1.1, True), (9, 2, True)):
            with patch.object(Reader, "is_behind", lambda reader, now_ns, end=slow_until_s: now_ns < end * NS):
                source.run_until(round(second * NS))
            self.assertEqual(source.paced.is_set(), keeps, second)

    def test_what_is_listened_to_is_what_would_be_recorded(self):
        """One input alone, whether or not it goes on a track, or the mix of all that do; at its level, at its time."""
        mics = (microphone("off", tracks=()), microphone("late", level_db=6.0, delay_ms=300, tracks=(1, 2)))
        setup = of(picture(), *mics, mode=SMALL, recipe=QUICK, tracks=tracks("garden", "late"))
        openers = [opener(mode=SMALL, hz=440), opener(hz=1000, channels=1), opener(hz=2600, channels=1, fails_s=(6, 9))]
        heard = {1: [], None: []}
        wanted, clock = set(), VirtualClock()
        source = Source(
            setup,
            openers,
            clock,
            listened=lambda: frozenset(wanted),
            sound=lambda choice, data, at_ns, comes: heard[choice].append((data, at_ns)),
        )
        source.run_until(2 * NS)
        self.assertEqual(heard, {1: [], None: []}, "nobody listens")
        wanted.update(heard)
        source.run_until(6 * NS)
        for choice, expected in ((1, (None, -20, None)), (None, (-20, None, -14))):
            blocks = heard[choice]
            self.assertAlmostEqual(blocks[0][1] / NS, 2, delta=0.15)
            self.assertGreater(blocks[-1][1] / NS, 5.5, "at most half a second late")
            data = np.concatenate([data for data, _ in blocks], axis=1)[0]
            for hz, level_db in zip((440, 1000, 2600), expected, strict=True):
                got = amplitude_db(data[48_000:-4800].astype(float), hz)
                with self.subTest(choice=choice, hz=hz):
                    if level_db is None:
                        self.assertLess(got, -75)
                    else:
                        self.assertAlmostEqual(got, level_db, delta=0.1)
        source.run_until(8 * NS)
        self.assertGreater(heard[None][-1][1] / NS, 7.5, "an input that is gone is not waited for")
        wanted.clear()
        source.run_until(round(8.2 * NS))
        count = len(heard[None])
        source.run_until(9 * NS)
        self.assertEqual(len(heard[None]), count)
