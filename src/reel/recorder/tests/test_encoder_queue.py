"""The bounded queue: what it takes, what it loses, how it ends."""

import threading
import unittest
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from reel.core.file import FilePlan, Recipe, VideoCodec
from reel.core.line import file_plan
from reel.core.line.tests.rigs import feed
from reel.core.measure import LossCause
from reel.core.media import MediaError
from reel.core.signal import NS, Mode, Picture
from reel.recorder.recording.encoder_queue import MIN_QUEUED, QUEUE_BYTES, EncoderQueue, queue_limit
from reel.recorder.recording.mixing import TrackMixer
from reel.recorder.recording.parts import Parts
from reel.recorder.recording.session import RecordingSession, SessionState


class SlowWriter:
    """Writes one picture for each release."""

    disk_s = 0.0

    def __init__(self, fails_at=None):
        self.written, self.closed, self.fails_at = [], False, fails_at
        self.begun, self.turns = threading.Semaphore(0), threading.Semaphore(0)

    def __enter__(self):
        return self

    def __exit__(self, *error):
        self.closed = True

    def write_picture(self, frame, tick):
        self.begun.release()
        self.turns.acquire()
        if tick == self.fails_at:
            raise MediaError(Path("a.mkv"), "could not be written (No space left on device)")
        self.written.append(tick)

    def write_samples(self, track, data):
        pass


def frame():
    return av.VideoFrame.from_ndarray(np.zeros((24, 16), dtype=np.uint8), format="yuv420p")


def silent_roll(queue):
    """A roll at 30 pictures a second, without sound."""
    setup = feed("garden.mp4")
    plan = file_plan(setup, frozenset())
    parts = Parts(queue, plan)
    return RecordingSession(parts, plan, TrackMixer(parts, setup, plan, {}))


class LimitTests(unittest.TestCase):
    def test_a_queue_is_bounded_by_seconds_and_by_memory(self):
        for mode, pixels_bytes, most in (
            ("640x360p30", 1.5, 300), ("1280x720p30", 1.5, 185), ("1920x1080p60", 1.5, 82), ("3840x2160p60", 1.5, 20),
            ("320x180p5", 1.5, 50),
        ):  # fmt: skip
            plan = FilePlan(recipe=Recipe(), frame=Mode.parse(mode))
            self.assertEqual(queue_limit(plan), most, mode)
            self.assertLessEqual(most * plan.frame.width_px * plan.frame.height_px * pixels_bytes, QUEUE_BYTES)
        deep = FilePlan(recipe=Recipe(codec=VideoCodec.HEVC, bits=10), frame=Mode.parse("1920x1080p60"))
        self.assertEqual(queue_limit(deep), 41, "16 bits a sample")
        self.assertEqual(queue_limit(deep, 1), MIN_QUEUED)


class QueueTests(unittest.TestCase):
    def start(self, limit=4, **settings):
        self.writer, self.ended_with = SlowWriter(**settings), []
        queue = EncoderQueue(self.writer, closed=self.ended_with.append, limit=limit)
        queue.start()
        self.addCleanup(queue._thread.join, 5)
        return queue

    def test_overload_is_counted_exactly_and_never_waited_for(self):
        queue = self.start()
        roll = silent_roll(queue)
        for number in range(50):
            roll.take_picture(
                Picture(at_ns=number * NS // 30, sequence=number, frame=frame()), lambda at_ns: frame(), Fraction(1, 30)
            )
        roll.cut(49 * NS // 30)
        self.writer.turns.release(100)
        self.assertTrue(queue.ended.wait(5))
        self.assertIs(roll.state, SessionState.ENDED)
        self.assertEqual(self.ended_with, [None])
        self.assertGreater(roll.counts.lost_encoder, 40)
        self.assertEqual(len(self.writer.written) + roll.counts.lost_encoder, roll.counts.ticks)
        self.assertEqual(self.writer.written[0], 0, "what was queued first is written")

    def test_as_many_pictures_wait_as_the_limit_says_and_no_more(self):
        queue = self.start(limit=4)
        self.assertTrue(queue.offer_picture(frame(), 0))
        self.assertTrue(self.writer.begun.acquire(timeout=60), "it is being written")
        self.assertEqual([queue.offer_picture(frame(), tick) for tick in range(1, 7)], [True] * 4 + [False] * 2)
        queue.finish()
        self.writer.turns.release(10)
        self.assertTrue(queue.ended.wait(60))
        self.assertEqual(self.writer.written, [0, 1, 2, 3, 4])

    def test_a_write_error_ends_the_queue_and_keeps_what_was_written(self):
        queue = self.start(fails_at=2)
        for tick in range(4):
            self.assertTrue(queue.offer_picture(frame(), tick))
        self.writer.turns.release(10)
        self.assertTrue(queue.ended.wait(5))
        self.assertEqual((self.writer.written, self.writer.closed), ([0, 1], True))
        self.assertIn("No space left", str(self.ended_with[0]))
        self.assertFalse(queue.offer_picture(frame(), 5), "nothing is taken after the end")

    def test_gaps_in_the_source_are_counted(self):
        queue = self.start(limit=20)
        roll = silent_roll(queue)
        for number in (0, 1, 5, 6):
            roll.take_picture(
                Picture(at_ns=number * NS // 30, sequence=number, frame=frame()), lambda at_ns: frame(), Fraction(1, 30)
            )
        roll.cut(7 * NS // 30)
        self.writer.turns.release(20)
        self.assertTrue(queue.ended.wait(5))
        self.assertEqual((roll.counts.lost_before, roll.counts.repeated), (3, 0))

    def test_an_input_that_is_back_numbers_its_pictures_anew(self):
        """For a second nothing came, and the next picture has another count: that second is missing, and no more."""
        queue = self.start(limit=60)
        roll = silent_roll(queue)
        for number, sequence in ((0, 3), (30, 500), (31, 501)):
            roll.take_picture(
                Picture(at_ns=number * NS // 30, sequence=sequence, frame=frame()),
                lambda at_ns: frame(),
                Fraction(1, 30),
            )
            if not number:
                roll.lose_signal(0)
        roll.cut(32 * NS // 30)
        self.writer.turns.release(60)
        self.assertTrue(queue.ended.wait(60))
        self.assertEqual((roll.counts.lost_before, roll.counts.ticks), (29, 32))
        self.assertEqual({one.cause for one in roll.counts.stretches}, {LossCause.NO_SIGNAL})

    def test_pictures_that_are_promised_are_taken_though_some_are_written_before_the_others_come(self):
        queue = self.start()
        queue.allow_more(20)
        taken = [queue.offer_picture(frame(), tick) for tick in range(3)]
        self.writer.turns.release(3)
        with queue._change:
            self.assertTrue(queue._change.wait_for(lambda: len(self.writer.written) == 3, 60))
        taken += [queue.offer_picture(frame(), tick) for tick in range(3, 20)]
        self.assertEqual(taken, [True] * 20)
        self.writer.turns.release(30)
        with queue._change:
            self.assertTrue(queue._change.wait_for(lambda: len(self.writer.written) == 20, 60))
        taken = [queue.offer_picture(frame(), tick) for tick in range(20, 60)]
        self.assertTrue(taken[0], "it goes on")
        queue.finish()
        self.writer.turns.release(60)
        self.assertTrue(queue.ended.wait(60))
        self.assertEqual(queue.limit, queue.base_limit)
