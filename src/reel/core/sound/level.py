"""Levels in dBFS: peak and RMS of a block, and a meter with a held peak."""

import math
from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from reel.core.signal import FloatArray, Gathered

FLOOR_DB = -90.0
HOLD_BLOCKS_S = 1.5
# A sample this large can hardly be anything but cut off: one step of 16 bits below full scale.
FULL_SCALE = 1 - 1 / 32768


@dataclass(frozen=True, slots=True, kw_only=True)
class Level:
    """One channel in dBFS (0 is full scale of a sine's peak): sample peak, RMS, and the highest peak lately.

    `clipped` counts the samples at full scale since it was opened.
    """

    peak_db: float
    rms_db: float
    held_db: float
    clipped: int = 0


def to_db(amplitude: float) -> float:
    """Give 20·log10 of a linear amplitude, not below FLOOR_DB."""
    return max(FLOOR_DB, 20 * math.log10(amplitude)) if amplitude > 0 else FLOOR_DB


class Meter:
    """Measures what is fed to it between two readings; each peak is held for HOLD_BLOCKS_S seconds."""

    def __init__(self, channels: int, rate_hz: int) -> None:
        self._rate_hz = rate_hz
        self._channels = channels
        self._held = [(FLOOR_DB, 0)] * channels
        self._position = 0
        self._clipped = np.zeros(channels, dtype=np.int64)
        self._gathered = Gathered()
        self._peak: FloatArray
        self._square: npt.NDArray[np.float64]
        self._count: int
        self._reset()

    def feed(self, data: FloatArray) -> None:
        """Take a block of float32 (channels, samples)."""
        if data.size:
            self._gathered.add(data)
            self._position += data.shape[1]
            if self._gathered.count >= self._rate_hz // 10:
                self._measure()

    def read(self) -> tuple[Level, ...]:
        """Return the level of each channel since the last reading, and start anew."""
        if self._gathered.count:
            self._measure()
        levels = []
        for channel in range(self._channels):
            peak_db = to_db(float(self._peak[channel]))
            held_db, held_at = self._held[channel]
            if peak_db >= held_db or self._position - held_at > HOLD_BLOCKS_S * self._rate_hz:
                held_db, held_at = peak_db, self._position
                self._held[channel] = (held_db, held_at)
            rms = math.sqrt(float(self._square[channel]) / self._count) if self._count else 0.0
            levels.append(
                Level(peak_db=peak_db, rms_db=to_db(rms), held_db=held_db, clipped=int(self._clipped[channel]))
            )
        self._reset()
        return tuple(levels)

    def _measure(self) -> None:
        data = self._gathered.take()
        self._square += np.square(data, dtype=np.float64).sum(axis=1)
        self._count += data.shape[1]
        amplitude = np.abs(data)
        peak = amplitude.max(axis=1)
        self._peak = np.maximum(self._peak, peak)
        if peak.max() >= FULL_SCALE:
            self._clipped += np.count_nonzero(amplitude >= FULL_SCALE, axis=1)

    def _reset(self) -> None:
        self._peak = np.zeros(self._channels, dtype=np.float32)
        self._square = np.zeros(self._channels, dtype=np.float64)
        self._count = 0
