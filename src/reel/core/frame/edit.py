"""Editing the frame: pieces and arrangements added, changed, moved and taken out. Each gives a new frame."""

from dataclasses import replace

from reel.core.errors import BadValueError
from reel.core.frame.overlay import Overlay, OverlayKind
from reel.core.frame.piece import Crop, Fit, Piece, Place
from reel.core.frame.setup import MAX_ARRANGEMENTS, MAX_PIECES, Arrangement, FrameSetup


def arrangement_at(frame: FrameSetup, place: int) -> Arrangement:
    """Return an arrangement, counted from 0; raises BadValueError for one that is not there."""
    if not 0 <= place < len(frame.arrangements):
        raise BadValueError("Arrangement", place + 1, f"there are {len(frame.arrangements)}")
    return frame.arrangements[place]


def with_arrangement(frame: FrameSetup, place: int, arrangement: Arrangement) -> FrameSetup:
    """Put another arrangement in one's place."""
    arrangement_at(frame, place)
    return replace(frame, arrangements=(*frame.arrangements[:place], arrangement, *frame.arrangements[place + 1 :]))


def keep_arrangement(frame: FrameSetup, place: int, name: str) -> FrameSetup:
    """Add a copy of an arrangement under a name of its own, at the end."""
    if len(frame.arrangements) >= MAX_ARRANGEMENTS:
        raise BadValueError("Arrangements", len(frame.arrangements) + 1, f"there are at most {MAX_ARRANGEMENTS}")
    return replace(frame, arrangements=(*frame.arrangements, replace(arrangement_at(frame, place), name=name)))


def remove_arrangement(frame: FrameSetup, place: int) -> FrameSetup:
    """Take an arrangement out; the last one stays."""
    arrangement_at(frame, place)
    if len(frame.arrangements) == 1:
        raise BadValueError("Arrangements", 0, "one stays")
    return replace(frame, arrangements=(*frame.arrangements[:place], *frame.arrangements[place + 1 :]))


def add_piece(frame: FrameSetup, place: int, input_name: str, source: tuple[int, int]) -> FrameSetup:
    """Lay an input's picture over an arrangement: in the lower right corner, a third of the frame wide.

    `source` is its (width, height) in square pixels.
    """
    width, height = frame.size
    scale = min(width / 3 / source[0], height / 2 / source[1])
    size = max(16, round(source[0] * scale / 2) * 2), max(16, round(source[1] * scale / 2) * 2)
    margin = width // 45 // 2 * 2
    corner = Place(x_px=width - size[0] - margin, y_px=height - size[1] - margin, width_px=size[0], height_px=size[1])
    return _laid_over(frame, place, Piece(input=input_name, place=corner, fit=Fit.FILL))


def add_other_eye(frame: FrameSetup, place: int, source: tuple[int, int]) -> FrameSetup:
    """Part two eyes that the first input shows side by side: its pieces keep the left, the right is laid over them.

    `source` is their (width, height) together, in pixels.
    """
    arrangement, eye = arrangement_at(frame, place), source[0] // 2
    pieces = tuple(
        replace(piece, crop=replace(piece.crop, right_px=max(eye, piece.crop.right_px)))
        if piece.overlay is None and not piece.input and piece.crop.left_px < eye
        else piece
        for piece in arrangement.pieces
    )
    left = with_arrangement(frame, place, replace(arrangement, pieces=pieces))
    both = add_piece(left, place, "", (eye, source[1]))
    number = len(arrangement.pieces)
    right = replace(arrangement_at(both, place).pieces[number], crop=Crop(left_px=eye))
    return set_piece(both, place, number, right)


def add_overlay(frame: FrameSetup, place: int, overlay: Overlay, size: tuple[int, int]) -> FrameSetup:
    """Lay something drawn, of (width, height) in pixels, over an arrangement: in the lower left corner."""
    margin = frame.size[0] // 45 // 2 * 2
    most = min(1.0, frame.size[0] / 2 / size[0], frame.size[1] / 2 / size[1])
    scale = most if overlay.kind is OverlayKind.IMAGE else 1
    width, height = (max(2, round(side * scale / 2) * 2) for side in size)
    corner = Place(x_px=margin, y_px=frame.size[1] - height - margin, width_px=width, height_px=height)
    return _laid_over(frame, place, Piece(overlay=overlay, place=corner))


def set_piece(frame: FrameSetup, place: int, number: int, piece: Piece) -> FrameSetup:
    """Put another piece in one's place, counted from the lowest."""
    arrangement = arrangement_at(frame, place)
    _piece_at(arrangement, number)
    pieces = (*arrangement.pieces[:number], piece, *arrangement.pieces[number + 1 :])
    return with_arrangement(frame, place, replace(arrangement, pieces=pieces))


def remove_piece(frame: FrameSetup, place: int, number: int) -> FrameSetup:
    """Take a piece out of an arrangement; the last one stays."""
    arrangement = arrangement_at(frame, place)
    _piece_at(arrangement, number)
    if len(arrangement.pieces) == 1:
        raise BadValueError(arrangement.name, "no picture", "one stays")
    pieces = (*arrangement.pieces[:number], *arrangement.pieces[number + 1 :])
    return with_arrangement(frame, place, replace(arrangement, pieces=pieces))


def move_piece(frame: FrameSetup, place: int, number: int, by: int) -> FrameSetup:
    """Move a piece over the next one (1) or under it (−1)."""
    arrangement = arrangement_at(frame, place)
    pieces = list(arrangement.pieces)
    pieces.insert(min(max(0, number + by), len(pieces) - 1), pieces.pop(_piece_at(arrangement, number)))
    return with_arrangement(frame, place, replace(arrangement, pieces=tuple(pieces)))


def side_by_side(frame: FrameSetup, place: int, sources: list[tuple[str, tuple[int, int]]]) -> FrameSetup:
    """Put the pictures of some inputs beside each other, as high as they fit, each with a size of its own.

    `sources` are their names as pieces have them with their (width, height) in square pixels.
    """
    arrangement = arrangement_at(frame, place)
    width, height = frame.size
    gap = min(width, height) // 24  # room for a case around each
    room = width - gap * (len(sources) + 1)
    high = min(height - 2 * gap, room / sum(across / down for _, (across, down) in sources))
    pieces, x = [], (width - high * sum(a / d for _, (a, d) in sources) - gap * (len(sources) - 1)) / 2
    for name, (across, down) in sources:
        wide = high * across / down
        pieces.append(Piece(input=name, place=_even_place(x, (height - high) / 2, wide, high)))
        x += wide + gap
    return with_arrangement(frame, place, replace(arrangement, pieces=tuple(pieces)))


def _laid_over(frame: FrameSetup, place: int, piece: Piece) -> FrameSetup:
    arrangement = arrangement_at(frame, place)
    if len(arrangement.pieces) >= MAX_PIECES:
        raise BadValueError(arrangement.name, f"{len(arrangement.pieces) + 1} pictures", f"it has at most {MAX_PIECES}")
    return with_arrangement(frame, place, replace(arrangement, pieces=(*arrangement.pieces, piece)))


def _even_place(x: float, y: float, width: float, height: float) -> Place:
    left, top, across, down = (int(value // 2) * 2 for value in (x, y, width, height))
    return Place(x_px=left, y_px=top, width_px=max(2, across), height_px=max(2, down))


def _piece_at(arrangement: Arrangement, number: int) -> int:
    if not 0 <= number < len(arrangement.pieces):
        raise BadValueError("Picture", number + 1, f"{arrangement.name} has {len(arrangement.pieces)}")
    return number
