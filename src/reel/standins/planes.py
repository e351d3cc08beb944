"""Bringing a frame to another size, format and coding, and marking it."""

from fractions import Fraction

import av
import av.filter

from reel.core.media.framing import EXACT, MATRIX_CODES, RANGE_CODES, frame_matrix, frame_range, scaling
from reel.core.signal import Matrix, Range, Signal


def tag(frame: av.VideoFrame, signal: Signal) -> av.VideoFrame:
    """Mark a frame with a signal's matrix and range."""
    frame.colorspace, frame.color_range = MATRIX_CODES[signal.matrix], RANGE_CODES[signal.range]
    return frame


class Converter:
    """Brings frames to `target`'s size, pixel format, matrix and range by libswscale, stretched to fill it.

    `exact` keeps code values within ±1; without it, a few times faster, a drawn scene is good enough.
    """

    def __init__(self, target: Signal, *, exact: bool = True) -> None:
        self._target = target
        self._flags = EXACT if exact else "bilinear"
        self._key: object = None
        self._graph: av.filter.Graph | None = None

    def apply(self, frame: av.VideoFrame) -> av.VideoFrame:
        """Return the converted frame, tagged; one that is right already is handed through."""
        target = self._target
        matrix, value_range = frame_matrix(frame), frame_range(frame)
        key = (frame.width, frame.height, frame.format.name, matrix, value_range)
        if key == (target.mode.width_px, target.mode.height_px, target.pixels, target.matrix, target.range):
            return frame
        if key != self._key:
            self._graph, self._key = self._build(frame, matrix, value_range), key
        assert self._graph is not None
        frame.pts, frame.time_base = 0, Fraction(1, 1000)
        self._graph.push(frame)
        return tag(self._graph.vpull(), target)

    def _build(self, frame: av.VideoFrame, matrix: Matrix, value_range: Range) -> av.filter.Graph:
        target = self._target
        size = (target.mode.width_px, target.mode.height_px)
        graph = av.filter.Graph()
        steps = [
            graph.add_buffer(width=frame.width, height=frame.height, format=frame.format, time_base=Fraction(1, 1000)),
            graph.add("scale", scaling(matrix, value_range, target, size, self._flags)),
            graph.add("format", target.pixels),
            graph.add("buffersink"),
        ]
        graph.link_nodes(*steps).configure()
        return graph
