"""Parts: where one file ends and the next begins no frame and no sample is lost or doubled."""

import tempfile
import unittest
from fractions import Fraction
from pathlib import Path
from unittest.mock import patch

import av
import numpy as np

from reel.core.file import ConstantQuality, Container, Recipe, SoundCodec
from reel.core.line import Console, file_plan
from reel.core.line.tests.rigs import feed_input, of, rig
from reel.core.measure import InputCounts, LossCause, Missing, Stretch, Tally, inputs_within, prove
from reel.core.media import MediaError, PartWriter, Shelf, probe
from reel.core.signal import Mode
from reel.recorder.recording.parts import Parts
from reel.recorder.tests.reading import decoded, lumas
from reel.recorder.virtual import record
from reel.standins import Scenario, assemble, read_stamp
from reel.standins.plain import opener


class Collected:
    """In a queue's place: keeps the ticks and the number of samples that it is offered."""

    def __init__(self):
        self.ticks, self.samples = [], 0

    def start(self):
        pass

    def finish(self):
        pass

    def offer_picture(self, frame, tick):
        self.ticks.append(tick)
        return True

    def offer_samples(self, data, track):
        self.samples += data.shape[1]


class SplitTests(unittest.TestCase):
    def test_a_part_does_not_end_before_sound_that_came_ahead_of_its_pictures(self):
        setup = rig(Console(mode=Mode.parse("1280x720p30")), mode=Mode.parse("640x360p30"), recipe=Recipe())
        first, second = Collected(), Collected()
        parts = Parts(first, file_plan(setup), lambda number, tick: second)
        for tick in range(40):
            if tick == 10:
                parts.offer_samples(np.zeros((2, 24_000)), 0)  # as long as 15 pictures
                parts.split(10)
            parts.offer_picture(None, tick)
        parts.offer_samples(np.zeros((2, 40_000)), 0)
        parts.finish()
        self.assertEqual((first.ticks, first.samples), (list(range(15)), 24_000))
        self.assertEqual((second.ticks, second.samples), (list(range(25)), 40_000))


class PartTests(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.shelf = Shelf(Path(folder.name))

    def roll(self, rolled_s, does_s=(), *, as_it_comes=False, **recipe):
        wanted = {"container": Container.MKV, "effort": "ultrafast", "sound_codec": SoundCodec.PCM16, **recipe}
        self.setup_ = rig(
            Console(mode=Mode.parse("1280x720p30")), mode=Mode.parse("640x360p30"), recipe=Recipe(**wanted),
            as_it_comes=as_it_comes,
        )  # fmt: skip
        return record(
            self.setup_, lambda start_ns: assemble(self.setup_.picture, Scenario(), start_ns=start_ns), self.shelf,
            rig_name="moss", rolled_s=rolled_s, does_s=does_s,
        )  # fmt: skip

    def stamps(self, path):
        with av.open(str(path)) as container:
            return [read_stamp(frame.to_ndarray()[:360]) for frame in container.decode(video=0)]

    def assert_seamless(self, take, shown):
        """All pictures once, in their order; the samples of all parts are those of one file; each is proved."""
        self.assertEqual([stamp for part in take.parts for stamp in self.stamps(part.path)], shown)
        for number, part in enumerate(take.parts):
            facts = probe(part.path)
            proof = prove(file_plan(self.setup_), facts=facts, counts=part.counts)
            self.assertEqual(proof.differing, (), number)
            self.assertEqual(part.counts.ticks, facts.video.frames)
            self.assertLessEqual(abs(facts.video.length_s - facts.sound[0].length_s), Fraction(1, 1000))
        self.assertEqual(sum(part.counts.ticks for part in take.parts), take.counts.ticks)

    def sound(self, take):
        return np.concatenate([next(iter(decoded(part.path).values())) for part in take.parts], axis=1)

    def test_parts_of_a_minute_and_parts_on_demand_hold_all_that_one_file_holds(self):
        splits = [(1.0, lambda source: source.call(source.split)), (2.51, lambda source: source.call(source.split))]
        for rolled_s, shown in ([(0, 4)], list(range(120))), ([(0, 2), (3, 5)], [*range(60), *range(90, 150)]):
            whole = self.roll(rolled_s)
            split = self.roll(rolled_s, splits)
            self.assertEqual(len(split.parts), 3)
            self.assert_seamless(split, shown)
            one, many = self.sound(whole), self.sound(split)
            self.assertEqual(one.shape, many.shape)
            self.assertTrue(np.array_equal(one, many))
        names = [part.path.name for part in split.parts]
        self.assertEqual([name.split("_", 2)[2] for name in names], ["004.mkv", "004_part2.mkv", "004_part3.mkv"])

    def test_a_length_is_kept_to_the_frame(self):
        recipe = Recipe(effort="ultrafast", rate=ConstantQuality(quality=4), part_minutes=1)
        slow = Mode.parse("128x72p10")
        setup = of(feed_input("garden.mp4"), mode=slow, recipe=recipe)
        take = record(
            setup, opener(mode=slow, hz=440, grey=lambda number: 16 + number * 7 % 200), self.shelf,
            rig_name="moss", rolled_s=[(0, 61)],
        )  # fmt: skip
        self.assertEqual([part.first_tick for part in take.parts], [0, 600])
        shown = [round(luma) for part in take.parts for luma in lumas(part.path)]
        self.assertEqual(shown, [16 + number * 7 % 200 for number in range(61 * 10)])

    def test_pictures_that_keep_their_times_and_takes_without_sound(self):
        take = self.roll([(0, 3)], [(1, lambda source: source.call(source.split))], as_it_comes=True)
        self.assertEqual([stamp for part in take.parts for stamp in self.stamps(part.path)], list(range(90)))
        self.assertEqual([probe(part.path).video.start_s for part in take.parts], [0, 0])

    def test_a_part_that_cannot_be_opened_ends_the_take_with_what_was_written(self):
        error, made = MediaError(Path("a.mkv"), "could not be opened (planted)"), PartWriter.__init__

        def fails(self, path, plan):
            if "_part2" in path.name:
                raise error
            made(self, path, plan)

        with patch.object(PartWriter, "__init__", fails), self.assertRaises(MediaError) as raised:
            self.roll([(0, 2)], [(1, lambda source: source.call(source.split))])
        self.assertIs(raised.exception, error)
        self.assertEqual(list(self.shelf.root.iterdir()), [])


class CountTests(unittest.TestCase):
    def test_what_is_known_late_goes_to_the_part_that_it_is_of(self):
        tally = Tally()
        for tick in range(100):
            if tick == 60:
                tally.begin_part(60)
            tally.take(tick)
        tally.repeat(range(50, 70))
        tally.lose(range(55, 65), LossCause.NO_SIGNAL, were_repeated=True)
        tally.lose(range(65, 66), LossCause.ENCODER)
        tally.drop(10)
        beyond = Missing(first_tick=130, lost=87)  # read in its own time, a second after the last tick
        inputs = [
            InputCounts(
                name="a",
                pictures=(Missing(first_tick=59, lost=4), beyond),
                sound=(Missing(first_tick=30, lost=2000), beyond),
            )
        ]
        first, second = (tally.part(number, inputs, Fraction(30)) for number in (1, 2))
        self.assertEqual((first.ticks, first.lost_before, first.repeated, first.dropped), (60, 5, 5, 1))
        self.assertEqual((second.ticks, second.lost_before, second.lost_encoder, second.repeated), (40, 5, 1, 5))
        self.assertEqual(second.stretches[0], Stretch(first_tick=0, ticks=5, cause=LossCause.NO_SIGNAL))
        self.assertEqual((first.inputs[0].pictures, second.inputs[0].pictures), ((Missing(first_tick=59, lost=4),), ()))
        self.assertEqual(first.inputs[0].sound, (Missing(first_tick=30, lost=1000),))
        self.assertEqual(second.inputs[0].sound, (Missing(first_tick=0, lost=1000),))
        (all_of,) = inputs_within(inputs, 0, 100, Fraction(30))
        self.assertEqual((all_of.pictures, all_of.sound), (inputs[0].pictures[:1], inputs[0].sound[:1]))
        whole = tally.counts
        self.assertEqual((whole.ticks, whole.lost_before, whole.repeated), (100, 10, 10))
