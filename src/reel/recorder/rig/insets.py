"""The pictures of an input beside the first: the newest ones, and what was lost of them while a take rolls."""

import threading
from collections import deque
from collections.abc import Iterator, Mapping
from fractions import Fraction
from typing import TypeAlias

from reel.core.line import RigSetup
from reel.core.measure import InputCounts, Missing
from reel.core.media import Framed
from reel.core.signal import NS, Picture, Segment
from reel.recorder.recording.mixing import TrackMixer
from reel.recorder.rig.prerecord import frame_bytes

# Pictures are kept so long, since a frame may be made a little after its time, and in so much memory.
_KEEP_NS, _MAX_BYTES = NS, 96_000_000
# Without a number that is left out, an input has lost pictures only once it has been silent for this long.
_SILENT_NS = NS // 2
# A take's segment, and its ticks a second.
PlaceOfRoll: TypeAlias = tuple[Segment, Fraction]


class Inset:
    """The newest pictures of one input. Fed by the thread that reads it, asked by the one that composes."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._pictures: deque[tuple[int, Framed]] = deque()
        self._last: Picture | None = None
        self._interval: Fraction | None = None
        self._missing: list[Missing] = []
        self._is_gone = False
        self._since_ns = 0

    def feed(self, picture: Picture, aspect: Fraction, interval: Fraction, place: PlaceOfRoll | None) -> None:
        """Take a picture, `interval` seconds after the one before; `place` is the take's segment and tick rate."""
        with self._lock:
            self._pictures.append((picture.at_ns, (picture.frame, aspect)))
            most = max(2, _MAX_BYTES // frame_bytes(picture.frame))
            while len(self._pictures) > most or (
                len(self._pictures) > 2 and self._pictures[-1][0] - self._pictures[0][0] > _KEEP_NS
            ):
                self._pictures.popleft()
            self._interval = self._interval or interval
            self._count(picture.at_ns, picture.sequence, place)
            self._last, self._interval, self._is_gone = picture, interval, False

    def lose(self) -> None:
        """Take note that the input is gone: the next picture is numbered anew."""
        with self._lock:
            self._is_gone = True

    def begin(self, now_ns: int) -> None:
        """Count anew from now on, since a take begins; frames that it has from before are not counted."""
        with self._lock:
            self._missing, self._since_ns = [], now_ns

    def newest(self, at_ns: int) -> Framed | None:
        """Return the newest picture that was shown by an instant, or the first that came after it; None before any."""
        with self._lock:
            found = [framed for shown_ns, framed in self._pictures if shown_ns <= at_ns]
            return found[-1] if found else self._pictures[0][1] if self._pictures else None

    def lost(self, now_ns: int | None = None, place: PlaceOfRoll | None = None) -> tuple[Missing, ...]:
        """Return what was lost so far; with `now_ns`, what has not come until then is lost too."""
        with self._lock:
            if now_ns is not None:
                self._count(now_ns, None, place)
            return tuple(self._missing)

    def _count(self, at_ns: int, sequence: int | None, place: PlaceOfRoll | None) -> None:
        if place is None:
            return
        segment, rate = place
        interval = self._interval or 1 / rate  # one that never came would show a picture a tick
        since_ns = max(self._since_ns, segment.start_ns)
        last = self._last if self._last is not None and self._last.at_ns >= since_ns else None
        start_ns = last.at_ns if last is not None else since_ns
        silent_ns = at_ns - start_ns
        left_out = 0
        if last is not None and sequence is not None and not self._is_gone:
            left_out = max(0, sequence - last.sequence - 1)
        if not left_out and silent_ns > _SILENT_NS:
            left_out = max(0, round(silent_ns / NS / interval) - 1)
        if left_out:
            tick = segment.first_tick + max(0, round((start_ns - segment.start_ns) * rate / NS))
            self._missing.append(Missing(first_tick=tick, lost=left_out))


def counted(setup: RigSetup, insets: Mapping[int, Inset], mixer: TrackMixer) -> Iterator[InputCounts]:
    """Return what was counted of each input beside the first one's pictures; `insets` by the inputs' places."""
    sounds = {source.name: source for source in mixer.sources}
    for place, one in enumerate(setup.inputs):
        pictures = insets[place].lost() if place in insets else ()
        sound = sounds.get(one.name)
        missing = tuple(sound.missing) if sound else ()
        stretched = sound.follower.stretched_ppm if sound else None
        broken = sound.broken.found if sound else ()
        yield InputCounts(name=one.name, pictures=pictures, sound=missing, stretched_ppm=stretched, broken=broken)
