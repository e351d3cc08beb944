"""Values by steps of time; the steps grow with what comes, so that an hour takes no more room than it needs."""

import math

import numpy as np
import numpy.typing as npt

# A short file is kept finely; what is longer than MAX_FINE steps of FINE_MS is kept in steps of COARSE_MS.
FINE_MS, COARSE_MS = 50, 250
MAX_FINE = 1500
# What claims to lie further on than a day is not placed.
MAX_STEPS = 24 * 3600 * 1000 // COARSE_MS

Floats = npt.NDArray[np.float64]
Bools = npt.NDArray[np.bool_]


class Bins:
    """Sums, or highest values, by steps of `step_ms`, which grows by itself."""

    def __init__(self, *, highest: bool = False) -> None:
        self.step_ms = FINE_MS
        self._values: Floats = np.zeros(256)
        self._used = 0
        self._highest = highest

    def add(self, at_ms: float, value: float) -> None:
        """Add one value."""
        place = int(at_ms // self.step_ms)
        if place >= self._used:
            place = self._reach(at_ms)
        if 0 <= place < MAX_STEPS:
            self._values[place] = max(self._values[place], value) if self._highest else self._values[place] + value

    def add_all(self, at_ms: Floats, values: Floats) -> None:
        """Add values, each at its place, in the order of time."""
        if len(at_ms):
            self._reach(float(at_ms[-1]))
            places = np.clip((at_ms // self.step_ms).astype(np.int64), 0, len(self._values) - 1)
            (np.maximum if self._highest else np.add).at(self._values, places, values)

    def values(self, step_ms: int, length_ms: int) -> Floats:
        """Return a value for each step of a file of a length."""
        self.widen(step_ms)
        found: Floats = np.zeros(min(MAX_STEPS, math.ceil(length_ms / step_ms)))
        used = min(len(found), self._used)
        found[:used] = self._values[:used]
        return found

    def widen(self, step_ms: int) -> None:
        """Go on in larger steps."""
        by = step_ms // self.step_ms
        if by > 1:
            padded = np.zeros(math.ceil(self._used / by) * by)
            padded[: self._used] = self._values[: self._used]
            rows = padded.reshape(-1, by)
            self._used = len(rows)
            self._values = np.zeros(max(256, 2 * self._used))
            self._values[: self._used] = rows.max(axis=1) if self._highest else rows.sum(axis=1)
            self.step_ms = step_ms

    def _reach(self, at_ms: float) -> int:
        """Make room up to a moment, and return its place."""
        if at_ms // self.step_ms >= MAX_FINE and self.step_ms == FINE_MS:
            self.widen(COARSE_MS)
        place = int(at_ms // self.step_ms)
        if place < MAX_STEPS:
            if place >= len(self._values):
                self._values = np.concatenate((self._values, np.zeros(place + 1)))
            self._used = max(self._used, place + 1)
        return place


def coded_rate(bits_per_s: Floats) -> bytes:
    """Return data rates as bytes: 12 × log₂(1 + kb/s), which a byte holds up to 2 Gb/s, to 3 %."""
    return bytes(np.clip(np.rint(12 * np.log2(1 + bits_per_s / 1000)), 0, 255).astype(np.uint8))


def rate_of(coded: int) -> float:
    """Return the bits per second that a byte of coded_rate stands for."""
    return float((2 ** (coded / 12) - 1) * 1000)


def runs(holds: Bools) -> list[tuple[int, int]]:
    """Return the (first, one beyond the last) of each run of True."""
    edges = np.flatnonzero(np.diff(np.concatenate(([False], holds, [False])).astype(np.int8)))
    return list(zip(edges[::2].tolist(), edges[1::2].tolist(), strict=True))
