"""The least work that an input can be: one grey a picture, which tells its number, and a tone."""

from collections.abc import Callable

import av
import numpy as np

from reel.core.signal import NS, Mode, Picture, Samples, Signal, SoundFormat

# Samples of a block of sound, and the tone's rate.
_BLOCK, _HZ = 4800, 440


def grey_of(number: int) -> int:
    """Return the luma of a picture by its number."""
    return 16 + number * 7 % 200


class Ramp:
    """Sends pictures of a mode, each of one grey, and 48 kHz stereo. Implements Input."""

    is_connecting = False
    event = sent = None

    def __init__(self, start_ns: int, mode: Mode) -> None:
        self.signal, self.sound = Signal(mode=mode), SoundFormat()
        self._start_ns, self._picture, self._block = start_ns, 0, 0

    def _picture_ns(self) -> int:
        return self._start_ns + round(self._picture * NS / self.signal.mode.rate)

    def _block_ns(self, number: int) -> int:
        return self._start_ns + number * _BLOCK * NS // self.sound.rate_hz

    def due_ns(self) -> int:
        return min(self._picture_ns(), self._block_ns(self._block + 1))  # a block is there once it has ended

    def read(self, now_ns: int) -> Picture | Samples:
        if self._picture_ns() <= self._block_ns(self._block + 1):
            at_ns, number = self._picture_ns(), self._picture
            self._picture += 1
            return Picture(at_ns=at_ns, sequence=number, frame=self._draw(number))
        at_ns, places = self._block_ns(self._block), np.arange(self._block * _BLOCK, (self._block + 1) * _BLOCK)
        self._block += 1
        tone = (0.1 * np.sin(2 * np.pi * _HZ * places / self.sound.rate_hz)).astype(np.float32)
        return Samples(at_ns=at_ns, data=np.tile(tone, (self.sound.channels, 1)))

    def _draw(self, number: int) -> av.VideoFrame:
        mode = self.signal.mode
        planes = np.full((mode.height_px * 3 // 2, mode.width_px), 128, dtype=np.uint8)
        planes[: mode.height_px] = grey_of(number)
        frame = av.VideoFrame.from_ndarray(planes, format="yuv420p")
        frame.colorspace, frame.color_range = 1, 1
        return frame

    def close(self) -> None:
        pass


def ramp(mode: Mode) -> Callable[[int], Ramp]:
    """Return what opens a ramp."""
    return lambda start_ns: Ramp(start_ns, mode)
