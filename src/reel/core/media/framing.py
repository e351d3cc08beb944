"""Bringing pictures into the frame: scale, pad, pixel format, matrix and range, by libavfilter."""

from fractions import Fraction

import av
import av.filter

from reel.core.frame import fit
from reel.core.signal import Matrix, Range, Signal, assumed_matrix

# ITU-T H.273, table 4 (matrix coefficients): 5 and 6 are the two variants of BT.601, 9 is BT.2020 non-constant.
_MATRICES = {1: Matrix.BT709, 5: Matrix.BT601, 6: Matrix.BT601, 9: Matrix.BT2020}
MATRIX_CODES = {Matrix.BT709: 1, Matrix.BT601: 6, Matrix.BT2020: 9}
RANGE_CODES = {Range.LIMITED: 1, Range.FULL: 2}  # AVCOL_RANGE_MPEG, AVCOL_RANGE_JPEG
_SCALE_MATRIX = {Matrix.BT601: "bt601", Matrix.BT709: "bt709", Matrix.BT2020: "bt2020"}


def frame_matrix(frame: av.VideoFrame) -> Matrix:
    """Read a frame's colour matrix; an untagged one is taken by its height."""
    return _MATRICES.get(frame.colorspace, assumed_matrix(frame.height))


def frame_range(frame: av.VideoFrame) -> Range:
    """Read a frame's range; an untagged one is limited, but for the `yuvj` formats."""
    full = frame.color_range == RANGE_CODES[Range.FULL] or frame.format.name.startswith(("yuvj", "rgb", "gbr"))
    return Range.FULL if full else Range.LIMITED


EXACT, QUICK = "bicubic+accurate_rnd+full_chroma_int+full_chroma_inp", "bilinear"


class Framer:
    """Turns any frame into one of `target` (size, pixel format, BT.709 limited), ready for one source size at a time.

    A frame that is right already is handed through untouched. What is only shown need not be `exact`: that is a few
    times cheaper, and up to 3 code values off.
    """

    def __init__(self, target: Signal, *, exact: bool = True) -> None:
        self._target, self._flags = target, EXACT if exact else QUICK
        self._key: object = None
        self._graph: av.filter.Graph | None = None

    def apply(self, frame: av.VideoFrame, aspect: Fraction = Fraction(1)) -> av.VideoFrame:
        """Give the frame that is recorded, its timestamps unset. `aspect` is the width ÷ height of a source pixel."""
        mode = self._target.mode
        matrix, value_range = frame_matrix(frame), frame_range(frame)
        key = (frame.width, frame.height, frame.format.name, matrix, value_range, aspect)
        wanted = (mode.width_px, mode.height_px, self._target.pixels, self._target.matrix, self._target.range)
        if key == (*wanted, Fraction(1)):
            return frame
        if key != self._key:
            self._graph, self._key = self._build(frame, matrix, value_range, aspect), key
        assert self._graph is not None
        frame.pts, frame.time_base = 0, Fraction(1, 1000)
        self._graph.push(frame)
        return self._graph.vpull()

    def _build(self, frame: av.VideoFrame, matrix: Matrix, value_range: Range, aspect: Fraction) -> av.filter.Graph:
        mode = self._target.mode
        placed = fit((frame.width, frame.height), (mode.width_px, mode.height_px), aspect)
        graph = av.filter.Graph()
        steps = [
            graph.add_buffer(width=frame.width, height=frame.height, format=frame.format, time_base=Fraction(1, 1000)),
            graph.add(
                "scale", scaling(matrix, value_range, self._target, (placed.width_px, placed.height_px), self._flags)
            ),
            graph.add("format", self._target.pixels),
            graph.add("pad", f"{mode.width_px}:{mode.height_px}:{placed.x_px}:{placed.y_px}:black"),
            graph.add("setsar", "1"),
            graph.add("buffersink"),
        ]
        graph.link_nodes(*steps).configure()
        return graph


def scaling(matrix: Matrix, value_range: Range, target: Signal, size: tuple[int, int], flags: str = EXACT) -> str:
    """Give libavfilter's scale options from a matrix and range to a target's, at a size in pixels.

    With EXACT code values are right to ±1; without these flags libswscale is a few times faster, and up to 3 off.
    """
    return (
        f"{size[0]}:{size[1]}:flags={flags}"
        f":in_color_matrix={_SCALE_MATRIX[matrix]}:in_range={value_range.value}"
        f":out_color_matrix={_SCALE_MATRIX[target.matrix]}:out_range={target.range.value}"
    )
