"""What is done to the sound of one input before it goes on a track: sides, high-pass, noise, level, limiter."""

from dataclasses import replace
from typing import cast

import numpy as np

from reel.core.media.limiter import limiter_step
from reel.core.media.soundgraph import LAYOUTS, SoundGraph
from reel.core.signal import NS, FloatArray, Samples, SoundFormat
from reel.core.sound import Sides, SoundSetup

# libavfilter's afftdn works on windows of three steps of so many a second, and gives what it takes two steps later.
_STEPS_PER_S, _STEPS_LATE = 80, 2


class ChannelStrip:
    """Treats blocks of `comes` and gives `channels` channels. Used from one thread, block after block.

    Where a filter is on, what is given may lie behind what was taken; `drain` gives the rest where sound does not
    follow.
    """

    def __init__(self, setup: SoundSetup, comes: SoundFormat, channels: int) -> None:
        self._setup, self._comes, self._channels = setup, comes, channels
        self._gain = np.float32(0.0 if setup.muted else 10 ** (setup.level_db / 20))
        self._graph: SoundGraph | None = None
        self._first_ns: int | None = None
        self._taken = self._given = self._broken = 0
        self._late = _STEPS_LATE * (comes.rate_hz // _STEPS_PER_S) if setup.noise_db is not None else 0
        self._skip = 0

    def apply(self, samples: Samples) -> list[Samples]:
        sided = sides(samples.data, self._setup.sides, self._channels)
        if not self._setup.filters:
            data = sided if self._gain == 1 else sided * self._gain
            return [replace(samples, data=data)]
        made: list[Samples] = []
        if self._first_ns is not None and self._is_gap(samples.at_ns):
            made = self.drain()
        if self._graph is None:
            self._graph, self._first_ns, self._taken, self._given = self._build(), samples.at_ns, 0, 0
            self._skip = self._late
        self._graph.push(sided, self._taken)
        self._taken += sided.shape[1]
        self._broken += samples.broken
        return made + self._pull()

    def drain(self) -> list[Samples]:
        """Return what the filters still hold, and begin anew."""
        if self._graph is None:
            return []
        if self._late:  # it gives back nothing of its last steps by itself
            self._graph.push(np.zeros((self._channels, self._late), dtype=np.float32), self._taken)
        self._graph.end()
        made = self._pull()
        self._graph, self._first_ns = None, None
        return made

    def _time_ns(self, position: int) -> int:
        assert self._first_ns is not None
        return self._first_ns + position * NS // self._comes.rate_hz

    def _is_gap(self, at_ns: int) -> bool:
        """Whether a block does not follow: off by more than a drifting clock makes in a minute, it begins anew."""
        return abs(at_ns - self._time_ns(self._taken)) > NS // 50

    def _pull(self) -> list[Samples]:
        assert self._graph is not None
        made: list[Samples] = []
        for frame in self._graph.pulled():
            data = cast(FloatArray, frame.to_ndarray())
            skipped = min(self._skip, data.shape[1])
            data, self._skip = data[:, skipped:], self._skip - skipped
            room = self._taken - self._given  # a filter that is drained may give its own silence too
            data = data[:, : max(0, room)]
            if data.shape[1]:
                made.append(Samples(at_ns=self._time_ns(self._given), data=data, broken=self._broken))
                self._broken = 0
                self._given += data.shape[1]
        return made

    def _build(self) -> SoundGraph:
        setup = self._setup
        steps: list[tuple[str, str]] = []
        if setup.high_pass_hz is not None:
            steps.append(("highpass", f"f={setup.high_pass_hz}"))
        if setup.noise_db is not None:
            steps.append(("afftdn", f"nr={setup.noise_db}:tn=1"))
        steps.append(("volume", f"{float(self._gain):.8f}:precision=float"))
        if setup.limit_db is not None:
            steps.append(limiter_step(setup.limit_db))
        steps.append(("aformat", f"sample_fmts=fltp:channel_layouts={LAYOUTS[self._channels]}"))
        return SoundGraph(replace(self._comes, channels=self._channels), *steps)


def sides(data: FloatArray, which: Sides, channels: int) -> FloatArray:
    """Bring float32 (1 or 2, samples) to `channels`; two that become one are halved and added, so that none clips."""
    if which is Sides.AS_IS and data.shape[0] == channels:
        return data
    left, right = data[0], data[-1]
    if which is Sides.SWAPPED:
        left, right = right, left
    elif which is Sides.LEFT:
        right = left
    elif which is Sides.RIGHT:
        left = right
    elif which is Sides.MONO:
        left = right = (left + right) / 2
    if channels == 1:
        mixed: FloatArray = ((left + right) / 2)[None]
        return mixed
    made: FloatArray = np.stack((left, right))
    return made
