"""The least that an input can be: one grey a picture, and a tone; for tests and benchmarks."""

from collections.abc import Callable, Collection
from fractions import Fraction
from typing import Any

import av
import numpy as np

from reel.core.signal import NS, InputError, Mode, Picture, Samples, Signal, SoundFormat


class Plain:
    """A picture of one grey and a tone, each on its own clock. Implements Input.

    `grey` gives the luma of a picture by its number. What is due between `gone_s` does not come; at `fails_s` reading
    raises InputError once, as it does when it is opened before the second one; then it `comes_back` in another mode.
    Without a `mode` there is no picture, without `hz` or `pulses` (seconds) no sound. `block` is in samples.
    """

    is_connecting = False
    event = sent = None

    def __init__(
        self,
        start_ns: int,
        *,
        mode: Mode | None = None,
        grey: Callable[[int], int] = lambda number: 16 + number % 200,
        hz: float = 0.0,
        amplitude: float = 0.1,
        channels: int = 2,
        ppm: float = 0.0,
        block: int = 480,
        pulses: Collection[float] = (),
        gone_s: tuple[float, float] = (0, 0),
        fails_s: tuple[float, float] = (0, 0),
        rate_hz: int = 48_000,
        comes_back: Mode | None = None,
    ) -> None:
        self.signal = Signal(mode=mode) if mode else None
        self.sound = SoundFormat(rate_hz=rate_hz, channels=channels) if hz or pulses else None
        self._start_ns, self._grey, self._hz, self._amplitude = start_ns, grey, hz, amplitude
        self._pace, self._block, self._pulses = 1 + Fraction(ppm) / 1_000_000, block, pulses
        self._gone_s, self._fails_s = gone_s, fails_s
        self._picture = self._sample = 0
        if comes_back and start_ns / NS >= fails_s[1] > 0:
            self.signal = Signal(mode=comes_back)
        if fails_s[0] < start_ns / NS < fails_s[1]:
            raise InputError("The plain one", "is away")

    def _at_ns(self, number: int, rate: Fraction | int) -> int:
        # whole numbers, since fractions are slow and this is asked for several times a picture
        up, down = number * NS * rate.denominator * self._pace.denominator, rate.numerator * self._pace.numerator
        return self._start_ns + (2 * up + down) // (2 * down)

    def _picture_ns(self, signal: Signal) -> int:
        return self._at_ns(self._picture, signal.mode.rate)

    def _block_ns(self, sound: SoundFormat) -> int:
        """Return when the next block of sound has ended."""
        return self._at_ns(self._sample + self._block, sound.rate_hz)

    def due_ns(self) -> int:
        moments = []
        if self.signal:
            moments.append(self._picture_ns(self.signal))
        if self.sound:
            moments.append(self._block_ns(self.sound))
        return min(moments)

    def read(self, now_ns: int) -> Picture | Samples | None:
        if self._fails_s[0] <= now_ns / NS < self._fails_s[1]:
            raise InputError("The plain one", "was pulled")
        item = self._next()
        return None if self._gone_s[0] <= item.at_ns / NS < self._gone_s[1] else item

    def _next(self) -> Picture | Samples:
        signal, sound = self.signal, self.sound
        if signal and (not sound or self._picture_ns(signal) <= self._block_ns(sound)):
            at_ns, number = self._picture_ns(signal), self._picture
            self._picture += 1
            return Picture(at_ns=at_ns, sequence=number, frame=self._draw(signal.mode, number))
        assert sound is not None
        at_ns = self._at_ns(self._sample, sound.rate_hz)
        places = np.arange(self._sample, self._sample + self._block)
        self._sample += self._block
        tone = self._amplitude * np.sin(2 * np.pi * self._hz * places / sound.rate_hz)
        for second in self._pulses:  # by this input's own clock
            tone[np.abs(places - second * sound.rate_hz) < 24] = 0.8
        return Samples(at_ns=at_ns, data=np.tile(tone.astype(np.float32), (sound.channels, 1)))

    def _draw(self, mode: Mode, number: int) -> av.VideoFrame:
        planes = np.full((mode.height_px * 3 // 2, mode.width_px), 128, dtype=np.uint8)
        planes[: mode.height_px] = self._grey(number)
        frame = av.VideoFrame.from_ndarray(planes, format="yuv420p")
        frame.colorspace, frame.color_range = 1, 1
        return frame

    def close(self) -> None:
        pass


def opener(**settings: Any) -> Callable[[int], Plain]:
    """Return what opens a plain input; see Plain."""
    return lambda start_ns: Plain(start_ns, **settings)
