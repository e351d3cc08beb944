"""What all stand-in devices share: a scene and a sound, sent at any mode on a clock of their own."""

from collections.abc import Callable
from fractions import Fraction
from typing import Protocol

import av

from reel.core.signal import NS, Arrived, FloatArray, InputError, Mode, Picture, Samples, Signal, SoundFormat
from reel.standins.ambience import CLICK_EVERY_S, CLICK_SHOWN_S, RATE_HZ
from reel.standins.layers import Canvas
from reel.standins.stamp import draw_stamp

BLOCK = 480
# As many pictures as a capture driver keeps for a program that is slow to read; older ones are overwritten.
BUFFERED_PICTURES = 8


class Scene(Protocol):
    """A picture for every moment, at a fixed size."""

    def draw(self, seconds: float) -> Canvas:
        """Give the picture of a moment; the same moment gives the same picture."""


class StandIn:
    """Sends `scene` and `sound` in `mode` from `start_ns` on. Implements Input.

    `sound` gives float32 (2, count) from a sample position on. The clock runs `drift_ppm` parts per million fast
    against the recorder's, for picture and sound alike. Every picture carries its number; on every drop the beacon
    lights up.
    """

    def __init__(
        self,
        name: str,
        mode: Mode,
        *,
        scene: Scene,
        sound: Callable[[int, int], FloatArray],
        start_ns: int,
        drift_ppm: float = 0.0,
    ) -> None:
        self._name, self._signal = name, Signal(mode=mode)
        self._scene, self._samples = scene, sound
        pace = 1 + Fraction(drift_ppm) / 1_000_000
        self._start_ns = start_ns
        self._picture_ns = NS / mode.rate / pace
        self._block_ns = Fraction(BLOCK * NS, RATE_HZ) / pace
        self._next_picture = self._next_block = 0
        self._open = True

    @property
    def signal(self) -> Signal:
        """The mode that was set; 4:2:0 8-bit, BT.709 limited."""
        return self._signal

    @property
    def sound(self) -> SoundFormat:
        """48 kHz stereo."""
        return SoundFormat(rate_hz=RATE_HZ, channels=2)

    def due_ns(self) -> int | None:
        """When the next picture is shown or the next block of sound is complete."""
        return min(self._shown_ns(self._next_picture), self._heard_ns(self._next_block + 1)) if self._open else None

    def read(self, now_ns: int) -> Arrived:
        """Give the next picture or block of sound; pictures that the buffer no longer holds are skipped."""
        if not self._open:
            raise InputError(self._name, "is switched off")
        if self._heard_ns(self._next_block + 1) < self._shown_ns(self._next_picture):
            return self._read_block()
        waiting = int((now_ns - self._shown_ns(self._next_picture)) / self._picture_ns)
        if waiting > BUFFERED_PICTURES:
            self._next_picture += waiting - BUFFERED_PICTURES
        return self._read_picture()

    def close(self) -> None:
        """Switch it off."""
        self._open = False

    def _read_picture(self) -> Picture:
        number = self._next_picture
        self._next_picture += 1
        seconds = number / self._signal.mode.rate
        canvas = self._scene.draw(float(seconds))
        draw_stamp(canvas.y, number, beacon=seconds % CLICK_EVERY_S < CLICK_SHOWN_S)
        frame = av.VideoFrame.from_numpy_buffer(canvas.buffer, format="yuv420p")
        frame.colorspace, frame.color_range = 1, 1  # BT.709, limited (ITU-T H.273)
        return Picture(at_ns=self._shown_ns(number), sequence=number, frame=frame)

    def _read_block(self) -> Samples:
        number = self._next_block
        self._next_block += 1
        return Samples(at_ns=self._heard_ns(number), data=self._samples(number * BLOCK, BLOCK))

    def _shown_ns(self, picture: int) -> int:
        return self._start_ns + round(picture * self._picture_ns)

    def _heard_ns(self, block: int) -> int:
        return self._start_ns + round(block * self._block_ns)
