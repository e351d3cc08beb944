"""Sound on the time of a take: brought to the file's rate, and stretched a little where a device's clock drifts."""

from fractions import Fraction
from typing import cast

from reel.core.media.soundgraph import LAYOUTS, SoundGraph
from reel.core.signal import FloatArray, Gathered, SoundFormat

# By how many samples a second libswresample may stretch; more than 0.1 s off, it leaves out or fills with silence.
_ASYNC = 1000
# So much is brought over at once, and blocks are put together while none lies further off than this, in parts of 1 s.
_AT_ONCE, _APART = 25, 1000


class DriftResampler:
    """Brings blocks of `comes` to `goes`, so that each sample lies where its position says. Used from one thread.

    Positions that drift against the samples are followed by stretching (libswresample's compensation); gaps are filled
    with silence. `stretched_ppm` says by how much, in parts per million of what came.
    """

    def __init__(self, comes: SoundFormat, goes: SoundFormat) -> None:
        self._comes, self._goes = comes, goes
        self._graph: SoundGraph | None = None
        self._gathered, self._first = Gathered(), 0
        self._end: int | None = None
        self._taken, self._given = 0, 0

    @property
    def stretched_ppm(self) -> float | None:
        """How much longer the sound was made, in parts per million; None before a few seconds have passed."""
        if self._taken < 5 * self._comes.rate_hz:
            return None
        as_it_came = self._taken * Fraction(self._goes.rate_hz, self._comes.rate_hz)
        return float((self._given - as_it_came) / as_it_came * 1_000_000)

    def feed(self, data: FloatArray, position: int) -> list[tuple[int, FloatArray]]:
        """Take float32 (channels, samples) whose first sample lies at `position` of what comes.

        Gives what is ready, with its positions in what goes. A block that begins more than a second after the last one
        ended begins anew.
        """
        count = data.shape[1]
        made: list[tuple[int, FloatArray]] = []
        if self._end is not None and abs(position - self._end) > self._comes.rate_hz // _APART:
            made = self.drain() if abs(position - self._end) > self._comes.rate_hz else self._push()
        if not self._gathered.count:
            self._first = position
        self._gathered.add(data)
        self._end = position + count
        if self._gathered.count >= self._comes.rate_hz // _AT_ONCE:
            made += self._push()
        return made

    def drain(self) -> list[tuple[int, FloatArray]]:
        """Return what is still held; the next block begins anew."""
        made = self._push()
        if self._graph is not None:
            self._graph.end()
            made += self._pull()
        self._graph, self._end = None, None
        return made

    def _push(self) -> list[tuple[int, FloatArray]]:
        """Bring over what has been put together."""
        if not self._gathered.count:
            return []
        if self._graph is None:
            self._graph = self._build()
        data = self._gathered.take()
        self._taken += data.shape[1]
        self._graph.push(data, self._first)
        return self._pull()

    def _pull(self) -> list[tuple[int, FloatArray]]:
        assert self._graph is not None
        made: list[tuple[int, FloatArray]] = []
        for frame in self._graph.pulled():
            assert frame.pts is not None and frame.time_base is not None
            data = cast(FloatArray, frame.to_ndarray())
            self._given += data.shape[1]
            made.append((round(frame.pts * frame.time_base * self._goes.rate_hz), data))
        return made

    def _build(self) -> SoundGraph:
        layout = LAYOUTS[self._goes.channels]
        return SoundGraph(
            self._comes,
            ("aresample", f"{self._goes.rate_hz}:async={_ASYNC}"),
            ("aformat", f"sample_fmts=fltp:channel_layouts={layout}"),
        )
