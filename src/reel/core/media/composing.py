"""Composing the recorded frame: the pieces of an arrangement laid over each other on the ground."""

from collections.abc import Mapping
from fractions import Fraction
from typing import TypeAlias

import av
import numpy as np

from reel.core.frame import FrameSetup, Piece, Place, Placed
from reel.core.media.colour import code_values
from reel.core.media.framing import MATRIX_CODES, RANGE_CODES, Framer
from reel.core.media.overlay import Moment, OverlayAssets, OverlayBitmap, draw, draw_case, edge_px
from reel.core.media.planes import planes_of
from reel.core.signal import Signal, pixel_format

# A picture and the width ÷ height of one of its pixels.
Framed: TypeAlias = tuple[av.VideoFrame, Fraction]


class Composer:
    """Makes frames as `target` is coded (planar Y′CbCr) from the newest picture of each input.

    Where one picture is all that is shown, it costs what framing costs. `arrangement` is the one that is on; `toggled`
    are the keys of pieces that are shown although they are hidden, or the other way round; `pen` is what was drawn by
    hand, bitmap by bitmap, over all. What is only shown need not be `exact`. Used from one thread.
    """

    def __init__(
        self, setup: FrameSetup, target: Signal, *, exact: bool = True, assets: OverlayAssets | None = None
    ) -> None:
        self.arrangement = 0
        self.pen: tuple[OverlayBitmap, ...] = ()
        self._assets = assets or OverlayAssets()
        self.toggled: frozenset[str] = frozenset()
        self._setup, self._target, self._exact = setup, target, exact
        self._framers: dict[tuple[Piece, bool], Framer] = {}
        self._cuts: dict[tuple[Piece, bool], tuple[av.VideoFrame, av.VideoFrame]] = {}
        self._ground: av.VideoFrame | None = None

    @property
    def pieces(self) -> tuple[Piece, ...]:
        """What is shown just now, from the lowest to the topmost."""
        arranged = self._setup.arrangements[self.arrangement].pieces
        return tuple(piece for piece in arranged if piece.hidden is (piece.key in self.toggled and bool(piece.key)))

    @property
    def is_single(self) -> bool:
        """Whether the first input's picture is all that is shown, so that no other picture is needed."""
        pieces = self.pieces
        return len(pieces) == 1 and pieces[0].input == "" and self._is_base(pieces[0]) and not self.pen

    def compose(self, pictures: Mapping[str, Framed], moment: Moment | None = None) -> av.VideoFrame:
        """The frame for the newest pictures, by the names that pieces have for their inputs; clocks show `moment`.

        A piece whose input has sent nothing yet is left out. What is given may be the very frame that came, and is not
        to be changed.
        """
        pen = self.pen  # another thread may draw meanwhile
        shown = [piece for piece in self.pieces if piece.overlay is not None or piece.input in pictures]
        base: av.VideoFrame | None = None
        if shown and self._is_base(shown[0]):
            piece = shown.pop(0)
            base, _ = self._cut(piece, *pictures[piece.input], padded=True)
            if not shown and not pen:
                return base
        made = _copy(base or self._ground_frame(), self._target)
        for piece in shown:
            if piece.overlay is not None:
                self._lay_overlay(made, piece, moment or Moment())
                continue
            cut, placed = self._cut(piece, *pictures[piece.input])
            _lay(made, cut, placed, piece.opacity, pixel_format(self._target.pixels).subsampling)
            if piece.outline:
                edge = edge_px((cut.width, cut.height))
                case = draw_case((cut.width, cut.height), self._target)
                case.lay(made, placed.x_px - edge, placed.y_px - edge, piece.opacity)
        for bitmap in pen:
            bitmap.lay(made)
        return made

    def _lay_overlay(self, frame: av.VideoFrame, piece: Piece, moment: Moment) -> None:
        assert piece.overlay is not None
        width, height = self._setup.size
        place = piece.place or Place(x_px=0, y_px=0, width_px=width, height_px=height)
        bitmap = draw(piece.overlay, self._assets, moment, place, self._target)
        if bitmap is not None:
            bitmap.lay(frame, place.x_px // 2 * 2, place.y_px // 2 * 2, piece.opacity)

    def _is_base(self, piece: Piece) -> bool:
        """Return whether a piece may be framed onto black as a whole, without being laid over something."""
        is_whole = piece.overlay is None and piece.place is None and not piece.outline
        return is_whole and piece.opacity == 100 and self._setup.ground == "#000000"

    def _framer(self, piece: Piece, *, padded: bool) -> Framer:
        key = (piece, padded)
        if key not in self._framers:
            scaler = self._setup.scaler
            self._framers[key] = Framer(self._target, piece, scaler=scaler, exact=self._exact, padded=padded)
        return self._framers[key]

    def _cut(
        self, piece: Piece, frame: av.VideoFrame, aspect: Fraction, *, padded: bool = False
    ) -> tuple[av.VideoFrame, Placed]:
        """Return a piece's picture at its size, or padded to the frame's, made once for each picture that comes."""
        framer, known = self._framer(piece, padded=padded), self._cuts.get((piece, padded))
        if known is None or known[0] is not frame:
            known = self._cuts[piece, padded] = (frame, framer.apply(frame, aspect))
        return known[1], framer.placed

    def _ground_frame(self) -> av.VideoFrame:
        if self._ground is None:
            mode = self._target.mode
            self._ground = av.VideoFrame(mode.width_px, mode.height_px, self._target.pixels)
            for plane, value in zip(
                planes_of(self._ground), code_values(self._setup.ground, self._target), strict=True
            ):
                plane[:] = value
        return self._ground


def _copy(frame: av.VideoFrame, target: Signal) -> av.VideoFrame:
    made = av.VideoFrame(frame.width, frame.height, frame.format.name)
    for plane, source in zip(planes_of(made), planes_of(frame), strict=True):
        plane[:] = source
    made.colorspace, made.color_range = MATRIX_CODES[target.matrix], RANGE_CODES[target.range]
    return made


def _lay(frame: av.VideoFrame, cut: av.VideoFrame, placed: Placed, opacity: int, subsampling: tuple[int, int]) -> None:
    """Lay a picture over a frame; what reaches over the edge is left out."""
    for number, (plane, part) in enumerate(zip(planes_of(frame), planes_of(cut), strict=True)):
        across, down = subsampling if number else (1, 1)
        x, y = placed.x_px // across, placed.y_px // down
        left, top = max(0, x), max(0, y)
        right, bottom = min(plane.shape[1], x + part.shape[1]), min(plane.shape[0], y + part.shape[0])
        if right <= left or bottom <= top:
            continue
        over, under = part[top - y : bottom - y, left - x : right - x], plane[top:bottom, left:right]
        if opacity == 100:
            under[:] = over
        else:
            wide = np.uint16 if plane.dtype == np.uint8 else np.uint32
            mixed = (under.astype(wide) * (100 - opacity) + over.astype(wide) * opacity + 50) // 100  # type: ignore[operator]
            under[:] = mixed.astype(plane.dtype)
