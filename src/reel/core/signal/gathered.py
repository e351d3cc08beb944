"""Blocks of sound put together to longer ones: what is done once for many samples costs less."""

import numpy as np

from reel.core.signal.arrival import FloatArray


class Gathered:
    """Keeps blocks of float32 (channels, samples) that follow each other, until taken. Used from one thread."""

    def __init__(self) -> None:
        self._blocks: list[FloatArray] = []
        self.count = 0

    def add(self, data: FloatArray) -> None:
        """Put a block behind what is kept."""
        self._blocks.append(data)
        self.count += data.shape[1]

    def take(self) -> FloatArray:
        """Return what is kept as one block, contiguous; there must be some."""
        data: FloatArray = np.ascontiguousarray(np.concatenate(self._blocks, axis=1))
        self._blocks, self.count = [], 0
        return data
