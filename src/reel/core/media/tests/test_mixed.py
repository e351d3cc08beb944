"""Tracks that are muted in ranges, stretched against drift, pulled down under a voice, spoken over, mixed."""

from fractions import Fraction

import numpy as np

from reel.core.errors import BadValueError
from reel.core.file import Container, Draft, FilePlan, SoundCodec, SoundFiles, VideoCodec, resolve
from reel.core.finish import Encoding, Fate, Finish, Keep, PictureFinish, TickRange, TrackFinish, Under, plan
from reel.core.media import MediaError, PartWriter, probe
from reel.core.media.cuts.sound import FADE_S
from reel.core.media.finishing import cut_files, source_to_cut
from reel.core.media.soundfile import SoundFile
from reel.core.media.tests.clips import FRAME, numbered, write_clip
from reel.core.media.tests.cutting import HZ, CutCase, decoded
from reel.core.signal import SoundFormat
from reel.core.sound import SoundSetup

LENGTH = 240
COUNT = LENGTH * HZ // 30


def tone(hz, level=0.2, count=COUNT):
    return (level * np.sin(2 * np.pi * hz * np.arange(count) / HZ)).astype(np.float32)


def clicks(*places):
    """A click at each of some samples."""
    made = np.zeros(COUNT, dtype=np.float32)
    for place in places:
        made[place : place + 240] = 0.5 * np.hanning(240)
    return made


class MixedTests(CutCase):
    def setUp(self):
        super().setUp()
        self.recipe = resolve(Draft(container=Container.MKV, sound_codec=SoundCodec.FLAC))

    def two(self, game, voice):
        """A file with a track of each."""
        path, asked = self.folder / "two.mkv", FilePlan(recipe=self.recipe, frame=FRAME, tracks=("Game", "Voice"))
        with PartWriter(path, asked) as writer:
            for tick in range(LENGTH):
                writer.write_picture(numbered(tick), tick)
            for start in range(0, COUNT, 480):
                for track, data in enumerate((game, voice)):
                    writer.write_samples(track, np.stack([data[start : start + 480]] * 2))
        return path

    def spoken(self, data):
        """A file of what was spoken."""
        path = self.folder / "spoken.flac"
        file = SoundFile(path, SoundFiles.FLAC, SoundFormat(rate_hz=HZ, channels=1))
        file.write(data[None])
        file.close()
        return path

    def made(self, source, *changes, spoken=None, ranges=((0, LENGTH),), picture=None, **more):
        """Finish a file; returns the path and the plan."""
        found = source_to_cut(source)
        keep = Keep(rate=FRAME.rate, ranges=tuple(TickRange(*one) for one in ranges))
        if picture is not None:
            more |= {"picture": picture, "encoding": Encoding(recipe=self.recipe)}
        name = spoken.name if spoken is not None else ""
        finish = Finish(container=Container.MKV, keep=keep, sound=changes, commentary=name, **more)
        made, target = plan(finish, found), self.folder / "mixed.mkv"
        cut_files([source], [found], target, made, lambda part: None, spoken)
        return target, made

    def test_ranges_are_muted_where_the_take_has_them_and_nothing_else_changes(self):
        source = self.two(tone(440), tone(300))
        muted = (TickRange(30, 60), TickRange(100, 101))
        for slide_ms in (Fraction(0), Fraction(200)):
            target, made = self.made(source, TrackFinish(track=1, muted=muted, slide_ms=slide_ms))
            _, _, there = decoded(target, 0)
            self.assertEqual(made.streams[2].fate, Fate.UNTOUCHED)
            here, lead = tone(440), round(slide_ms * HZ / 1000)
            here = np.concatenate((np.zeros(lead, dtype=np.float32), here))[:COUNT]
            fade = round(FADE_S * HZ)
            heard = np.ones(COUNT, dtype=bool)
            for one in muted:
                first, end = (tick * HZ // 30 for tick in (one.first, one.end))
                self.assertEqual(float(np.abs(there[first + fade : end - fade]).max()), 0.0)
                heard[first:end] = False
            np.testing.assert_allclose(there[:COUNT][heard], here[heard], atol=1e-4)
            self.assertLess(np.abs(np.diff(there)).max(), np.abs(np.diff(here)).max() * 1.1)
        with self.assertRaisesRegex(BadValueError, "in order and apart"):
            TrackFinish(track=1, muted=(TickRange(5, 9), TickRange(2, 6)))

    def test_a_clock_that_drifted_is_put_in_step_at_both_ends(self):
        places = (HZ, 4 * HZ, 7 * HZ)
        source = self.two(tone(440), clicks(*(round(one * 1.001) for one in places)))  # it ran 0.1 % slow
        change = TrackFinish(track=2, end_slide_ms=Fraction(-8000, 1001))
        target, _ = self.made(source, change)
        _, _, there = decoded(target, 1)
        for place in places:
            near = there[place - 2000 : place + 2000]
            self.assertAlmostEqual(int(np.argmax(near)) - 2000, 120, delta=2)
        with self.assertRaisesRegex(BadValueError, "up to 1 %"):
            self.made(source, TrackFinish(track=2, end_slide_ms=Fraction(500)))

    def test_a_game_is_pulled_down_while_somebody_speaks(self):
        voice = np.random.default_rng(4).normal(0, 0.0005, COUNT).astype(np.float32)  # a room's noise
        voice[3 * HZ : 5 * HZ] += tone(250, 0.25)[: 2 * HZ]
        source = self.two(tone(440), voice)
        change = TrackFinish(track=1, under=Under(track=2, by_db=12.0))
        for kept in (None, (1,)):  # also where the voice itself is left out
            target, made = self.made(source, change, tracks=kept)
            _, _, there = decoded(target, 0)
            level = [
                20 * np.log10(np.std(there[at : at + HZ // 4]) / np.std(tone(440)))
                for at in range(0, COUNT - HZ, HZ // 4)
            ]
            for place, expected in ((2, 0), (8, 0), (13, -12), (18, -12), (25, 0)):
                self.assertAlmostEqual(level[place], expected, delta=0.1)
            self.assertEqual(made.sounds[1].fate, Fate.LEFT_OUT if kept else Fate.UNTOUCHED)
        with self.assertRaisesRegex(BadValueError, "the file has 2"):
            self.made(source, TrackFinish(track=1, under=Under(track=3, by_db=12.0)))

    def test_what_was_spoken_lies_where_it_was_and_tracks_are_mixed(self):
        source = self.two(tone(440), tone(300))
        spoken = self.spoken(clicks(2 * HZ, 6 * HZ))
        raised = TrackFinish(track=3, sound=SoundSetup(level_db=-6.0), title="Ada")
        for picture, ranges, places in (
            (None, ((0, LENGTH),), (2, 6)),
            (None, ((30, 90), (150, LENGTH)), (1, 3)),
            (PictureFinish(width_px=240, height_px=134), ((30, LENGTH),), (1, 5)),
        ):
            target, made = self.made(source, raised, spoken=spoken, ranges=ranges, picture=picture, mixdown=(2, 3))
            facts = probe(target)
            self.assertEqual([one.title for one in facts.sound], ["Mix", "Game", "Voice", "Ada"])
            self.assertEqual([one.title for one in made.sounds], ["Mix", "Game", "Voice", "Ada"])
            _, _, there = decoded(target, 3)
            for place in places:
                peak = place * HZ - 1000 + int(np.argmax(there[place * HZ - 1000 : place * HZ + 1000]))
                self.assertAlmostEqual(peak, place * HZ + 120, delta=2)
            self.assertAlmostEqual(float(there.max()), 0.5 * 10 ** (-6 / 20), delta=0.01)
            mix, voice = (decoded(target, track)[2] for track in (0, 2))
            count = min(len(mix), len(voice), len(there))
            np.testing.assert_allclose(mix[:count], voice[:count] + there[:count], atol=3e-3)
        with self.assertRaisesRegex(MediaError, "what was spoken is gone"):
            found = source_to_cut(source)
            keep = Keep(rate=FRAME.rate, ranges=(TickRange(0, LENGTH),))
            lost = plan(Finish(container=Container.MKV, keep=keep, commentary="lost.flac"), found)
            cut_files([source], [found], self.folder / "lost.mkv", lost, lambda part: None)
        asked = FilePlan(recipe=self.recipe, frame=FRAME, tracks=())
        silent = write_clip(self.folder / "silent.mkv", asked, range(LENGTH), draw=numbered)
        target, _ = self.made(silent, spoken=spoken)
        self.assertEqual([one.title for one in probe(target).sound], ["Commentary"])

    def test_what_is_added_is_coded_as_its_container_takes_it(self):
        recipe = resolve(
            Draft(container=Container.MKV, codec=VideoCodec.VP9, sound_codec=SoundCodec.AAC, sound_rate_hz=44_100)
        )
        asked = FilePlan(recipe=recipe, frame=FRAME, tracks=("Game",))
        source = write_clip(self.folder / "vp9.mkv", asked, range(30), draw=numbered)
        found, spoken = source_to_cut(source), self.spoken(clicks(HZ // 2)[:HZ])
        keep = Keep(rate=FRAME.rate, ranges=(TickRange(0, 30),))
        for container, titles in ((Container.WEBM, ["Commentary"]), (Container.MKV, ["Mix", "Game", "Commentary"])):
            mixdown = (1, 2) if container is Container.MKV else ()
            finish = Finish(container=container, keep=keep, commentary=spoken.name, mixdown=mixdown)
            made, target = plan(finish, found), self.folder / f"added.{container.value}"
            cut_files([source], [found], target, made, lambda part: None, spoken)
            self.assertEqual([one.title for one in probe(target).sound], titles)
