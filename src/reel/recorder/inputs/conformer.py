"""What Reel does with an arriving picture before the frame: tags overruled, fields made into pictures, turning."""

from collections import deque
from dataclasses import replace
from fractions import Fraction

import av
import av.filter

from reel.core.line.arrival import ArrivalSetup, Deinterlace
from reel.core.line.device import Turn
from reel.core.media.fields import bwdif_step, planar_step
from reel.core.media.framing import MATRIX_CODES, RANGE_CODES
from reel.core.signal import NS, Picture, Scan, Signal

_NS_BASE = Fraction(1, NS)
# libavfilter's transpose: 1 turns a quarter clockwise, 2 counter-clockwise.
_QUARTER = {Turn.UPRIGHT: "2", Turn.LEFT: "1", Turn.RIGHT: "2"}


class Conformer:
    """Applies a rig's arrival settings to pictures, in the order in which they come.

    Deinterlacing looks one picture ahead, and back. Where pictures do not follow each other it is ended and begun anew:
    what it still holds is given first, and nothing from before a gap is mixed into what comes after it.
    """

    def __init__(self, setup: ArrivalSetup) -> None:
        self._setup = setup
        self._key: object = None
        self._graph: av.filter.Graph | None = None
        self._waiting: deque[Picture] = deque()
        self._fields, self._field_ns, self._made = 1, 0, 0

    def remembers(self, signal: Signal) -> bool:
        """Return whether pictures of a signal must be given one after the other, without any left out."""
        return signal.mode.scan is Scan.INTERLACED and self._setup.deinterlace is not Deinterlace.NONE

    def apply(self, picture: Picture, signal: Signal) -> list[Picture]:
        """Return the pictures that go on to the frame: one for each, two when each field becomes one.

        With deinterlacing, what comes out belongs to the picture before.
        """
        self._overrule(picture.frame)
        fields, turns = self.remembers(signal), self._setup.is_turned(signal)
        if not fields and not turns:
            return [*self.drain(), picture]
        made: list[Picture] = []
        key = (signal, picture.frame.format.name, picture.frame.width, picture.frame.height)
        if key != self._key or self._is_gap(picture, signal):
            made = self.drain()
            self._graph, self._key = self._build(picture.frame, signal, fields=fields, turns=turns), key
            self._fields = 2 if fields and self._setup.deinterlace is Deinterlace.FIELD else 1
            self._field_ns = round(NS / (signal.mode.rate * self._fields))
        assert self._graph is not None
        frame = picture.frame
        frame.pts, frame.time_base = picture.at_ns, _NS_BASE
        self._waiting.append(picture)
        self._graph.push(frame)
        return made + self._pull()

    def drain(self) -> list[Picture]:
        """Return what is still held, and forget it: the next picture begins anew."""
        if self._graph is None:
            return []
        self._graph.push(None)
        made = self._pull()
        self._graph, self._key, self._made = None, None, 0
        self._waiting.clear()
        return made

    def _is_gap(self, picture: Picture, signal: Signal) -> bool:
        """Return whether a picture does not follow the one before, by its number or by its time."""
        if not self._waiting or not self.remembers(signal):
            return False
        before = self._waiting[-1]
        step_ns = picture.at_ns - before.at_ns
        return picture.sequence != before.sequence + 1 or not 0 < step_ns * signal.mode.rate < 3 * NS // 2

    def _overrule(self, frame: av.VideoFrame) -> None:
        if self._setup.matrix is not None:
            frame.colorspace = MATRIX_CODES[self._setup.matrix]
        if self._setup.range is not None:
            frame.color_range = RANGE_CODES[self._setup.range]

    def _pull(self) -> list[Picture]:
        """Take what the filter gives; each belongs to the picture that has waited longest, at its time."""
        assert self._graph is not None
        made: list[Picture] = []
        while self._waiting:
            try:
                out = self._graph.vpull()
            except (BlockingIOError, EOFError):
                break
            source = self._waiting[0]
            at_ns, sequence = source.at_ns + self._made * self._field_ns, source.sequence * self._fields + self._made
            made.append(replace(source, at_ns=at_ns, sequence=sequence, frame=out, lasts_ns=None))
            self._made += 1
            if self._made == self._fields:
                self._waiting.popleft()
                self._made = 0
        return made

    def _build(self, frame: av.VideoFrame, signal: Signal, *, fields: bool, turns: bool) -> av.filter.Graph:
        graph = av.filter.Graph()
        graph.threads = 1  # bwdif takes a millisecond for a picture; more threads only cost
        steps = [graph.add_buffer(width=frame.width, height=frame.height, format=frame.format, time_base=_NS_BASE)]
        steps.append(planar_step(graph, frame.format.name))
        if fields:
            each = self._setup.deinterlace is Deinterlace.FIELD
            steps.append(bwdif_step(graph, each=each, top_first=signal.top_first))
        if turns:
            assert self._setup.turn is not None
            steps.append(graph.add("transpose", _QUARTER[self._setup.turn]))
        graph.link_nodes(*steps, graph.add("buffersink")).configure()
        return graph
