"""A limiter for sound: nothing it gives lies above its ceiling."""

from typing import cast

import numpy as np

from reel.core.media.soundgraph import LAYOUTS, SoundGraph
from reel.core.signal import FloatArray, SoundFormat

_ATTACK_MS, _RELEASE_MS = 5, 50


def limiter_step(limit_db: float) -> tuple[str, str]:
    """Return libavfilter's limiter with a ceiling in dBFS, as a step of a SoundGraph."""
    limit = 10 ** (limit_db / 20)
    # `level` would bring the loudest up to full scale again; `latency` takes its look-ahead out
    return "alimiter", f"limit={limit:.6f}:attack={_ATTACK_MS}:release={_RELEASE_MS}:level=0:latency=1"


class Limiter:
    """Holds sound under a ceiling. What it gives lies some milliseconds behind what it took. Used from one thread."""

    def __init__(self, sound: SoundFormat, limit_db: float) -> None:
        self._sound, self._limit_db = sound, limit_db
        self._graph: SoundGraph | None = None
        self._taken = self._given = 0

    def apply(self, data: FloatArray) -> FloatArray:
        """Take float32 (channels, samples) that follow on those before; returns what is ready."""
        if self._graph is None:
            form = ("aformat", f"sample_fmts=fltp:channel_layouts={LAYOUTS[self._sound.channels]}")
            self._graph, self._taken, self._given = SoundGraph(self._sound, limiter_step(self._limit_db), form), 0, 0
        self._graph.push(data, self._taken)
        self._taken += data.shape[1]
        return self._pull()

    def drain(self) -> FloatArray:
        """Return what it still holds, and begin anew: as many samples came out as went in."""
        if self._graph is None:
            return np.zeros((self._sound.channels, 0), dtype=np.float32)
        self._graph.end()
        made = self._pull()
        rest = np.zeros((self._sound.channels, self._taken - self._given), dtype=np.float32)
        self._graph = None
        return np.concatenate((made, rest), axis=1)

    def _pull(self) -> FloatArray:
        assert self._graph is not None
        blocks = [cast(FloatArray, frame.to_ndarray()) for frame in self._graph.pulled()]
        made = np.concatenate([np.zeros((self._sound.channels, 0), dtype=np.float32), *blocks], axis=1)
        made = made[:, : self._taken - self._given]
        self._given += made.shape[1]
        return made
