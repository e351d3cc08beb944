"""A media file played at its own pace, as an input."""

import heapq
from collections.abc import Generator, Iterator
from dataclasses import replace
from pathlib import Path

from reel.core.media.decoding import Decoded, Decoder, complete_ns, frame_signal, open_file, sound_format
from reel.core.media.errors import BROKEN
from reel.core.signal import NS, Arrived, DeviceEvent, InputError, Picture, Samples, Sent, Signal, SoundFormat

# A feed that is read this late drops pictures, as a network source would.
MAX_LATE_NS = NS // 2
# So many arrivals are decoded ahead to bring picture and sound into order; a file without one of them waits no longer.
AHEAD = 60


class FileFeed:
    """Plays `path` from `start_ns` on; at its end it stops, or begins anew when `loop`. Implements Input.

    Sound is given as float32 stereo at 48 kHz. Raises InputError when the file has no picture or can't be decoded.
    """

    def __init__(self, path: Path, *, start_ns: int, loop: bool = False) -> None:
        self._name, self._loop = path.name, loop
        self._start_ns = start_ns
        self._sequence = 0
        self._signal: Signal | None = None
        self._container = open_file(path)
        try:
            self._sound = sound_format(self._container)
            self._decoder = Decoder(self._container, self._name)
            self._arrivals = self._play()
            self._next: Arrived | None = next(self._arrivals, None)
            while self._signal is None and self._next is not None:  # sound that comes before the first picture
                self._next = next(self._arrivals, None)
            if self._signal is None:
                raise InputError(path.name, "can't be played as a feed: nothing in it could be decoded")
        except InputError:
            self._container.close()
            raise

    @property
    def signal(self) -> Signal:
        """The picture as the file describes it."""
        assert self._signal is not None
        return self._signal

    @property
    def sound(self) -> SoundFormat | None:
        """48 kHz stereo, or None for a silent file."""
        return self._sound

    @property
    def is_connecting(self) -> bool:
        """No: a file is there once it is opened."""
        return False

    @property
    def event(self) -> DeviceEvent | None:
        """Nothing: it can't."""
        return None

    @property
    def sent(self) -> Sent | None:
        """Nothing: it does not come in packets that could be kept."""
        return None

    def due_ns(self) -> int | None:
        """When the next picture is shown or the next block of sound is complete; None after the end."""
        return complete_ns(self._next) if self._next is not None else None

    def read(self, now_ns: int) -> Arrived:
        """Return the next arrival; pictures more than MAX_LATE_NS old are skipped and leave a gap in sequence."""
        while True:
            arrival = self._next
            if arrival is None:
                raise InputError(self._name, "has ended")
            self._next = next(self._arrivals, None)
            late = isinstance(arrival, Picture) and now_ns - arrival.at_ns > MAX_LATE_NS
            if not late or not isinstance(self._next, Picture):
                return arrival

    def close(self) -> None:
        """Close the file, and let all go that decoding holds."""
        self._next = None
        self._arrivals.close()
        self._container.close()

    def _play(self) -> Generator[Arrived, None, None]:
        """Decode the file once or for ever; each round starts where the one before ended, picture and sound alike."""
        offset_ns = self._start_ns
        while True:
            end_ns = offset_ns
            for arrival in self._in_order(self._round(offset_ns)):
                if isinstance(arrival, Picture):
                    end_ns = max(end_ns, self._end_of(arrival))
                yield arrival
            if not self._loop or end_ns == offset_ns or self._signal is None:
                return
            offset_ns = end_ns  # where the sound is a little longer, its end lies under the next beginning
            try:
                self._container.seek(0)
            except BROKEN as error:
                raise InputError(self._name, "has ended, and can't be wound back") from error

    def _end_of(self, picture: Picture) -> int:
        assert self._signal is not None
        return picture.at_ns + (picture.lasts_ns or round(NS / self._signal.mode.rate))

    def _in_order(self, arrivals: Iterator[Arrived]) -> Iterator[Arrived]:
        """Bring picture and sound into the order in which they are due: a decoder gives pictures later than sound."""
        waiting: list[tuple[int, int, Arrived]] = []
        reached: dict[type, int] = {}
        kinds = 2 if self._sound else 1
        for number, arrival in enumerate(arrivals):
            due_ns = complete_ns(arrival)
            heapq.heappush(waiting, (due_ns, number, arrival))
            reached[type(arrival)] = due_ns
            while waiting and (
                (waiting[0][0] <= min(reached.values()) and len(reached) == kinds) or len(waiting) > AHEAD
            ):
                yield heapq.heappop(waiting)[2]
        while waiting:
            yield heapq.heappop(waiting)[2]

    def _round(self, offset_ns: int) -> Iterator[Arrived]:
        """Play once. Each picture waits for the next one, which says how long it lasts."""
        before: Picture | None = None
        first_s = None
        for decoded in self._decoder.run():
            first_s = decoded.shown_s if first_s is None else first_s
            at_ns = offset_ns + max(0, round((decoded.shown_s - first_s) * NS))
            arrival = self._arrived(decoded, at_ns)
            if isinstance(arrival, Samples):
                yield arrival
                continue
            if before is not None:
                yield replace(before, lasts_ns=max(1, at_ns - before.at_ns))
            before = arrival
        if before is not None:
            yield before

    def _arrived(self, decoded: Decoded, at_ns: int) -> Arrived:
        if decoded.frame is None:
            assert decoded.data is not None
            return Samples(at_ns=at_ns, data=decoded.data)
        self._signal = frame_signal(decoded.frame, self._decoder.stream, self._name)
        self._sequence += 1 + decoded.lost
        lasts_ns = round(decoded.lasts_s * NS) if decoded.lasts_s else None
        return Picture(at_ns=at_ns, sequence=self._sequence - 1, frame=decoded.frame, lasts_ns=lasts_ns)
