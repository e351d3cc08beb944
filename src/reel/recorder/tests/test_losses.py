"""What is not continuous: holds, waits, ends, stalls and changes of mode, in deinterlaced takes and in whole ones."""

import tempfile
import unittest
from dataclasses import replace
from fractions import Fraction
from functools import partial
from pathlib import Path

import av

from reel.core.file import ConstantQuality, Recipe
from reel.core.line import ArrivalSetup, Console, Deck, Deinterlace, file_plan
from reel.core.line.tests.rigs import rig
from reel.core.measure import LossCause, prove
from reel.core.media import PartWriter, Shelf, probe
from reel.core.signal import NS, InputError, Mode
from reel.recorder.clock import VirtualClock
from reel.recorder.recording.encoder_queue import EncoderQueue
from reel.recorder.recording.parts import Parts
from reel.recorder.rig.source import Source
from reel.recorder.virtual import record
from reel.standins import Scenario, assemble, read_stamp

PLAIN = Scenario()
PAL = Deck(mode=Mode.parse("720x576i25"))
CONSOLE = Console(mode=Mode.parse("1280x720p30"))
SMALL, QUICK = Mode.parse("640x360p30"), Recipe(effort="ultrafast")
# square pixels, so that each line of a field is found again where it was
BY_FIELD = ArrivalSetup(deinterlace=Deinterlace.FIELD, shape=Fraction(5, 4))


def deck_setup(recorded="720x576p50", arrival=BY_FIELD, **device):
    recipe = Recipe(effort="ultrafast", rate=ConstantQuality(quality=8))
    return rig(replace(PAL, **device), mode=Mode.parse(recorded), recipe=recipe, arrival=arrival)


class Troubled:
    """An input that fails, or whose reader is kept busy, at given moments."""

    def __init__(self, inner, clock, *, fails=(), busy=()):
        self.inner, self.clock, self.fails, self.busy = inner, clock, list(fails), list(busy)

    signal = property(lambda self: self.inner.signal)
    sound = property(lambda self: self.inner.sound)
    is_connecting = False
    event = sent = None

    def due_ns(self):
        return self.inner.due_ns()

    def read(self, now_ns):
        if self.fails and now_ns >= self.fails[0] * NS:
            self.fails.pop(0)
            raise InputError("The cable", "was pulled")
        if self.busy and now_ns >= self.busy[0][0] * NS:
            self.clock._now_ns += round(self.busy.pop(0)[1] * NS)
        return self.inner.read(now_ns)

    def close(self):
        self.inner.close()


class LossTests(unittest.TestCase):
    def setUp(self):
        folder = tempfile.TemporaryDirectory()
        self.addCleanup(folder.cleanup)
        self.shelf = Shelf(Path(folder.name))
        self.clock = VirtualClock()

    def record(self, setup, rolled_s, open_=None, scenario=PLAIN):
        self.setup_ = setup
        open_ = open_ or (lambda start_ns: assemble(setup.picture, scenario, start_ns=start_ns))
        return record(setup, open_, self.shelf, rig_name="test", rolled_s=rolled_s, clock=self.clock)

    def stamps(self, path, lines=None):
        height = lines or self.setup_.frame.mode.height_px
        with av.open(str(path)) as container:
            return [read_stamp(frame.to_ndarray()[:height]) for frame in container.decode(video=0)]

    def assert_whole(self, take, frames):
        self.assertEqual((take.counts.ticks, take.counts.lost, take.counts.repeated), (frames, 0, 0), take.counts)
        facts = probe(take.path)
        proof = prove(file_plan(self.setup_), facts=facts, counts=take.counts)
        self.assertEqual([line for line in proof.differing if "bitrate" not in line.label], [])
        self.assertEqual(facts.video.frames, frames)
        self.assertLess(abs(facts.sound[0].length_s - facts.video.length_s), Fraction(1, 20))

    def order(self, path):
        """The stamp of each picture, read on the lines of its own field, upper and lower in turn."""
        height, found = self.setup_.frame.mode.height_px, []
        with av.open(str(path)) as container:
            for frame in container.decode(video=0):
                luma = frame.to_ndarray()[:height]
                stamps = [read_stamp(luma[place::2]) for place in (0, 1)]
                found.append(next((s for place, s in enumerate(stamps) if s is not None and s % 2 == place), stamps[0]))
        self.assertEqual(found, sorted(found))
        return found

    def test_a_hold_in_a_deinterlaced_take_leaves_out_exactly_what_was_held(self):
        for deinterlace, rate in ((Deinterlace.FIELD, 50), (Deinterlace.PAIR, 25)):
            setup = deck_setup(f"720x576p{rate}", replace(BY_FIELD, deinterlace=deinterlace))
            with self.subTest(deinterlace):
                self.clock = VirtualClock()
                take = self.record(setup, [(0, 1), (5, 6)])
                self.assert_whole(take, 2 * rate)
                step = 50 // rate
                self.assertEqual(self.order(take.path), [*range(0, 50, step), *range(250, 300, step)])

    def test_a_rig_that_was_watched_now_and_then_or_not_at_all_begins_with_new_pictures(self):
        for watched in (False, True):
            with self.subTest(watched=watched):
                clock, shown, turn = VirtualClock(), [], iter(range(10**6))
                setup = self.setup_ = deck_setup()
                source = Source(
                    setup, [lambda start_ns, setup=setup: assemble(setup.picture, Scenario(), start_ns=start_ns)],
                    clock,
                    watched=lambda: watched, wanted=lambda: watched and next(turn) % 3 == 0, show=shown.append,  # noqa: B023
                )  # fmt: skip
                source.run_until(4 * NS)
                path = self.shelf.root / f"{watched}.mkv"
                queue = EncoderQueue(PartWriter(path, source.plan()), closed=lambda error: None, limit=60)
                release = clock.settle_with(partial(queue.settle, 30))
                queue.start()
                roll = source.make_session(Parts(queue, source.plan()))
                source.begin(roll)
                source.run_until(5 * NS)
                source.cut(clock.now_ns())
                source.run_until(6 * NS)
                release()
                source.close()
                queue.ended.wait(10)
                self.assertEqual((roll.counts.lost, roll.counts.repeated), (0, 0))
                self.assertAlmostEqual(probe(path).video.frames, 50, delta=1)
                shown = self.order(path)
                self.assertEqual(shown, list(range(shown[0], shown[0] + len(shown))))
                self.assertIn(shown[0], (200, 202), "nothing from before the roll")

    def test_a_tape_that_ends_is_lost_from_there_on_and_not_before(self):
        take = self.record(deck_setup(), [(0, 3)], scenario=Scenario(tape_s=2))
        self.assertEqual((take.counts.ticks, take.counts.lost_before), (150, 50))
        (stretch,) = take.counts.stretches
        self.assertEqual((stretch.first_tick, stretch.ticks, stretch.cause), (100, 50, LossCause.NO_SIGNAL))
        line = prove(file_plan(self.setup_), facts=probe(take.path), counts=take.counts).differing[0]
        self.assertEqual((line.label, line.got), ("Lost frames", "50"))
        self.assertIn("while no picture came: the one before stands in the file (at 00:00:02:00)", line.cause)

    def test_a_reader_that_stalls_loses_nothing_that_waits_for_it(self):
        for setup, frames in (
            (rig(CONSOLE, mode=SMALL, recipe=QUICK), 60),
            (deck_setup(), 100),
        ):
            with self.subTest(setup.picture.device.kind):
                self.clock = VirtualClock()

                def open_(start_ns, setup=setup):
                    inner = assemble(setup.picture, Scenario(), start_ns=start_ns)
                    return Troubled(inner, self.clock, busy=[(0.7, 0.2)])

                self.assert_whole(self.record(setup, [(0, 2)], open_), frames)

    def test_what_the_driver_overwrote_meanwhile_is_counted_with_its_place(self):
        setup = rig(CONSOLE, mode=SMALL, recipe=QUICK)

        def open_(start_ns):
            return Troubled(assemble(setup.picture, Scenario(), start_ns=start_ns), self.clock, busy=[(1, 0.8)])

        take = self.record(setup, [(0, 3)], open_)
        shown = self.stamps(take.path)
        self.assertEqual((len(shown), take.counts.repeated), (90, 0))
        self.assertEqual(take.counts.lost, 90 - len(set(shown)), "each lost frame holds the one before")
        self.assertGreater(take.counts.lost, 10)
        self.assertEqual({stretch.cause for stretch in take.counts.stretches}, {LossCause.SKIPPED})
        first = take.counts.stretches[0].first_tick
        self.assertEqual((shown[first - 1], shown[first]), (first - 1, first - 1))

    def test_a_picture_that_stands_in_for_a_skipped_one_is_counted(self):
        """60 to 30: the ticks whose own picture was skipped are named, those that drop the skipped one are not."""

        class Skipping(Troubled):
            def read(self, now_ns):
                arrived = self.inner.read(now_ns)
                return None if getattr(arrived, "sequence", None) in (20, 31, 40) else arrived

        setup = rig(replace(CONSOLE, mode=Mode.parse("1280x720p60")), mode=SMALL, recipe=QUICK)
        take = self.record(
            setup, [(0, 1)], lambda start_ns: Skipping(assemble(setup.picture, Scenario(), start_ns=start_ns), None)
        )
        stamps = self.stamps(take.path)
        uneven = [tick for tick, stamp in enumerate(stamps) if stamp != stamps[0] + 2 * tick]
        self.assertEqual(len(uneven), 2, stamps)
        self.assertEqual([(s.first_tick, s.ticks, s.cause) for s in take.counts.stretches],
                         [(tick, 1, LossCause.SKIPPED) for tick in uneven])  # fmt: skip

    def test_a_signal_that_goes_away_is_lost_for_as_long_as_it_is_gone(self):
        setup = rig(CONSOLE, mode=SMALL, recipe=QUICK)
        opened = []

        def open_(start_ns):
            opened.append(start_ns)
            return Troubled(
                assemble(setup.picture, Scenario(), start_ns=start_ns),
                self.clock,
                fails=[1.5] if len(opened) == 1 else [],
            )

        take = self.record(setup, [(0, 4)], open_)
        self.assertEqual(len(opened), 2)
        shown = self.stamps(take.path)
        held = sum(a == b for a, b in zip(shown, shown[1:], strict=False))
        self.assertEqual((take.counts.ticks, take.counts.lost_before, take.counts.repeated), (120, held, 0))
        self.assertAlmostEqual(held, 30, delta=2)
        self.assertEqual([stretch.cause for stretch in take.counts.stretches], [LossCause.NO_SIGNAL])

    def test_a_higher_file_rate_repeats_and_loses_nothing(self):
        for sent, recorded in (
            ("1920x1080p24", "640x360p30"),
            ("1280x720p50", "640x360p60"),
            ("1280x720p30", "640x360p60"),
        ):
            setup = rig(replace(CONSOLE, mode=Mode.parse(sent)), mode=Mode.parse(recorded), recipe=QUICK)
            with self.subTest(sent, recorded=recorded):
                self.clock = VirtualClock()
                fast = Scenario(drift_ppm=60)
                take = self.record(
                    setup, [(0, 2)], lambda start_ns, s=setup, p=fast: assemble(s.picture, p, start_ns=start_ns)
                )
                self.assertEqual(take.counts.lost, 0)
                expected = float(setup.frame.mode.rate - setup.picture.device.mode.rate) * 2
                self.assertAlmostEqual(take.counts.repeated, expected, delta=2)

    def test_a_change_of_mode_in_the_middle_begins_the_filter_anew(self):
        """A tape changes from PAL to NTSC and back: only what was on its way is lost, and nothing is repeated."""

        class Changing(Troubled):
            def __init__(self, clock, start_ns):
                self.clock, self.start_ns, self.fails, self.busy = clock, start_ns, [], []
                self.modes = iter(["720x576i25", "720x480i30000/1001", "720x576i25", "720x576i25", "720x576i25"])
                self.turn()

            def turn(self):
                deck = rig(replace(PAL, mode=Mode.parse(next(self.modes))))
                self.inner = assemble(deck.picture, Scenario(), start_ns=self.start_ns + self.clock.now_ns())
                self.until_ns = self.clock.now_ns() + NS

            def read(self, now_ns):
                if now_ns >= self.until_ns:
                    self.turn()
                    return None
                return self.inner.read(now_ns)

        take = self.record(deck_setup(), [(0, 2.9)], lambda start_ns: Changing(self.clock, start_ns))
        self.assertAlmostEqual(take.counts.ticks, 145, delta=1)
        self.assertEqual(take.counts.repeated, 0)
        self.assertLessEqual(take.counts.lost, 6, "a change costs the pictures that were on their way")
        self.assertGreater(take.counts.dropped, 4, "59.94 fields a second do not all fit into 50")
