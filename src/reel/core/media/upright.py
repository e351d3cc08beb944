"""Pictures as players show them: turned as their display matrix says, which telephones write and do not do."""

from contextlib import suppress
from fractions import Fraction

import av
import av.filter

from reel.core.media.errors import BROKEN
from reel.core.media.framing import MATRIX_CODES, RANGE_CODES, frame_matrix, frame_range
from reel.core.media.streams import pictures_of

_TIME_BASE = Fraction(1, 1000)
# Pixels of pictures that were ever made for a screen are no wider and no narrower.
_ASPECTS = (Fraction(1, 4), Fraction(4))
# What libavfilter does to turn a picture; the angle counts against the clock.
_TURNS = {
    0: (),
    90: (("transpose", "cclock"),),
    -90: (("transpose", "clock"),),
    180: (("hflip", ""), ("vflip", "")),
}


def turn_of(frame: av.VideoFrame) -> int:
    """Return by how much a player turns a frame against the clock, as one of −90, 0, 90, 180."""
    turn = round(frame.rotation / 90) * 90
    return 180 if turn == -180 else turn


def first_turn(reader: "av.container.InputContainer") -> int:
    """Return by how much a player turns the picture of an open file, by its first frame, which is read; 0 where that
    can't be decoded."""
    with suppress(*BROKEN):
        for stream in pictures_of(reader)[:1]:
            for frame in reader.decode(stream):
                return turn_of(frame)
    return 0


def aspect_of(stream: av.VideoStream) -> Fraction:
    """Return the width ÷ height of the pixels of a stream; 1 where what it says can't be meant."""
    aspect = Fraction(stream.sample_aspect_ratio or 1)
    return aspect if _ASPECTS[0] <= aspect <= _ASPECTS[1] else Fraction(1)


class Upright:
    """Turns frames; one that is upright is handed through untouched."""

    def __init__(self) -> None:
        self._key: object = None
        self._graph: av.filter.Graph | None = None

    def apply(self, frame: av.VideoFrame, turn: int | None = None) -> av.VideoFrame:
        """Return a frame upright; `turn` is one that `turn_of` gives, None for what the frame says."""
        turn = turn_of(frame) if turn is None else turn
        if not turn:
            return frame
        key = (frame.format.name, frame.width, frame.height, turn)
        if key != self._key:
            self._graph, self._key = self._build(frame, turn), key
        assert self._graph is not None
        pts, base = frame.pts, frame.time_base
        frame.pts, frame.time_base = 0, _TIME_BASE
        self._graph.push(frame)
        made = self._graph.vpull()
        made.pts = pts
        if base is not None:
            made.time_base = base
        if not frame.format.is_rgb:  # an untagged one is taken by its height, which is another now
            made.colorspace = MATRIX_CODES[frame_matrix(frame)]
            made.color_range = RANGE_CODES[frame_range(frame)]
        return made

    def _build(self, frame: av.VideoFrame, turn: int) -> av.filter.Graph:
        graph = av.filter.Graph()
        buffer = graph.add_buffer(width=frame.width, height=frame.height, format=frame.format, time_base=_TIME_BASE)
        steps = [graph.add(name, options) for name, options in _TURNS[turn]]
        graph.link_nodes(buffer, *steps, graph.add("buffersink")).configure()
        return graph
