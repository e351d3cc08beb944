"""The packets of a picture as far as cutting needs them: which go through untouched, which frames are encoded anew."""

import io
from dataclasses import dataclass, field
from fractions import Fraction

import numpy as np
import numpy.typing as npt

from reel.core.errors import BadValueError
from reel.core.finish.keep import TickRange

IntArray = npt.NDArray[np.int64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Pieces:
    """What a kept range is made of: `head` and `tail` are encoded anew, between them packets go through.

    `copied` are places in the order of decoding, its end left out; of those, pictures from `begin` on are taken. The
    three follow each other, and each may be empty. `encoded` of its `frames` are encoded anew.
    """

    head: TickRange | None
    begin: int
    copied: tuple[int, int]
    tail: TickRange | None
    frames: int
    encoded: int
    copied_bytes: int


@dataclass(frozen=True, slots=True, eq=False, kw_only=True)
class PacketIndex:
    """The packets of a file's picture in the order of decoding, one an element.

    `stamps` are when it is shown, in units of `time_base`; `keys` whether decoding may begin with it and what is shown
    from there on needs nothing before it; `sizes` its bytes. `ticks`, at `rate` a second, count from `start` on, the
    stamp of the first picture. Raises BadValueError where there is none.
    """

    stamps: IntArray
    keys: npt.NDArray[np.bool_]
    sizes: IntArray
    time_base: Fraction
    rate: Fraction
    ticks: IntArray = field(init=False)
    start: int = field(init=False)

    def __post_init__(self) -> None:
        if not len(self.stamps):
            raise BadValueError("Picture", "nothing", "there is no packet that could be kept")
        object.__setattr__(self, "start", int(self.stamps.min()))
        object.__setattr__(self, "ticks", self.ticks_of(self.stamps))

    @property
    def length(self) -> int:
        """Ticks from the first picture to the end of the last."""
        return int(self.ticks.max()) + 1

    @property
    def is_fixed(self) -> bool:
        """Whether each stamp lies on its tick, as exactly as the container counts."""
        step = self.rate * self.time_base
        off = (self.stamps - self.start) * step.numerator - self.ticks * step.denominator
        return bool((np.abs(off) <= step.numerator).all())

    @property
    def is_intra(self) -> bool:
        """Whether every picture stands alone: any of them may be first or last."""
        return bool(self.keys.all())

    @property
    def key_ticks(self) -> IntArray:
        """The ticks at which decoding may begin, sorted."""
        return np.sort(self.ticks[self.keys])

    def ticks_of(self, stamps: IntArray) -> IntArray:
        """Return the nearest ticks of stamps."""
        step = self.rate * self.time_base
        up, down = step.numerator, step.denominator
        return ((stamps - self.start) * up + down // 2) // down

    def shown_at(self, tick: int) -> int:
        """Return the tick of the picture that is shown at one: its own, or the last before it."""
        before = self.ticks[self.ticks <= tick]
        return int(before.max()) if len(before) else int(self.ticks.min())

    def packed(self) -> bytes:
        """Return it as it is stored."""
        written = io.BytesIO()
        times = np.array([*self.time_base.as_integer_ratio(), *self.rate.as_integer_ratio()], dtype=np.int64)
        np.savez_compressed(
            written, stamps=np.diff(self.stamps, prepend=0), keys=np.packbits(self.keys), sizes=self.sizes, times=times
        )
        return written.getvalue()

    @classmethod
    def unpacked(cls, packed: bytes) -> "PacketIndex":
        """Read what `packed` gave."""
        with np.load(io.BytesIO(packed), allow_pickle=False) as kept:
            stamps, times = np.cumsum(kept["stamps"]), [int(one) for one in kept["times"]]
            return cls(
                stamps=stamps,
                keys=np.unpackbits(kept["keys"], count=len(stamps)).astype(np.bool_),
                sizes=kept["sizes"],
                time_base=Fraction(times[0], times[1]),
                rate=Fraction(times[2], times[3]),
            )

    def pieces(self, kept: TickRange) -> Pieces:
        """Say which packets of a range go through: from its first keyframe on, as long as what comes in the order of
        decoding lies in the range. A picture that needs one beyond the range's end is encoded anew."""
        low, high = self._window(kept)
        ticks, keys = self.ticks[low:high], self.keys[low:high]
        inside = (ticks >= kept.first) & (ticks < kept.end)
        frames = int(inside.sum())
        starts = np.flatnonzero(keys & inside)
        if not len(starts):
            return Pieces(
                head=kept, begin=kept.end, copied=(0, 0), tail=None, frames=frames, encoded=frames, copied_bytes=0
            )
        start = int(starts[np.argmin(ticks[starts])])
        begin = int(ticks[start])
        stop, limit = _run(ticks, start, begin, kept.end)
        taken = ticks[start:stop] >= begin
        return Pieces(
            head=TickRange(kept.first, begin) if (inside & (ticks < begin)).any() else None,
            begin=begin,
            copied=(low + start, low + stop),
            tail=TickRange(limit, kept.end) if (inside & (ticks >= limit)).any() else None,
            frames=frames,
            encoded=frames - int(taken.sum()),
            copied_bytes=int(self.sizes[low + start : low + stop][taken].sum()),
        )

    def _window(self, kept: TickRange) -> tuple[int, int]:
        """Return the places in the order of decoding between which all pictures of a range lie: those that are shown
        before a keyframe and decoded after it come before the next one."""
        places = np.flatnonzero(self.keys)
        ticks = self.ticks[places]
        before, behind = np.flatnonzero(ticks <= kept.first), np.flatnonzero(ticks >= kept.end)
        low = int(places[before].max()) if len(before) else 0
        return low, int(np.sort(places[behind])[1]) if len(behind) > 1 else len(self.ticks)

    def moved(self, kept: TickRange) -> TickRange:
        """Return a range with its edges moved outwards to where nothing has to be encoded anew."""
        keys = self.key_ticks
        before = keys[keys <= kept.first]
        first, end = int(before[-1]) if len(before) else int(keys[0]), min(kept.end, self.length)
        last = max(first, int(keys[keys < end][-1])) if (keys < end).any() else first
        while end < self.length and self.pieces(TickRange(last, end)).tail is not None:
            end += 1
        return TickRange(first, end)


def _run(ticks: IntArray, start: int, begin: int, limit: int) -> tuple[int, int]:
    """Return where copying from `start` on stops, and the tick up to which that leaves nothing out."""
    while True:
        beyond = np.flatnonzero(ticks[start:] >= limit)
        stop = start + int(beyond[0]) if len(beyond) else len(ticks)
        late = ticks[stop:]
        late = late[(late >= begin) & (late < limit)]
        if not len(late):
            return stop, limit
        limit = int(late.min())
