"""Bringing a picture into the frame: crop, turn, scale, pad, pixel format, matrix and range, by libavfilter."""

from fractions import Fraction

import av
import av.filter

from reel.core.frame import Piece, Placed, Quarter, Scaler
from reel.core.signal import Matrix, Range, Signal, Transfer, assumed_matrix

# ITU-T H.273, table 4 (matrix coefficients): 5 and 6 are the two variants of BT.601, 9 is BT.2020 non-constant.
_MATRICES = {1: Matrix.BT709, 5: Matrix.BT601, 6: Matrix.BT601, 9: Matrix.BT2020}
MATRIX_CODES = {Matrix.BT709: 1, Matrix.BT601: 6, Matrix.BT2020: 9}
RANGE_CODES = {Range.LIMITED: 1, Range.FULL: 2}  # AVCOL_RANGE_MPEG, AVCOL_RANGE_JPEG
_TRANSFERS = {16: Transfer.PQ, 18: Transfer.HLG}  # ITU-T H.273, table 3
_SCALE_MATRIX = {Matrix.BT601: "bt601", Matrix.BT709: "bt709", Matrix.BT2020: "bt2020"}


def frame_matrix(frame: av.VideoFrame) -> Matrix:
    """Read a frame's colour matrix; an untagged one is taken by its height."""
    return _MATRICES.get(frame.colorspace, assumed_matrix(frame.height))


def stream_matrix(context: av.VideoCodecContext) -> Matrix:
    """Read the colour matrix of a stream, as its frames will be taken."""
    return _MATRICES.get(context.colorspace, assumed_matrix(context.height))


def stream_range(context: av.VideoCodecContext) -> Range:
    """Read the range of a stream, as its frames will be taken."""
    return _range(context.color_range, context.pix_fmt or "")


def frame_transfer(frame: av.VideoFrame) -> Transfer:
    """Read how a frame's light is coded; what is neither PQ nor HLG is shown as BT.709 is."""
    return _TRANSFERS.get(frame.color_trc, Transfer.BT709)


def frame_range(frame: av.VideoFrame) -> Range:
    """Read a frame's range; an untagged one is limited, but for the `yuvj` formats."""
    return _range(frame.color_range, frame.format.name)


def _range(code: int, pixels: str) -> Range:
    full = code == RANGE_CODES[Range.FULL] or pixels.startswith(("yuvj", "rgb", "gbr"))
    return Range.FULL if full else Range.LIMITED


_ACCURATE = "accurate_rnd+full_chroma_int+full_chroma_inp"
EXACT = f"bicubic+{_ACCURATE}"
_TURNS = {
    Quarter.NONE: (),
    Quarter.RIGHT: (("transpose", "clock"),),
    Quarter.OVER: (("hflip", ""), ("vflip", "")),
    Quarter.LEFT: (("transpose", "cclock"),),
}
_BASE = Fraction(1, 1000)


class Framer:
    """Brings a piece's picture to its place in a frame of `target` (size, pixel format, matrix, range).

    It is ready for one source size at a time. A frame that is right already is handed through untouched. What is only
    shown need not be `exact`: that is a few times cheaper, and up to 3 code values off. With `padded` the whole frame
    is given, black around the picture; without, the picture alone, which `placed` says where to put.
    """

    def __init__(
        self,
        target: Signal,
        piece: Piece | None = None,
        *,
        scaler: Scaler = Scaler.BICUBIC,
        exact: bool = True,
        padded: bool = True,
    ) -> None:
        self._target, self._piece, self._padded = target, piece or Piece(), padded
        self._flags = f"{scaler.value}+{_ACCURATE}" if exact else "bilinear"
        self._size = (target.mode.width_px, target.mode.height_px)
        self._key: object = None
        self._graph: av.filter.Graph | None = None
        self.placed = Placed(x_px=0, y_px=0, width_px=self._size[0], height_px=self._size[1])

    def apply(self, frame: av.VideoFrame, aspect: Fraction = Fraction(1)) -> av.VideoFrame:
        """Return the frame that is recorded, its timestamps unset. `aspect` is the width ÷ height of a source pixel."""
        matrix, value_range = frame_matrix(frame), frame_range(frame)
        key = (frame.width, frame.height, frame.format.name, matrix, value_range, aspect)
        if key != self._key:
            self._graph, self._key = self._build(frame, matrix, value_range, aspect), key
        if self._graph is None:
            return frame
        frame.pts, frame.time_base = 0, _BASE
        self._graph.push(frame)
        return self._graph.vpull()

    def _build(
        self, frame: av.VideoFrame, matrix: Matrix, value_range: Range, aspect: Fraction
    ) -> av.filter.Graph | None:
        """Return the graph for one kind of frame; None where nothing is to be done."""
        target, piece, source = self._target, self._piece, (frame.width, frame.height)
        area, placed = piece.cast(source, self._size, aspect)
        self.placed = placed
        size = (placed.width_px, placed.height_px)
        is_cropped = (area.width_px, area.height_px) != source
        is_turned = bool(_TURNS[piece.turn]) or piece.mirrored
        coding = (frame.format.name, matrix, value_range)
        is_coded = coding == (target.pixels, target.matrix, target.range)
        is_whole = size == self._size or not self._padded
        if is_coded and is_whole and source == size and not is_cropped and not is_turned:
            return None
        graph = av.filter.Graph()
        steps = [graph.add_buffer(width=frame.width, height=frame.height, format=frame.format, time_base=_BASE)]
        if is_cropped:
            crop = f"{area.width_px}:{area.height_px}:{area.x_px}:{area.y_px}:exact=1"
            steps.append(graph.add("crop", crop))
        steps += [graph.add(name, options) for name, options in _TURNS[piece.turn]]
        if piece.mirrored:
            steps.append(graph.add("hflip"))
        if size != (area.width_px, area.height_px) and matrix is not target.matrix and not self._padded:
            # both at once take libswscale twice as long; a picture that is laid into another one may take two roundings
            steps += [graph.add("scale", f"{size[0]}:{size[1]}:flags={self._flags}"), graph.add("format", "yuv444p")]
        steps += [
            graph.add("scale", scaling(matrix, value_range, target, size, self._flags)),
            graph.add("format", target.pixels),
        ]
        if self._padded:
            steps.append(graph.add("pad", f"{self._size[0]}:{self._size[1]}:{placed.x_px}:{placed.y_px}:black"))
        steps += [graph.add("setsar", "1"), graph.add("buffersink")]
        graph.link_nodes(*steps).configure()
        return graph


def scaling(matrix: Matrix, value_range: Range, target: Signal, size: tuple[int, int], flags: str = EXACT) -> str:
    """Return libavfilter's scale options from a matrix and range to a target's, at a size in pixels.

    With EXACT code values are right to ±1; without these flags libswscale is a few times faster, and up to 3 off.
    """
    return (
        f"{size[0]}:{size[1]}:flags={flags}"
        f":in_color_matrix={_SCALE_MATRIX[matrix]}:in_range={value_range.value}"
        f":out_color_matrix={_SCALE_MATRIX[target.matrix]}:out_range={target.range.value}"
    )
