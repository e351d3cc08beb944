"""The frames of an open rig: composed of its inputs' newest pictures, as the rig and the page say."""

import datetime
import threading
from collections.abc import Callable, Mapping
from fractions import Fraction

import av

from reel.core.line import RigSetup, file_plan
from reel.core.media import Composer, Framed, Moment, OverlayAssets, OverlayBitmap, Stroke, draw_stroke
from reel.core.signal import NS, timecode
from reel.recorder.clock import Clock
from reel.recorder.messages import Draw, Pen
from reel.recorder.recording.session import MakeFrame
from reel.recorder.rig.insets import Inset

# An instant this long ago is one that reading has fallen behind.
LATE_NS = NS // 2
# Older strokes of the pen go when there are more.
MAX_STROKES = 200


class Frames:
    """Composes the frames of a rig for the file and, with less work, for a page alone.

    `taken` gives the second of the take at an instant. Used on the thread that records, but for `draw`.
    """

    def __init__(self, setup: RigSetup, assets: OverlayAssets, clock: Clock, taken: Callable[[int], Fraction]) -> None:
        self._setup, self._assets, self._clock, self._taken = setup, assets, clock, taken
        self._strokes: tuple[tuple[Stroke, OverlayBitmap], ...] = ()
        self._drawing = threading.Lock()
        self._recording, self._viewfinder = self._composers()
        self.insets = {place: Inset() for place in _inset_places(setup)}

    @property
    def arrangement(self) -> int:
        """The arrangement that is on, counted from 0."""
        return self._recording.arrangement

    @property
    def toggled(self) -> frozenset[str]:
        """The keys of the pieces that were toggled."""
        return self._recording.toggled

    @property
    def strokes(self) -> int:
        """How many strokes of the pen lie on the picture."""
        return len(self._strokes)

    def become(self, setup: RigSetup) -> None:
        """Compose as another setup says from now on; what is on stays on."""
        self._setup = setup
        before = self._recording
        with self._drawing:
            self._recording, self._viewfinder = self._composers()
            self._strokes = tuple((stroke, draw_stroke(stroke, file_plan(setup).signal)) for stroke, _ in self._strokes)
            self._show_strokes()
        for composer in (self._recording, self._viewfinder):
            composer.arrangement = min(before.arrangement, len(setup.frame.arrangements) - 1)
            composer.toggled = before.toggled
        self.insets = {place: self.insets.get(place) or Inset() for place in _inset_places(setup)}

    def arrange(self, place: int) -> str | None:
        """Switch to an arrangement and give its name; one that is not there changes nothing, and gives None."""
        if not 0 <= place < len(self._setup.frame.arrangements) or place == self.arrangement:
            return None
        self._recording.arrangement = self._viewfinder.arrangement = place
        return self._setup.frame.arrangements[place].name

    def draw(self, request: Draw) -> None:
        """Draw on the picture, or take back what was drawn; may be called from any thread."""
        with self._drawing:
            if request.does is Pen.ADD and request.stroke is not None:
                drawn = request.stroke, draw_stroke(request.stroke, file_plan(self._setup).signal)
                self._strokes = (*self._strokes, drawn)[-MAX_STROKES:]
            else:
                self._strokes = self._strokes[:-1] if request.does is Pen.BACK else ()
            self._show_strokes()

    def _show_strokes(self) -> None:
        self._recording.pen = self._viewfinder.pen = tuple(bitmap for _, bitmap in self._strokes)

    def toggle(self, key: str) -> None:
        """Show what has a key and is hidden, and the other way round."""
        if key in {piece.key for one in self._setup.frame.arrangements for piece in one.pieces if piece.key}:
            self._recording.toggled = self._viewfinder.toggled = self._recording.toggled ^ {key}

    def maker(self, first: Framed, *, for_file: bool) -> MakeFrame:
        """Return what makes the frame of an instant while `first` is the first input's newest picture.

        Where it is the whole frame, there is one frame only; else the last one made is kept, and given for instants
        so long ago that reading must be behind: making up for them would put it further behind.
        """
        composer = self._recording if for_file else self._viewfinder
        made: tuple[tuple[object, int | None], av.VideoFrame] | None = None

        def make(at_ns: int) -> av.VideoFrame:
            nonlocal made
            state = (composer.arrangement, composer.toggled, composer.pen)
            key = (state, None if composer.is_single else at_ns)
            is_late = self._clock.now_ns() - at_ns > LATE_NS
            if made is None or (key != made[0] and not (is_late and made[0][0] == state)):
                frame = composer.compose(self._newest(first, at_ns), self._moment(at_ns))
                made = key, frame
            return made[1]

        return make

    def _composers(self) -> tuple[Composer, Composer]:
        """Return what composes frames for the file, and what does so for a page alone."""
        framed, assets = file_plan(self._setup).signal, self._assets
        exact = Composer(self._setup.frame, framed, assets=assets)
        return exact, Composer(self._setup.frame, framed, exact=False, assets=assets)

    def _moment(self, at_ns: int) -> Moment:
        """Return what clocks show at an instant: the take's timecode, and the time of day."""
        wall = self._clock.wall() + datetime.timedelta(microseconds=(at_ns - self._clock.now_ns()) // 1000)
        return Moment(timecode=timecode(self._taken(at_ns), self._setup.frame.mode.rate), time=f"{wall:%H:%M:%S}")

    def _newest(self, first: Framed, at_ns: int) -> Mapping[str, Framed]:
        found = {"": first, self._setup.picture.name: first}
        for place, inset in self.insets.items():
            newest = inset.newest(at_ns)
            if newest is not None:
                found[self._setup.inputs[place].name] = newest
        return found


def _inset_places(setup: RigSetup) -> list[int]:
    """Return the places of the inputs beside the first whose pictures are in an arrangement."""
    shown = setup.frame.shown_inputs
    return [place for place, one in enumerate(setup.inputs) if place and one.has_picture and one.name in shown]
