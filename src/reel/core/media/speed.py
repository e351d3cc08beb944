"""The bench: how fast this machine encodes a picture by a plan, and how big it gets."""

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from itertools import count
from pathlib import Path

import av
from av.video.frame import PictureType

from reel.core.file import FilePlan, encoder_settings
from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.framing import Framer
from reel.core.media.streams import open_to_read
from reel.core.media.writer import tell
from reel.core.signal import Signal

# What is kept of a sample in memory, at most.
SAMPLE_BYTES = 120_000_000


@dataclass(frozen=True, slots=True, kw_only=True)
class Speed:
    """What one way of encoding does with a picture: pictures a second, and bits for each."""

    pictures_per_s: float
    bits_per_picture: float


def measure_speed(
    plan: FilePlan,
    frames: Sequence[av.VideoFrame],
    *,
    seconds: float,
    pictures: int | None = None,
    go_on: Callable[[], None] = lambda: None,
) -> Speed:
    """Encode a sample, forth and back, for some seconds or so many pictures, and throw it away; raises MediaError.

    `frames` have the plan's size and are coded as its signal is. `go_on` is called now and then, and may raise.
    """
    told = encoder_settings(plan)
    try:
        context = av.CodecContext.create(told.encoder, "w")
        assert isinstance(context, av.VideoCodecContext)
        tell(context, plan, told)
        context.framerate = plan.frame.rate
        context.open()
        made = bits = 0
        began_s = time.perf_counter()
        for number in count():
            frame = _at(frames, number)
            frame.pts, frame.time_base = number, 1 / plan.tick_rate
            frame.pict_type = PictureType.NONE  # a sample's own are all keyframes, and would be made so again
            bits += 8 * sum(packet.size for packet in context.encode(frame))
            made = number + 1
            if made == pictures or time.perf_counter() - began_s >= seconds:
                break
            if number % 8 == 0:
                go_on()
        bits += 8 * sum(packet.size for packet in context.encode(None))
        took_s = time.perf_counter() - began_s
    except BROKEN as error:
        raise MediaError(Path(told.encoder), f"can't encode this here ({reason_of(error)})") from error
    return Speed(pictures_per_s=made / took_s, bits_per_picture=bits / made)


def _at(frames: Sequence[av.VideoFrame], number: int) -> av.VideoFrame:
    """Return the picture of a number where a sample runs forth and back, so that it never jumps."""
    last = len(frames) - 1
    place = number % (2 * last) if last else 0
    return frames[place if place <= last else 2 * last - place]


class Sample:
    """A file's pictures as encoders take them, as many as memory allows; kept for one kind of signal at a time."""

    def __init__(self, path: Path) -> None:
        self._path = path
        self._signal: Signal | None = None
        self._frames: list[av.VideoFrame] = []

    def frames(self, plan: FilePlan) -> list[av.VideoFrame]:
        """Return the pictures as a plan's encoder takes them; raises MediaError."""
        if plan.signal != self._signal:
            self._frames, self._signal = [], None  # before others come: they are large
            self._frames, self._signal = self._read(plan.signal), plan.signal
        return self._frames

    def _read(self, signal: Signal) -> list[av.VideoFrame]:
        framer, found, kept_bytes = Framer(signal, exact=False), list[av.VideoFrame](), 0
        try:
            with open_to_read(self._path) as container:
                for frame in container.decode(video=0):
                    made = framer.apply(frame)
                    kept_bytes += sum(plane.buffer_size for plane in made.planes)
                    if kept_bytes > SAMPLE_BYTES and found:
                        break
                    found.append(made)
        except (*BROKEN, IndexError) as error:
            raise MediaError(self._path, f"can't be read as a sample ({reason_of(error)})") from error
        if not found:
            raise MediaError(self._path, "holds no picture to measure with")
        return found
