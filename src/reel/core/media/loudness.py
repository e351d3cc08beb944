"""Loudness by EBU R128, as libavfilter's ebur128 measures it."""

from dataclasses import dataclass

from reel.core.media.soundgraph import SoundGraph
from reel.core.signal import FloatArray, Gathered, SoundFormat

# Below this ebur128 gates: nothing is heard (EBU Tech 3341).
SILENT_LUFS = -70.0


@dataclass(frozen=True, slots=True, kw_only=True)
class Loud:
    """Loudness in LUFS: over the last 400 ms, over the last 3 s, and over all since it began, gated."""

    momentary: float = SILENT_LUFS
    short: float = SILENT_LUFS
    integrated: float = SILENT_LUFS


class Loudness:
    """Measures blocks of float32 (channels, samples). Used from one thread."""

    def __init__(self, channels: int, rate_hz: int) -> None:
        self._rate_hz, self._position = rate_hz, 0
        self._gathered = Gathered()
        self._loud = Loud()
        self._graph = SoundGraph(SoundFormat(rate_hz=rate_hz, channels=channels), ("ebur128", "metadata=1"))

    def feed(self, data: FloatArray) -> list[Loud]:
        """Take a block; returns what was measured meanwhile, about ten times a second."""
        self._gathered.add(data)
        if self._gathered.count < self._rate_hz // 10:
            return []
        gathered = self._gathered.take()
        self._graph.push(gathered, self._position)
        self._position += gathered.shape[1]
        made: list[Loud] = []
        for out in self._graph.pulled():
            found = [_lufs(out.metadata.get(f"lavfi.r128.{key}")) for key in ("M", "S", "I")]
            self._loud = Loud(momentary=found[0], short=found[1], integrated=found[2])
            made.append(self._loud)
        return made

    @property
    def loud(self) -> Loud:
        return self._loud


def _lufs(text: str | None) -> float:
    """Read a figure of ebur128's; silence is −inf or a value that can't be."""
    try:
        value = float(text) if text is not None else SILENT_LUFS
    except ValueError:
        return SILENT_LUFS
    return max(SILENT_LUFS, value) if value == value else SILENT_LUFS
