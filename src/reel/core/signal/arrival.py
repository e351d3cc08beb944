"""What arrives from an input: the facts of a signal, its pictures and its samples, and the seam they come through."""

from collections.abc import Callable
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from typing import Any, Protocol, TypeAlias

import av
import numpy as np
import numpy.typing as npt

from reel.core.errors import ReelError
from reel.core.signal.mode import Mode
from reel.core.signal.pixel import Matrix, Range, Transfer, pixel_format

FloatArray: TypeAlias = npt.NDArray[np.float32]
# 24 dB over full scale: a sample beyond that is no sound, but a fault of whoever sends it.
LOUDEST = 16.0


class Need(StrEnum):
    """What an input says that it lacks: a person can give it, as a step of its pairing says."""

    ALLOWED = "allowed"
    CODE = "code"
    SYSTEM = "system"
    FREE = "free"


class InputError(ReelError, OSError):
    """Raised when an input can't be opened or has broken. `name` is the input, `reason` says why.

    `lasts` says that trying again changes nothing before somebody changes the rig; `needs` what it lacks, None where
    that is not known.
    """

    def __init__(self, name: str, reason: str, *, lasts: bool = False, needs: Need | None = None) -> None:
        self.name, self.reason, self.lasts, self.needs = name, reason, lasts, needs
        super().__init__(f"{name} {reason}.")


class HeldError(InputError):
    """Raised when another rig has the device open; `holder` is that rig's name."""

    def __init__(self, name: str, holder: str) -> None:
        self.holder = holder
        super().__init__(name, f"is held by the rig “{holder}”")


@dataclass(frozen=True, slots=True, kw_only=True)
class Signal:
    """The facts of a picture signal. `pixels` is a libavutil name, a key of PIXEL_FORMATS.

    `pixel_aspect` is the width ÷ height of one pixel. `top_first` counts with interlaced scan: whether the field on
    the upper lines was taken first.
    """

    mode: Mode
    pixels: str = "yuv420p"
    matrix: Matrix = Matrix.BT709
    range: Range = Range.LIMITED
    transfer: Transfer = Transfer.BT709
    pixel_aspect: Fraction = Fraction(1)
    top_first: bool = True

    @property
    def rate_bps(self) -> Fraction:
        """Bits per second, uncompressed, without blanking: width × height × rate × bits per pixel."""
        mode = self.mode
        return mode.width_px * mode.height_px * mode.rate * pixel_format(self.pixels).bits_per_pixel


@dataclass(frozen=True, slots=True, kw_only=True)
class SoundFormat:
    """Samples per second and channel, and the number of channels."""

    rate_hz: int = 48_000
    channels: int = 2


@dataclass(frozen=True, slots=True, kw_only=True)
class Picture:
    """One picture. `at_ns` is when it was shown, on the recorder's clock; `sequence` counts the source's pictures.

    A gap in `sequence` is pictures that were lost before Reel could read them. `lasts_ns` is how long the source means
    it to be shown; None for as long as the signal's rate says.
    """

    at_ns: int
    sequence: int
    frame: av.VideoFrame
    lasts_ns: int | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Samples:
    """A block of sound. `at_ns` is the instant of its first sample; `data` is float32 (channels, samples), ±1.0.

    `broken` of them were no sound and are silence now; see `mended`.
    """

    at_ns: int
    data: FloatArray
    broken: int = 0


def mended(samples: Samples) -> Samples:
    """Return a block in which what is no number, or lies beyond LOUDEST, is silence, and counted."""
    peak = np.abs(samples.data).max(initial=0)
    if peak <= LOUDEST:  # which nothing is that is no number
        return samples
    is_sound = np.abs(samples.data) <= LOUDEST
    data = np.where(is_sound, samples.data, np.float32(0))
    return Samples(at_ns=samples.at_ns, data=data, broken=samples.broken + int(np.count_nonzero(~is_sound)))


class DeviceEvent(StrEnum):
    """What a device reports of itself over its link, beside picture and sound."""

    LOCKED = "locked"


Arrived: TypeAlias = Picture | Samples


@dataclass(frozen=True, slots=True)
class SentStream:
    """A stream as its sender describes it; `template` is libavformat's, from which a container makes its own.

    `codec` is libavcodec's name.
    """

    codec: str
    is_picture: bool
    extradata: bytes
    template: Any


@dataclass(frozen=True, slots=True)
class SentPacket:
    """A packet as it came, of stream number `stream`; the stamps are in units of `time_base` seconds."""

    stream: int
    data: bytes
    pts: int
    dts: int
    duration: int
    time_base: Fraction
    is_key: bool

    @property
    def shown_s(self) -> Fraction:
        """The second at which its sender shows it."""
        return self.pts * self.time_base


class Sent(Protocol):
    """What a sender sends, before it is decoded."""

    @property
    def streams(self) -> tuple[SentStream, ...]:
        """Its streams, the picture's first."""

    def attach(self, take: Callable[[SentPacket], None]) -> None:
        """Have each packet that comes from now on given to `take`, on a thread of the input's, which must not wait."""

    def detach(self) -> None:
        """Give no more packets."""

    def renew(self) -> None:
        """Have it opened anew, since its streams are others than it said."""


class Input(Protocol):
    """A live source. It is opened by its constructor and used from one thread."""

    @property
    def signal(self) -> Signal | None:
        """The picture signal as the input describes it; None while it is still connecting, or has no picture."""

    @property
    def sound(self) -> SoundFormat | None:
        """The sound as the input describes it; None when there is none."""

    @property
    def is_connecting(self) -> bool:
        """Whether it is not known yet what will come."""

    @property
    def event(self) -> DeviceEvent | None:
        """What the device reports of itself just now; None for nothing, and where it can't."""

    @property
    def sent(self) -> "Sent | None":
        """Its packets, as they come; None where it has none, or before they are known."""

    def due_ns(self) -> int | None:
        """When to read next, on the recorder's clock; None when nothing more will come."""

    def read(self, now_ns: int) -> Arrived | None:
        """Return the arrival that is due; None when nothing has come after all. Raises InputError when it has broken.

        An input that waited too long to be read skips pictures, as hardware does.
        """

    def close(self) -> None:
        """Let the device go. May be called twice."""
