"""What Reel does with an arriving picture before the frame: tags overruled, fields made into pictures, turning."""

from collections import deque
from dataclasses import replace
from fractions import Fraction

import av
import av.filter

from reel.core.line.arrival import ArrivalSetup, Deinterlace
from reel.core.line.device import Turn
from reel.core.media.framing import MATRIX_CODES, RANGE_CODES
from reel.core.signal import NS, Picture, Scan, Signal, pixel_format

_NS_BASE = Fraction(1, NS)
# libavfilter's transpose: 1 turns a quarter clockwise, 2 counter-clockwise.
_QUARTER = {Turn.UPRIGHT: "2", Turn.LEFT: "1", Turn.RIGHT: "2"}
# bwdif takes planar formats; packed and half-packed ones are unpacked without loss.
_PLANAR = {"yuyv422": "yuv422p", "nv12": "yuv420p", "p010le": "yuv420p10le"}


class Arriving:
    """Applies a rig's arrival settings to pictures, in the order in which they come."""

    def __init__(self, setup: ArrivalSetup) -> None:
        self._setup = setup
        self._key: object = None
        self._graph: av.filter.Graph | None = None
        self._sequences: deque[int] = deque()
        self._made = 0

    def apply(self, picture: Picture, signal: Signal) -> list[Picture]:
        """Give the pictures that go on to the frame: one for each, two when each field becomes one.

        Deinterlacing looks one picture ahead, so that what comes out belongs to the picture before.
        """
        self._overrule(picture.frame)
        by_field = self._setup.deinterlace is Deinterlace.FIELD
        fields = signal.mode.scan is Scan.INTERLACED and self._setup.deinterlace is not Deinterlace.NONE
        turns = self._setup.is_turned(signal)
        if not fields and not turns:
            return [picture]
        key = (signal, picture.frame.format.name, picture.frame.width, picture.frame.height)
        if key != self._key:
            self._graph, self._key = self._build(picture.frame, signal, fields=fields, turns=turns), key
            self._sequences.clear()
            self._made = 0
        return self._push(picture, 2 if fields and by_field else 1)

    def _overrule(self, frame: av.VideoFrame) -> None:
        if self._setup.matrix is not None:
            frame.colorspace = MATRIX_CODES[self._setup.matrix]
        if self._setup.range is not None:
            frame.color_range = RANGE_CODES[self._setup.range]

    def _push(self, picture: Picture, per_picture: int) -> list[Picture]:
        assert self._graph is not None
        frame = picture.frame
        frame.pts, frame.time_base = picture.at_ns, _NS_BASE
        self._graph.push(frame)
        self._sequences.append(picture.sequence)
        made: list[Picture] = []
        while True:
            try:
                out = self._graph.vpull()
            except (BlockingIOError, EOFError):
                return made
            assert out.pts is not None and out.time_base is not None
            at_ns = round(out.pts * out.time_base * NS)
            sequence = self._sequences[0] * per_picture + self._made
            self._made += 1
            if self._made == per_picture:
                self._sequences.popleft()
                self._made = 0
            made.append(replace(picture, at_ns=at_ns, sequence=sequence, frame=out))

    def _build(self, frame: av.VideoFrame, signal: Signal, *, fields: bool, turns: bool) -> av.filter.Graph:
        graph = av.filter.Graph()
        steps = [graph.add_buffer(width=frame.width, height=frame.height, format=frame.format, time_base=_NS_BASE)]
        name = frame.format.name
        steps.append(graph.add("format", _PLANAR.get(name, pixel_format(name).name)))
        if fields:
            mode = "send_field" if self._setup.deinterlace is Deinterlace.FIELD else "send_frame"
            steps.append(graph.add("bwdif", f"mode={mode}:parity={'tff' if signal.top_first else 'bff'}:deint=all"))
        if turns:
            assert self._setup.turn is not None
            steps.append(graph.add("transpose", _QUARTER[self._setup.turn]))
        graph.link_nodes(*steps, graph.add("buffersink")).configure()
        return graph
