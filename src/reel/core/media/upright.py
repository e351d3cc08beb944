"""Pictures as players show them: turned as their display matrix says, which telephones write and do not do."""

from contextlib import suppress
from fractions import Fraction
from pathlib import Path

import av
import av.filter

from reel.core.media.errors import BROKEN
from reel.core.media.streams import open_to_read, pictures_of

_TIME_BASE = Fraction(1, 1000)
# What libavfilter does to turn a picture; the angle counts against the clock.
TURNS = {
    0: (),
    90: (("transpose", "cclock"),),
    -90: (("transpose", "clock"),),
    180: (("hflip", ""), ("vflip", "")),
}


def turn_of(frame: av.VideoFrame) -> int:
    """Return by how much a player turns a frame against the clock, as one of TURNS."""
    turn = round(frame.rotation / 90) * 90
    return 180 if turn == -180 else turn


def turn_in(path: Path) -> int:
    """Return by how much a player turns the picture of a file, by its first frame; 0 where that can't be decoded."""
    with suppress(*BROKEN), open_to_read(path) as reader:
        for stream in pictures_of(reader)[:1]:
            for frame in reader.decode(stream):
                return turn_of(frame)
    return 0


def shown_size(width_px: int, height_px: int, turn: int) -> tuple[int, int]:
    """Return the size of a picture once it is turned."""
    return (height_px, width_px) if turn in (90, -90) else (width_px, height_px)


class Upright:
    """Turns frames; one that is upright is handed through untouched."""

    def __init__(self) -> None:
        self._key: object = None
        self._graph: av.filter.Graph | None = None

    def apply(self, frame: av.VideoFrame, turn: int | None = None) -> av.VideoFrame:
        """Return a frame upright; `turn` is one of TURNS, None for what the frame says."""
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
        made.colorspace, made.color_range = frame.colorspace, frame.color_range
        return made

    def _build(self, frame: av.VideoFrame, turn: int) -> av.filter.Graph:
        graph = av.filter.Graph()
        buffer = graph.add_buffer(width=frame.width, height=frame.height, format=frame.format, time_base=_TIME_BASE)
        steps = [graph.add(name, options) for name, options in TURNS[turn]]
        graph.link_nodes(buffer, *steps, graph.add("buffersink")).configure()
        return graph
