"""The drawing of a take: everything lies within it, labels do not touch, windows stay inside the take."""

import unittest
from fractions import Fraction
from itertools import pairwise

from hypothesis import given, settings
from hypothesis import strategies as st

from reel.core.measure import Counts
from reel.core.measure.in_time import Event, PictureInTime, SoundInTime, Span, TakeInTime
from reel.web.takes.along import _beside
from reel.web.takes.strands import LETTER_PC, MAX_TICKS, drawn, row_strand, row_strands_of, window_of

HOURS_12 = 12 * 3600 * 1000


@st.composite
def takes(draw):
    length_ms = draw(st.integers(1, HOURS_12))
    step_ms = 50 if length_ms <= 75_000 else 250
    steps = -(-length_ms // step_ms)
    moments = st.integers(0, length_ms - 1)
    spans = st.lists(st.tuples(moments, moments).map(sorted), max_size=6).map(
        lambda found: tuple(Span(begin_ms=begin, end_ms=end + 1) for begin, end in found)
    )
    events = st.lists(moments, max_size=30).map(
        lambda found: tuple(Event(at_ms=at, number=1 + at % 9) for at in sorted(found))
    )
    value = draw(st.integers(0, 255))
    picture = PictureInTime(
        rates=bytes([value]) * steps, new=bytes([30 * step_ms // 1000]) * steps, rate=Fraction(30), black=draw(spans),
        still=draw(spans), lost=draw(events), doubled=draw(events), cuts=tuple(one.at_ms for one in draw(events)),
    )  # fmt: skip
    level = bytes([draw(st.integers(0, 112))]) * steps
    tracks = tuple(SoundInTime(title=title, levels=level, peaks=level, clipped=draw(events)) for title in ("game", ""))
    return TakeInTime(
        step_ms=step_ms, length_ms=length_ms, picture=draw(st.sampled_from([picture, None])), tracks=tracks
    )


class StrandTests(unittest.TestCase):
    @given(takes(), st.data())
    @settings(max_examples=40, deadline=None)
    def test_all_that_is_drawn_lies_within_and_no_label_touches_another(self, take, data):
        whole = st.one_of(st.none(), st.integers(-10, take.length_ms + 10))
        window = window_of(take.length_ms, data.draw(whole), data.draw(whole))
        self.assertTrue(0 <= window.from_ms < window.to_ms <= take.length_ms)
        marks = [(at, "first bloom " * 3) for at in data.draw(st.lists(st.integers(0, take.length_ms), max_size=9))]
        shown = drawn(take, Counts(), window, marks)
        places = [*shown.hooks, *shown.doubled, *shown.cuts, *(clip for track in shown.tracks for clip in track.clips)]
        self.assertTrue(all(0 <= place <= 100 for place in places))
        for begin, wide in (*shown.black, *shown.still):
            self.assertTrue(begin >= 0 and wide >= 0 and begin + wide <= 100.02)
        for words in (shown.words, shown.lost_words, shown.flags, shown.new_words):
            said = [word for word in words if word.text]
            for one, other in zip(said, said[1:], strict=False):
                self.assertLessEqual(one.x_pc + len(one.text) * LETTER_PC, other.x_pc)
        for one, other in pairwise(shown.flags):  # each stands, with a label or without
            if one.text:
                self.assertLessEqual(one.x_pc + len(one.text) * LETTER_PC, other.x_pc)
        self.assertLessEqual(len(shown.ticks), MAX_TICKS + 2)
        self.assertLess(len(shown.picture), 40_000)
        for name, beside in _beside(window, take.length_ms).items():
            if beside is not None:
                self.assertTrue(0 <= beside.from_ms < beside.to_ms <= take.length_ms, name)
                self.assertNotEqual(beside, window)

    @given(takes())
    @settings(max_examples=30, deadline=None)
    def test_a_row_keeps_little_and_draws_each_part_at_its_place(self, take):
        kept = row_strand(take, Counts())
        if take.picture is None:
            self.assertIsNone(kept)
            return
        self.assertLess(len(str(kept)), 1500)
        rows = row_strands_of([(take.length_ms, kept), (take.length_ms, kept), (0, None)])
        self.assertEqual([(at, wide) for at, wide, _ in rows], [(0.0, 496.0), (500.0, 496.0)])
