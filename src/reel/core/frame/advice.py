"""What scaling a piece costs, and how a picture is best framed for what was found of it."""

from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction

from reel.core.frame.piece import Crop, Fit, Piece
from reel.core.frame.setup import FrameSetup

# A shape is that of 4:3 within this part: bars are found to a pixel, and pictures are scaled to even sides.
_SHAPE_PART = Fraction(3, 100)
_NARROW, _WIDE = Fraction(4, 3), Fraction(16, 9)
# Between these a picture is nearly square, as a headset shows each eye; what matters lies a little below its middle.
_SQUARE = (Fraction(4, 5), Fraction(5, 4))
BELOW_MIDDLE = Fraction(11, 20)


@dataclass(frozen=True, slots=True, kw_only=True)
class Scaling:
    """By how much a piece's picture is scaled on its longer way; 1 for not at all, over 1 for up."""

    factor: Fraction

    @property
    def words(self) -> str:
        """The cost in words: `scaled up 1.33×: no new detail, 1.8× the pixels`."""
        by = float(self.factor)
        if abs(by - 1) < 0.005:
            return "not scaled: each pixel is kept"
        if by > 1:
            return f"scaled up {by:.2f}×: no new detail, {by * by:.1f}× the pixels"
        return f"scaled down {1 / by:.2f}×: sharper, {1 / (by * by):.1f}× fewer pixels"


def scaling(piece: Piece, source: tuple[int, int], frame: tuple[int, int], pixel_aspect: Fraction) -> Scaling:
    """Say by how much a piece's picture is scaled."""
    area, placed = piece.cast(source, frame, pixel_aspect)
    lies = piece.turn.value in ("90", "270")
    across, down = (area.height_px, area.width_px) if lies else (area.width_px, area.height_px)
    return Scaling(factor=max(Fraction(placed.width_px, across), Fraction(placed.height_px, down)))


class Advice(StrEnum):
    """What may be proposed for a picture: cut bars off, a frame of 4:3, or the 16:9 part of a square one."""

    CUT = "cut"
    NARROW = "narrow"
    PART = "part"


@dataclass(frozen=True, slots=True, kw_only=True)
class Proposal:
    """A better framing of the first picture: the whole frame as it would be then."""

    advice: Advice
    frame: FrameSetup


def proposals(frame: FrameSetup, source: tuple[int, int], pixel_aspect: Fraction, bars: Crop | None) -> list[Proposal]:
    """Return what would frame the lowest picture of each arrangement better, the best first.

    `source` is the arriving picture's (width, height), `bars` the black edges that were found of it, None for not
    looked for.
    """
    found = []
    if bars is not None and bars != Crop():
        kept = bars.of(source)
        shape = kept.width_px * pixel_aspect / kept.height_px
        cut = _reframed(frame, crop=bars)
        if abs(shape / _NARROW - 1) <= _SHAPE_PART:
            height = kept.height_px // 2 * 2
            narrow = replace(cut.mode, width_px=round(height * _NARROW / 2) * 2, height_px=height)
            found.append(Proposal(advice=Advice.NARROW, frame=replace(cut, mode=narrow)))
        found.append(Proposal(advice=Advice.CUT, frame=cut))
    whole = Fraction(source[0]) * pixel_aspect / source[1]
    if bars is None and _SQUARE[0] <= whole <= _SQUARE[1]:
        height = round(source[0] * pixel_aspect / _WIDE / 2) * 2
        mode = replace(frame.mode, width_px=round(source[0] * pixel_aspect / 2) * 2, height_px=height)
        part = _reframed(frame, fit=Fit.OWN, zoom=Fraction(1), centre_y=BELOW_MIDDLE)
        if (part.mode, part.arrangements) != (mode, frame.arrangements):
            found.append(Proposal(advice=Advice.PART, frame=replace(part, mode=mode)))
    return found


def _reframed(frame: FrameSetup, **changes: object) -> FrameSetup:
    """Change the lowest piece of each arrangement that shows the first input."""
    arrangements = []
    for one in frame.arrangements:
        lowest = one.pieces[0]
        pieces = (replace(lowest, **changes), *one.pieces[1:]) if lowest.input == "" else one.pieces  # type: ignore[arg-type]
        arrangements.append(replace(one, pieces=pieces))
    return replace(frame, arrangements=tuple(arrangements))
