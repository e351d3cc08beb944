"""A sync test: flashes in the picture of one input, clicks in the sound of each, and what they say together."""

from collections.abc import Mapping

from reel.core.measure import FlashFinder
from reel.core.media import luma_of
from reel.core.signal import NS, Picture, Samples, SoundFormat
from reel.core.sound import ClickFinder, Flash, SyncReading, in_step
from reel.recorder.messages import SyncStatus

SYNC_S = 15


class SyncTest:
    """Watches one input and listens to all that have sound, for SYNC_S seconds from `now_ns`, as they arrive.

    Each input is handed on by the thread that reads it; `status` may be asked from any thread.
    """

    def __init__(self, place: int, heard: Mapping[int, SoundFormat], now_ns: int) -> None:
        self.place = place
        self._end_ns = now_ns + SYNC_S * NS
        self._eye, self._flashes = FlashFinder(), list[Flash]()
        self._ears = {number: ClickFinder(sound.rate_hz) for number, sound in heard.items()}
        self._clicks: dict[int, list[int]] = {number: [] for number in heard}
        self._known: dict[int, tuple[tuple[int, int], SyncReading]] = {}

    def wants(self, place: int, now_ns: int) -> bool:
        """Return whether an input's pictures are looked at."""
        return place == self.place and now_ns < self._end_ns

    def see(self, place: int, picture: Picture) -> None:
        """Look at a picture of an input."""
        if (
            place == self.place
            and picture.at_ns < self._end_ns
            and (flash := self._eye.feed(luma_of(picture.frame), picture.at_ns))
        ):
            self._flashes.append(flash)

    def hear(self, place: int, samples: Samples) -> None:
        """Listen to a block of an input."""
        ear = self._ears.get(place)
        if ear is not None and samples.at_ns < self._end_ns:
            self._clicks[place] += ear.feed(samples.data, samples.at_ns)

    def lose(self, place: int) -> None:
        """Listen no longer to an input that is gone: it may come back as another one."""
        self._ears.pop(place, None)

    def status(self, now_ns: int) -> SyncStatus:
        """Say what was found so far."""
        flashes = tuple(self._flashes)
        clicks = {place: tuple(found) for place, found in self._clicks.items()}
        return SyncStatus(
            place=self.place,
            flashes=len(flashes),
            sounds={place: self._in_step(place, flashes, found) for place, found in clicks.items()},
            clicks={place: len(found) for place, found in clicks.items()},
            left_s=round(max(0, self._end_ns - now_ns) / NS, 1),
        )

    def _in_step(self, place: int, flashes: tuple[Flash, ...], clicks: tuple[int, ...]) -> SyncReading:
        """Say what an input's clicks say, worked out anew only where there are more: it is asked often."""
        count = len(flashes), len(clicks)
        if place not in self._known or self._known[place][0] != count:
            self._known[place] = count, in_step(flashes, clicks)
        return self._known[place][1]
