"""What is kept of a file along its time: small enough to be stored with every take."""

import zlib
from dataclasses import dataclass
from fractions import Fraction

from reel.core.wire import from_json, to_json

# Of each kind so many are kept; later ones are left out, and what clips then counts with the last.
MAX_EVENTS = 1000


@dataclass(frozen=True, slots=True, kw_only=True)
class Span:
    """A stretch of time in milliseconds from the first picture on, its end left out."""

    begin_ms: int
    end_ms: int


@dataclass(frozen=True, slots=True, kw_only=True)
class Event:
    """A number of things, frames or samples, that begin at a millisecond."""

    at_ms: int
    number: int


@dataclass(frozen=True, slots=True, kw_only=True)
class PictureInTime:
    """The picture of a file. `rates` and `new` have a byte for each step: its data rate as coded_rate codes it, and how
    many pictures in it were unlike the one before.

    `lost` are ticks of a fixed rate that have no picture, `doubled` pictures that stand twice while all around move,
    `cuts` where another scene begins. `rate` is the fixed rate, None where there is none.
    """

    rates: bytes
    new: bytes
    rate: Fraction | None = None
    black: tuple[Span, ...] = ()
    still: tuple[Span, ...] = ()
    lost: tuple[Event, ...] = ()
    doubled: tuple[Event, ...] = ()
    cuts: tuple[int, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class SoundInTime:
    """A track of a file. `levels` and `peaks` have a byte for each step: dBFS + 100, 0 where there is nothing.

    `clipped` are samples that stand at full scale, what comes within half a second together; in `silent` there is no
    sound.
    """

    title: str
    levels: bytes
    peaks: bytes
    clipped: tuple[Event, ...] = ()
    silent: tuple[Span, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class TakeInTime:
    """A file along its time, in steps of `step_ms`; `picture` is None where it has none."""

    step_ms: int
    length_ms: int
    picture: PictureInTime | None
    tracks: tuple[SoundInTime, ...] = ()

    def packed(self) -> bytes:
        """Return it as it is stored."""
        return zlib.compress(to_json(self), 6)

    @classmethod
    def unpacked(cls, packed: bytes) -> "TakeInTime":
        """Read what `packed` gave; raises BadValueError."""
        return from_json(zlib.decompress(packed), cls)
