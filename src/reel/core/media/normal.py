"""Frames of any pixel format, size and turn brought to ones that Reel takes, with nothing else changed."""

from fractions import Fraction

import av
import av.filter

from reel.core.media.framing import EXACT, MATRIX_CODES, RANGE_CODES, frame_matrix, frame_range
from reel.core.media.upright import Upright, turn_of
from reel.core.signal import PIXEL_FORMATS, Matrix, Range

_TIME_BASE = Fraction(1, 1000)
_SCALE_MATRIX = {Matrix.BT601: "bt601", Matrix.BT709: "bt709", Matrix.BT2020: "bt2020"}


def normal_format(pixels: av.VideoFormat) -> str:
    """Return the format, of those that Reel takes, that holds another's colour samples, and of its bits up to 10."""
    if pixels.name in PIXEL_FORMATS:
        return pixels.name
    parts = [part for part in pixels.components if not part.is_alpha]
    deep = max((part.bits for part in parts), default=8) > 8
    if pixels.is_rgb or pixels.has_palette or pixels.is_bayer:
        return "yuv444p10le" if deep else "rgb24"
    if len(parts) < 3:
        return "yuv420p10le" if deep else "gray"
    across, down = 64 // pixels.chroma_width(64), 64 // pixels.chroma_height(64)
    chroma = "444" if across == 1 else "422" if down == 1 else "420"
    return f"yuv{chroma}p{'10le' if deep else ''}"


class Normal:
    """Converts what has to be converted; a frame that is right already is handed through untouched."""

    def __init__(self) -> None:
        self._key: object = None
        self._graph: av.filter.Graph | None = None
        self._upright = Upright()

    def apply(self, frame: av.VideoFrame) -> av.VideoFrame:
        """Return the frame in a format that Reel takes, with even sides, upright as its display matrix says."""
        target, turn = normal_format(frame.format), turn_of(frame)
        odd = frame.width % 2 or frame.height % 2
        if target != frame.format.name or odd:
            frame = self._converted(frame, target)
        return self._upright.apply(frame, turn)

    def _converted(self, frame: av.VideoFrame, target: str) -> av.VideoFrame:
        matrix, value_range = frame_matrix(frame), frame_range(frame)
        key = (frame.format.name, frame.width, frame.height, matrix, value_range)
        if key != self._key:
            self._graph, self._key = self._build(frame, target, matrix, value_range), key
        assert self._graph is not None
        pts, base = frame.pts, frame.time_base
        frame.pts, frame.time_base = 0, _TIME_BASE
        self._graph.push(frame)
        made = self._graph.vpull()
        made.pts, made.time_base = pts, base
        if target != "rgb24":
            made.colorspace, made.color_range = MATRIX_CODES[matrix], RANGE_CODES[value_range]
        return made

    def _build(self, frame: av.VideoFrame, target: str, matrix: Matrix, value_range: Range) -> av.filter.Graph:
        graph = av.filter.Graph()
        steps = [graph.add_buffer(width=frame.width, height=frame.height, format=frame.format, time_base=_TIME_BASE)]
        if target != frame.format.name:
            kept, name = value_range.value, _SCALE_MATRIX[matrix]
            same = f":in_range={kept}:out_range={kept}:in_color_matrix={name}:out_color_matrix={name}"
            steps += [graph.add("scale", f"flags={EXACT}{same}"), graph.add("format", target)]
        if frame.width % 2 or frame.height % 2:
            steps.append(graph.add("crop", f"{frame.width // 2 * 2}:{frame.height // 2 * 2}:0:0"))
        graph.link_nodes(*steps, graph.add("buffersink")).configure()
        return graph
