"""What comes before a roll and what ends it: on the virtual clock to the frame, and live over the sockets."""

import tempfile
import threading
import unittest
from dataclasses import replace
from fractions import Fraction
from pathlib import Path
from types import SimpleNamespace
from unittest.mock import patch

import av
import numpy as np

from reel.core.errors import BadValueError
from reel.core.file import ConstantQuality, Container, Draft, Recipe, VideoCodec, resolve
from reel.core.frame import Arrangement, FrameSetup, Piece
from reel.core.line import DeviceKind, propose
from reel.core.line.tests.rigs import feed_input, of
from reel.core.measure import prove
from reel.core.media import PartWriter, Shelf, probe
from reel.core.roll import CutBy, MarkKind, RollSetup
from reel.core.signal import NS, Mode, Picture, Segment
from reel.core.sound import SoundSetup
from reel.recorder.clock import VirtualClock
from reel.recorder.messages import Ask, Behind, Cut, RefusedError, StartRoll
from reel.recorder.recording.encoder_queue import EncoderQueue
from reel.recorder.recording.parts import Parts
from reel.recorder.rig import open_inputs, prerecord
from reel.recorder.rig.insets import Inset
from reel.recorder.rig.prerecord import PreRecordBuffer, frame_bytes
from reel.recorder.rig.source import Source
from reel.recorder.tests.reading import SMALL, decoded, lumas
from reel.recorder.tests.serving import LIGHT, ServerTestCase, to_roll
from reel.recorder.tests.test_faults import planted
from reel.recorder.virtual import record
from reel.standins import Fault, Scenario
from reel.standins.plain import opener

EXACT = Recipe(effort="ultrafast", rate=ConstantQuality(quality=4))
# Without loss a part is full within seconds.
WHOLE = resolve(Draft(container=Container.MKV, codec=VideoCodec.FFV1))


def shade(number):
    return 16 + number * 7 % 200


class VirtualRollTests(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.shelf = Shelf(Path(folder.name))

    def roll(self, rolled_s, does_s=(), roll=None, **plain):
        self.setup_ = of(feed_input("garden.mp4"), mode=SMALL, recipe=EXACT, roll=roll or RollSetup())
        return record(
            self.setup_, opener(mode=SMALL, hz=440, grey=shade, **plain), self.shelf, rig_name="moss",
            rolled_s=rolled_s, does_s=does_s,
        )  # fmt: skip

    def assert_shows(self, take, numbers):
        self.assertEqual([round(luma) for luma in lumas(take.path)], [shade(number) for number in numbers])
        self.assertEqual(prove(take.plan, facts=probe(take.path), counts=take.counts).differing, ())

    def test_it_ends_after_its_length_to_the_frame_with_all_of_its_sound(self):
        take = self.roll([(1, 9)], [(1.5, lambda source: source._session.end_after(50))])
        self.assert_shows(take, range(24, 74))
        self.assertEqual((take.counts.ticks, probe(take.path).sound[0].length_s > 2), (50, True))

    def test_it_ends_after_its_length_while_nothing_comes(self):
        take = self.roll([(1, 9)], [(1.5, lambda source: source._session.end_after(72))], fails_s=(2, 20))
        self.assertEqual((take.counts.ticks, take.counts.lost_before), (72, 48))
        self.assertEqual(probe(take.path).video.frames, 72)

    def test_a_countdown_is_not_in_the_file(self):
        begin = Source.begin

        def counted(source, roll, **more):
            roll.begin_at(source._clock.now_ns() + 2 * 10**9, together=False)
            begin(source, roll, **more)

        Source.begin = counted
        try:
            take = self.roll([(1, 5)])
        finally:
            Source.begin = begin
        self.assert_shows(take, range(72, 120))

    def reaching(self, length_ticks=None):
        """Press at 6 s with 3 s kept, and cut at 9 s or after a length."""
        begin = Source.begin

        def pressed(source, roll):
            if length_ticks:
                roll.end_after(length_ticks)
            begin(source, roll, with_pre_record=True)

        with patch.object(Source, "begin", pressed):
            return self.roll([(6, 9)], roll=RollSetup(reach_back_s=3), pulses=(4, 7))

    def test_a_length_counts_from_the_press_on(self):
        take = self.reaching(length_ticks=2 * 24)
        self.assert_shows(take, range(3 * 24, 8 * 24))

    def test_what_is_kept_before_the_press_is_the_frame_alone_and_a_sample_takes_nothing_of_it(self):
        """The picture that came may be larger than the frame, and is not needed any more."""
        small = FrameSetup(mode=SMALL)
        setup = of(feed_input("garden.mp4"), frame=small, recipe=EXACT, roll=RollSetup(reach_back_s=3))
        source = Source(setup, [opener(mode=Mode.parse("128x128p24"))], clock := VirtualClock())
        source.run_until(4 * NS)
        queue = EncoderQueue(
            PartWriter(self.shelf.root / "sample.mkv", source.plan()), closed=lambda error: None, limit=60
        )
        queue.start()
        source.begin(source.make_session(Parts(queue, source.plan()), is_sample=True))
        source.run_until(5 * NS)
        source.cut(clock.now_ns())
        source.run_until(6 * NS)
        kept = list(source.pre_record._kept)
        self.assertEqual([one.picture.sequence for one in kept], list(range(73, 145)))
        self.assertEqual({(one.picture.frame.width, one.picture.frame.height) for one in kept}, {(64, 64)})
        source.close()
        queue.ended.wait(20)

    def test_what_is_kept_before_the_press_is_bounded_in_memory(self):
        kept, frame = PreRecordBuffer(10), av.VideoFrame(64, 64, "yuv420p")
        with patch.object(prerecord, "MAX_BYTES", 5 * frame_bytes(frame)):
            for number in range(20):
                picture = Picture(at_ns=number * NS // 30, sequence=number, frame=frame)
                kept.keep(picture, frame, Fraction(1, 30))
        self.assertEqual([one.picture.sequence for one in kept.take()], [15, 16, 17, 18, 19])

    def test_an_inset_keeps_no_more_than_its_share_of_memory(self):
        inset = Inset()
        for number in range(60):
            frame = av.VideoFrame(3840, 2160, "yuv420p")
            inset.feed(
                Picture(at_ns=number * NS // 60, sequence=number, frame=frame), Fraction(1), Fraction(1, 60), None
            )
        self.assertLess(sum(frame_bytes(frame) for _, (frame, _) in inset._pictures), 100_000_000)
        self.assertIs(inset.newest(NS)[0], frame)

    def test_what_an_inset_loses_is_counted_within_the_take_alone(self):
        """`fed` are the instants and numbers of its pictures, 30 a second; the take rolls from 10 s to 20 s."""
        place = Segment(start_ns=10 * NS, first_tick=0), Fraction(25)
        steady = [(second / 30, second) for second in range(9 * 30, 20 * 30)]
        for fed, lost in (
            (steady, []),
            ([one for one in steady if one[1] != 450], [1]),
            ([one for one in steady if one[0] < 10 or one[0] > 10.3], []),  # after a pause it counts anew
            ([one for one in steady if one[0] >= 12], [59]),
            ([one for one in steady if one[0] < 9.5], [299]),
            ([], [249]),  # it never came: a picture each tick
        ):
            with self.subTest(pictures=len(fed)):
                inset = Inset()
                for second, number in fed:
                    picture = Picture(at_ns=round(second * NS), sequence=number, frame=av.VideoFrame(32, 32, "yuv420p"))
                    inset.feed(picture, Fraction(1), Fraction(1, 30), place if second >= 10 else None)
                self.assertEqual([one.lost for one in inset.lost(20 * NS, place)], lost)
        inset.begin(19 * NS)
        lost = inset.lost(20 * NS, place)
        self.assertEqual([one.lost for one in lost], [24], "what was kept before the press is not counted")

    def test_switching_while_the_first_input_is_gone_is_in_the_file(self):
        grounds = tuple(
            Arrangement(name=name, pieces=pieces)
            for name, pieces in (("whole", (Piece(),)), ("faint", (Piece(opacity=0),)))
        )
        setup = of(feed_input("garden.mp4"), frame=FrameSetup(mode=SMALL, arrangements=grounds), recipe=EXACT)
        take = record(
            setup, opener(mode=SMALL, grey=lambda number: 120, fails_s=(1, 9)), self.shelf, rig_name="moss",
            rolled_s=[(0, 4)], does_s=[(2, lambda source: source.arrange(1)), (3, lambda source: source.arrange(0))],
        )  # fmt: skip
        found = [round(luma) for luma in lumas(take.path)]
        self.assertEqual([found[place] for place in (10, 40, 60, 90)], [120, 120, 16, 120])

    def test_what_was_before_the_press_begins_the_take_in_picture_and_sound(self):
        take = self.reaching()
        facts = probe(take.path)
        self.assertEqual(facts.video.frames, 6 * 24)
        self.assert_shows(take, range(3 * 24, 9 * 24))
        self.assertEqual(facts.sound[0].holes, ())

    def test_what_was_refused_for_coming_too_late_is_not_done_afterwards(self):
        def hold(source):
            now_ns = source._clock.now_ns()
            with patch.object(open_inputs, "TURN_S", 0.01), self.assertRaises(RefusedError):
                source.answer(lambda: source.pause(now_ns))

        take = self.roll([(0, 3)], [(1, hold)])
        self.assert_shows(take, range(72))
        self.assertEqual(take.marks, ())

    def test_what_is_still_being_done_is_not_said_to_be_undone(self):
        began, over = threading.Event(), threading.Event()
        self.addCleanup(over.set)

        def call(run, after_ns):
            threading.Thread(target=run).start()
            began.wait(60)

        inputs = SimpleNamespace(call=call)
        asks = patch.multiple(open_inputs, TURN_S=0.01, DOING_S=0.01)
        with asks, self.assertRaisesRegex(RefusedError, "still being done"):
            open_inputs.OpenInputs.answer(inputs, lambda: began.set() or over.wait(60))

    def test_a_time_lapse_takes_one_picture_of_so_many_and_loses_none(self):
        burnt = []
        look = [(10, lambda source: burnt.append(source._taken(source._clock.now_ns())))]
        take = self.roll([(0, 20)], look, roll=RollSetup(lapse=10))
        self.assertEqual(burnt, [1], "what a clock in the picture shows is the time of the file")
        self.assert_shows(take, range(0, 480, 10))
        self.assertEqual((take.plan.tracks, probe(take.path).length_s), ((), Fraction(2)))

    def test_a_time_lapse_of_a_frame_every_so_often_takes_it_at_its_instants(self):
        for every_s, count in ((Fraction(1, 2), 12), (Fraction(5, 3), 40)):
            with self.subTest(every_s):
                take = self.roll([(0, 20)], roll=RollSetup(every_s=every_s))
                self.assert_shows(take, range(0, 480, count))
                self.assertEqual((take.plan.tracks, take.plan.lapse, take.counts.lost), ((), count, 0))

    def test_a_signal_that_goes_and_comes_back_is_marked(self):
        take = self.roll([(0, 6)], fails_s=(2, 4))
        kinds = [(mark.kind, mark.tick // 24) for mark in take.marks if mark.kind is not MarkKind.HOLD]
        self.assertEqual([kind for kind, _ in kinds], [MarkKind.GONE, MarkKind.BACK])
        self.assertEqual(kinds[0][1], 1)
        self.assertGreater(take.counts.lost_before, 40)

    def test_sound_that_is_delayed_beyond_a_hold_is_not_in_what_follows(self):
        """A click in the last tenth of a second before the hold, which comes three tenths later."""
        late = replace(feed_input("garden.mp4"), sound=SoundSetup(delay_ms=300))
        for rolled_s, clicks in (([(0, 3.9), (5, 7)], False), ([(0, 7)], True)):
            with self.subTest(rolled_s):
                plain = opener(mode=SMALL, grey=shade, hz=440, pulses=(3.8,))
                setup = of(late, mode=SMALL, recipe=WHOLE)
                take = record(setup, plain, self.shelf, rig_name="moss", rolled_s=rolled_s)
                (samples,) = decoded(take.path).values()
                self.assertEqual(np.abs(samples).max() > 0.6, clicks)

    def test_a_signal_that_is_back_in_another_mode_begins_a_part(self):
        other = Mode.parse("128x128p24")
        take = self.roll([(0, 8)], fails_s=(2, 4), comes_back=other)
        again = self.roll([(0, 8)], fails_s=(2, 4), comes_back=SMALL)
        self.assertEqual((len(take.parts), len(again.parts)), (2, 1))
        back = next(mark.tick for mark in take.marks if mark.kind is MarkKind.BACK)
        self.assertAlmostEqual(take.parts[1].first_tick, back, delta=2)
        self.assertEqual(take.parts[1].counts.lost_before, 0)
        frames = [probe(part.path).video.frames for part in take.parts]
        self.assertEqual((sum(frames), frames[0]), (192, take.parts[1].first_tick))


class LiveRollTests(ServerTestCase):
    rolled = LIGHT

    def ended(self, take):
        self.wait_for(lambda status: not status.rolls)
        return self.journal.ends[take]

    def ruled(self, **rules):
        return replace(LIGHT, roll=RollSetup(**rules))

    def test_a_roll_that_is_called_off_while_it_counts_down_leaves_nothing(self):
        take = self.start_roll(self.ruled(countdown_s=10))
        roll = self.client.ask(Ask()).status.rolls[0]
        self.assertEqual((roll.state, roll.length_s, roll.starts_in_s > 5), ("counting", 0, True))
        self.client.ask(Cut(takes=(take,)))
        self.assertTrue(self.ended(take).is_called_off)
        self.assertEqual(list(self.folder.glob("*.m*")), [])
        take = self.start_roll(self.ruled(countdown_s=1))
        self.wait_for(lambda status: status.rolls[0].length_s > 0.3)
        self.cut()
        self.assertFalse(self.ended(take).is_called_off)

    def test_a_trial_ends_by_itself_and_is_one(self):
        (take,) = self.client.ask(StartRoll(rigs=(to_roll(LIGHT),), length_s=Fraction(2), is_trial=True)).takes
        ended = self.ended(take)
        self.assertEqual((self.journal.takes[-1].is_trial, ended.ended_by), (True, CutBy.LENGTH))
        self.assertEqual((ended.counts.ticks, ended.problem), (60, None))
        with self.assertRaises(BadValueError):
            StartRoll(rigs=(to_roll(LIGHT),), is_trial=True)

    def test_a_time_lapse_is_as_long_as_what_it_shows(self):
        take = self.start_roll(self.ruled(every_s=Fraction(1, 5), cut_after_s=3))
        ended = self.ended(take)
        self.assertEqual((ended.ended_by, ended.counts.ticks), (CutBy.LENGTH, 15))
        self.assertEqual(probe(ended.path).video.length_s, Fraction(15, 30))

    def test_what_ends_it(self):
        phone = replace(propose(DeviceKind.PHONE), frame=LIGHT.frame)
        locking = replace(phone.picture, device=replace(phone.picture.device, sleep_lock=True, sleep_s=5))
        locked = phone.with_input(0, locking)
        for setup, scenario, rules, cause in (
            (LIGHT, Scenario(fault=Fault.PULLED, from_s=3), {"gone_s": 2}, CutBy.GONE),
            (LIGHT, Scenario(), {"cut_gb": Fraction(1, 10_000)}, CutBy.SIZE),
            (locked, Scenario(), {"cut_on_event": True}, CutBy.EVENT),
            (locked, Scenario(), {"still_s": 2}, CutBy.STILL),
        ):
            with self.subTest(cause):
                take = self.start_roll(replace(setup, recipe=LIGHT.recipe, roll=RollSetup(**rules)), scenario=scenario)
                ended = self.ended(take)
                self.assertEqual((ended.ended_by, ended.problem), (cause, None))
                self.assertGreater(probe(ended.path).video.frames, 5)

    def test_parts_by_size_are_told_while_it_rolls_and_hold_all(self):
        recipe = replace(WHOLE, part_gb=Fraction(1, 100))
        take = self.start_roll(replace(LIGHT, recipe=recipe))
        self.wait_for(lambda status: status.rolls[0].part >= 3)
        self.cut()
        ended = self.ended(take)
        self.assertGreaterEqual(len(ended.parts), 3)
        self.assertEqual([part.number for _, part in self.journal.parts], list(range(2, len(ended.parts) + 1)))
        facts = [probe(part.path).video for part in ended.parts]
        self.assertEqual(sum(one.frames for one in facts) + ended.counts.lost_encoder, ended.counts.ticks)
        self.assertEqual(
            [part.first_tick for part in ended.parts][1:],
            [sum(part.counts.ticks for part in ended.parts[:place]) for place in range(1, len(ended.parts))],
        )

    def test_what_falls_behind_is_said_and_the_next_part_takes_less_work(self):
        slow, write = replace(LIGHT.recipe, effort="medium"), PartWriter.write_picture
        eased = threading.Event()

        def heavy(writer, frame, tick):
            if writer._recipe.effort != "ultrafast":
                eased.wait(0.12)
            write(writer, frame, tick)

        PartWriter.write_picture = heavy
        try:
            take = self.start_roll(replace(LIGHT, recipe=slow))
            status = self.wait_for(lambda status: status.rolls[0].behind)
            self.assertEqual((status.rolls[0].behind, status.rolls[0].lighter), (Behind.ENCODER, "fast"))
            eased.set()
            self.cut()
            self.ended(take)
            eased.clear()
            nearly = replace(LIGHT, recipe=replace(slow, effort="superfast"), roll=RollSetup(may_lighten=True))
            take = self.start_roll(nearly)
            began_s = self.wait_for(lambda status: status.rolls[0].part == 2).rolls[0].length_s
            self.wait_for(lambda status: status.rolls[0].length_s > began_s + 2)
            eased.set()
            self.cut()
            ended = self.ended(take)
        finally:
            PartWriter.write_picture = write
        self.assertIn(MarkKind.LIGHTER, [mark.kind for _, mark in self.journal.marks])
        self.assertLess(ended.parts[1].counts.lost_encoder, 40)
        self.assertGreater(probe(ended.parts[1].path).video.frames, 20)

    def test_a_part_that_cannot_be_written_ends_the_take_and_the_parts_before_are_there(self):
        recipe = replace(WHOLE, part_gb=Fraction(1, 100))
        take = self.start_roll(replace(LIGHT, recipe=recipe))
        self.wait_for(lambda status: status.rolls[0].length_s > 0.3)
        with planted(PartWriter, "__init__", OSError(5, "Input/output error")):
            ended = self.ended(take)
        self.assertIn("Input/output error", ended.problem)
        self.assertEqual((len(ended.parts), ended.ended_by), (1 + len(self.journal.parts), CutBy.TROUBLE))
        self.assertGreater(probe(ended.path).video.frames, 10)
        self.assertEqual(list(self.folder.glob("*.rolling.*")), [])
