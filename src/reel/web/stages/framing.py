"""What the Frame page shows: the chosen arrangement and piece, how it is cast, and what the handles need."""

from dataclasses import dataclass, replace
from fractions import Fraction
from functools import cached_property
from typing import Any

from django.conf import settings
from django.http import HttpRequest

from reel.core.frame import (
    Arrangement,
    Caption,
    Clock,
    Crop,
    Face,
    Image,
    Overlay,
    Piece,
    Place,
    Proposal,
    proposals,
    scaling,
)
from reel.core.line import USUAL_FRAME, Eye, InputSetup, RigSetup, signal_chain
from reel.core.media import Moment, OverlayAssets
from reel.core.media.overlay import draw
from reel.core.signal import Signal
from reel.options import FONTS
from reel.recorder.messages import InputStatus, Status
from reel.web.live.recorder import rig_status
from reel.web.stages.forms.overlay import OverlayForm
from reel.web.stages.forms.piece import PieceForm
from reel.web.ui.forms import ValueForm

# What is known of a picture that has not come yet and of which nothing is foretold.
_UNKNOWN = (1280, 720)


@dataclass(frozen=True)
class FramePage:
    """The Frame page for one request: which arrangement and which of its pieces, counted from 0, are looked at.

    `is_chosen` says that the address names the piece.
    """

    plan: RigSetup
    arrangement: int
    number: int
    lives: tuple[InputStatus, ...] = ()
    is_chosen: bool = False

    @classmethod
    def of(cls, request: HttpRequest, plan: RigSetup, status: Status | None = None, rig_id: int = 0) -> "FramePage":
        """Read what an address asks for; what is not there is the first arrangement, and its topmost piece."""
        live = rig_status(status, rig_id)
        lives = live.inputs if live is not None and len(live.inputs) == len(plan.inputs) else ()
        arrangement = _number(
            request.GET.get("arrangement"), len(plan.frame.arrangements), live.arrangement if live else 0
        )
        pieces = plan.frame.arrangements[arrangement].pieces
        asked = request.GET.get("piece")
        return cls(plan, arrangement, _number(asked, len(pieces), len(pieces) - 1), lives, asked is not None)

    @property
    def query(self) -> str:
        """What an address ends with that is about this piece; the topmost needs not be named."""
        return f"?arrangement={self.arrangement}" + (f"&piece={self.number}" if self.is_chosen else "")

    @property
    def arranged(self) -> Arrangement:
        return self.plan.frame.arrangements[self.arrangement]

    @property
    def piece(self) -> Piece:
        return self.arranged.pieces[self.number]

    def signal_of(self, piece: Piece) -> Signal | None:
        """What arrives for a piece, or is foretold to."""
        place = self.plan.index_of(piece.input)
        one = self.plan.inputs[place]
        comes = self.lives[place].signal if self.lives else None
        carried = signal_chain(one).carried
        return one.arrival.signal_of(comes) if comes else carried.signal if carried else None

    def rows(self) -> list[dict[str, object]]:
        """Return the pieces from the topmost to the lowest, as the table has them."""
        rows = []
        for number, piece in reversed(list(enumerate(self.arranged.pieces))):
            if piece.overlay is not None:
                rows.append(self._drawn_row(number, piece))
                continue
            place = self.plan.index_of(piece.input)
            size, aspect = self._source(piece)
            _, placed = piece.cast(size, self.plan.frame.size, aspect)
            rows.append(
                {
                    "number": number,
                    "place": place,
                    "name": self.plan.inputs[place].name,
                    "piece": piece,
                    "placed": placed,
                    "scaled": scaling(piece, size, self.plan.frame.size, aspect).words,
                    "is_chosen": number == self.number,
                }
            )
        return rows

    def _drawn_row(self, number: int, piece: Piece) -> dict[str, object]:
        return {
            "number": number,
            "place": 5,
            "name": title_of(piece.overlay),
            "piece": piece,
            "placed": piece.place,
            "scaled": "",
            "is_chosen": number == self.number,
        }

    @cached_property
    def facts(self) -> dict[str, object]:
        """Return what the handles need: the frame, the picture's part that is shown, where it lies, what is dragged.

        A piece that fills the frame is cropped by its handles; another one is moved and sized.
        """
        piece = self.piece
        size, aspect = self._source(piece)
        area, placed = piece.cast(size, self.plan.frame.size, aspect)
        drawn = piece.overlay is not None
        place = self.plan.index_of(piece.input)
        return {
            "frame": self.plan.frame.size,
            "source": size,
            "area": (area.x_px, area.y_px, area.width_px, area.height_px),
            "placed": (placed.x_px, placed.y_px, placed.width_px, placed.height_px),
            "crops": piece.place is None,
            "straight": piece.turn.value == "0" and not piece.mirrored,
            "name": title_of(piece.overlay) if drawn else self.plan.inputs[place].name,
            "strand": 5 if drawn else place,
            "sized": not drawn or isinstance(piece.overlay, Image),
        }

    @property
    def bars(self) -> InputStatus | None:
        """How the first input stands, whose bars are looked for."""
        return self.lives[0] if self.lives else None

    @property
    def has_two_eyes(self) -> bool:
        """Whether the first picture is of two eyes side by side."""
        return self.plan.picture.device.shown_eye is Eye.BOTH

    @property
    def touches(self) -> bool | None:
        """Whether the piece's device marks touches in its picture; None for what can't."""
        if self.piece.overlay is not None:
            return None
        return self.plan.inputs[self.plan.index_of(self.piece.input)].device.shows_touches

    @cached_property
    def proposals(self) -> list[Proposal]:
        """What would frame the first picture better, as far as is known now."""
        signal = self.signal_of(Piece())
        if signal is None:
            return []
        live = self.bars
        found: Crop | None = live.bars.crop if live is not None and live.bars is not None else None
        return proposals(self.plan.frame, _size(signal), signal.pixel_aspect, found)

    def source_size(self) -> tuple[int, int]:
        """Return the (width, height) in pixels of the first picture, as it arrives or is foretold to."""
        return self._source(Piece())[0]

    def _source(self, piece: Piece) -> tuple[tuple[int, int], Fraction]:
        if piece.overlay is not None and piece.place is not None:
            return (piece.place.width_px, piece.place.height_px), Fraction(1)
        signal = self.signal_of(piece)
        return (_size(signal), signal.pixel_aspect) if signal else (_UNKNOWN, Fraction(1))


def square_size(one: InputSetup) -> tuple[int, int]:
    """Return the (width, height) of an input's picture in square pixels, as the line foretells it."""
    carried = signal_chain(one).carried
    if carried is None:
        return _UNKNOWN
    width, height = _size(carried.signal)
    return round(width * carried.signal.pixel_aspect), height


def _size(signal: Signal) -> tuple[int, int]:
    return signal.mode.width_px, signal.mode.height_px


def _number(asked: str | None, count: int, otherwise: int) -> int:
    number = int(asked) if asked and asked.isdecimal() and len(asked) < 3 else otherwise
    return number if 0 <= number < count else max(0, min(otherwise, count - 1))


def title_of(overlay: Overlay | None) -> str:
    """Name something drawn, as the table of pieces has it."""
    if isinstance(overlay, Caption):
        return overlay.text.replace("\n", " ")[:40]
    if isinstance(overlay, Image):
        return overlay.title or "Image"
    return "Timecode" if isinstance(overlay, Clock) and overlay.face is Face.TIMECODE else "Time of day"


def size_of(overlay: Overlay) -> tuple[int, int]:
    """Return the (width, height) in pixels of what words take."""
    drawn_on = Signal(mode=USUAL_FRAME)  # how it is coded changes no size
    film = draw(
        overlay,
        OverlayAssets(fonts=FONTS, images=settings.HOME.images),
        Moment(),
        Place(x_px=0, y_px=0, width_px=2, height_px=2),
        drawn_on,
    )
    return film.size if film is not None else (2, 2)


def measured(piece: Piece) -> Piece:
    """Return a piece whose place is as big as its words are; others as they are."""
    if not isinstance(piece.overlay, Caption | Clock) or piece.place is None:
        return piece
    width, height = size_of(piece.overlay)
    return replace(piece, place=replace(piece.place, width_px=width, height_px=height))


def piece_form(piece: Piece, data: Any = None) -> ValueForm:
    """Return the form of a piece: of a live picture, or of something drawn."""
    return OverlayForm(data, piece=piece) if piece.overlay is not None else PieceForm(data, piece=piece)
