"""What a person is told of a file along its time: what is wrong first, with its cause where that was counted."""

import unittest
from fractions import Fraction

from hypothesis import given
from hypothesis import strategies as st

from reel.core.measure import Counts, LossCause, Placed, Stretch, TrackCounts
from reel.core.measure.in_time import (
    Event,
    PictureInTime,
    SoundInTime,
    Span,
    TakeInTime,
    at_label,
    drawn_per_s,
    found_in,
    losses,
)

STEP_MS = 250


def picture(*, new=None, seconds=20, rate=60, **more):
    each = [new if new is not None else rate] * seconds
    spread = bytes(number // 4 + (place < number % 4) for number in each for place in range(4))
    return PictureInTime(rates=bytes(seconds * 4), new=spread, rate=Fraction(rate), **more)


def track(title, **more):
    return SoundInTime(title=title, levels=bytes(80), peaks=bytes(80), **more)


def told(shown, *tracks, counts=None):
    whole = TakeInTime(step_ms=STEP_MS, length_ms=20_000, picture=shown, tracks=tracks)
    return [f"{one.lead}{one.more}" for one in found_in(whole, counts or Counts())]


class FoundTests(unittest.TestCase):
    def test_losses_are_told_with_their_cause_where_it_was_counted(self):
        stretches = (
            Stretch(first_tick=60, ticks=2, cause=LossCause.SKIPPED),
            Stretch(first_tick=600, ticks=6, cause=LossCause.ENCODER),
            Stretch(first_tick=610, ticks=5, cause=LossCause.ENCODER),
        )
        counts = Counts(lost_before=2, lost_encoder=11, stretches=stretches)
        # the encoder's ticks are empty in the file as well, and are no other losses
        empty = (Event(at_ms=10_000, number=6), Event(at_ms=10_167, number=5))
        self.assertEqual(
            told(picture(lost=empty), counts=counts),
            ["13 frames lost, 11 of them at 0:10 while the encoder fell behind."],
        )
        self.assertEqual(told(picture(lost=(Event(at_ms=5000, number=1),))), ["1 frame lost at 0:05."])
        both = losses(picture(lost=(Event(at_ms=5000, number=1), *empty)), counts)
        self.assertEqual([cause for _, cause in both], [LossCause.SKIPPED, None, LossCause.ENCODER, LossCause.ENCODER])

    def test_more_losses_may_be_counted_than_have_their_place_kept(self):
        counts = Counts(lost_encoder=900, stretches=(Stretch(first_tick=0, ticks=300, cause=LossCause.ENCODER),))
        self.assertEqual(told(picture(), counts=counts), ["900 frames lost at 0:00 while the encoder fell behind."])

    def test_what_is_wrong_comes_before_what_is_only_said(self):
        shown = picture(black=(Span(begin_ms=3000, end_ms=5000),), doubled=(Event(at_ms=7000, number=1),))
        loud = track("voice", clipped=(Event(at_ms=3100, number=40), Event(at_ms=9100, number=12)))
        silent = track("visitors", silent=(Span(begin_ms=0, end_ms=20_000),))
        self.assertEqual(
            told(shown, track("game"), loud, silent),
            [
                "voice clipped 2 times, the first time at 0:03.",
                "1 picture stands twice, the first at 0:07.",
                "visitors is silent from beginning to end.",
                "Black from 0:03 to 0:05.",
            ],
        )

    def test_what_the_recorder_bounded_is_told_though_the_file_rounds_its_tops(self):
        bounded = (
            Placed(first_tick=240, number=900),  # the file shows this one
            Placed(first_tick=480, number=500),
            Placed(first_tick=700, number=1),  # one sample is nothing that anybody hears
        )
        counts = Counts(tracks=(TrackCounts(), TrackCounts(clipped=bounded)))
        for shown, first in ((picture(), "0:04"), (None, "0:00")):  # ticks are milliseconds where there is no rate
            loud = track("voice", clipped=(Event(at_ms=4300, number=12),) if shown else ())
            said = told(shown, track("game"), loud, counts=counts)
            self.assertEqual(said, [f"voice clipped 2 times, the first time at {first}."])

    def test_a_source_that_draws_fewer_is_told_from_one_that_hardly_moves(self):
        self.assertEqual(
            told(picture(new=30)),
            [
                "The source draws 30 pictures a second: in a file of 60 the others repeat. "
                "A rate of 30 would hold as much."
            ],
        )
        for new in (60, 55, 45, 1, 0, 4):  # all of them, nearly all, too near; a clock, nothing, a cursor
            self.assertEqual(told(picture(new=new)), [], new)
        uneven = PictureInTime(rates=bytes(80), new=bytes([2, 12, 5, 9] * 20), rate=Fraction(60))
        self.assertEqual(drawn_per_s(uneven, STEP_MS), Fraction(28))
        wild = bytes(value for second in range(20) for value in ([3] * 4 if second % 2 else [12] * 4))
        self.assertIsNone(drawn_per_s(PictureInTime(rates=bytes(80), new=wild, rate=Fraction(60)), STEP_MS))

    def test_short_still_parts_are_drawn_and_not_told(self):
        short = tuple(Span(begin_ms=at, end_ms=at + 2000) for at in (0, 5000))
        self.assertEqual(told(picture(still=short)), [])
        long = (*short, Span(begin_ms=8000, end_ms=14_000))
        self.assertEqual(told(picture(still=long)), ["Still from 0:08 to 0:14."])
        self.assertEqual(
            told(None, track("", silent=(Span(begin_ms=0, end_ms=20_000),))),
            ["The sound is silent from beginning to end."],
        )

    @given(st.integers(0, 13 * 3600 * 1000))
    def test_a_moment_is_read_as_it_is_written(self, at_ms):
        parts = [int(part) for part in at_label(at_ms).split(":")]
        seconds = sum(part * 60**place for place, part in enumerate(reversed(parts)))
        self.assertEqual(seconds, at_ms // 1000)
        self.assertTrue(all(part < 60 for part in parts[1:]))
