"""A chain of libavfilter's filters for sound, fed with blocks of samples."""

from collections.abc import Iterator
from fractions import Fraction

import av
import av.filter
import numpy as np

from reel.core.signal import FloatArray, SoundFormat

LAYOUTS = {1: "mono", 2: "stereo"}


def sound_frame(data: FloatArray, rate_hz: int, position: int) -> av.AudioFrame:
    """Return float32 (channels, samples) as a frame whose first sample lies at `position`."""
    frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(data), format="fltp", layout=LAYOUTS[data.shape[0]])
    frame.sample_rate, frame.pts, frame.time_base = rate_hz, position, Fraction(1, rate_hz)
    return frame


class SoundGraph:
    """Runs float32 (channels, samples) of a format through `filters`, each (name, options). Used from one thread."""

    def __init__(self, comes: SoundFormat, *filters: tuple[str, str]) -> None:
        self._rate_hz = rate_hz = comes.rate_hz
        layout, base = LAYOUTS[comes.channels], Fraction(1, rate_hz)
        self._graph = graph = av.filter.Graph()
        graph.threads = 1
        source = graph.add_abuffer(sample_rate=rate_hz, format="fltp", layout=layout, time_base=base)
        steps = [graph.add(name, options) for name, options in (*filters, ("abuffersink", ""))]
        graph.link_nodes(source, *steps).configure()

    def push(self, data: FloatArray, position: int) -> None:
        """Take a block whose first sample lies at `position`."""
        self._graph.push(sound_frame(data, self._rate_hz, position))

    def end(self) -> None:
        """Have the filters give what they still hold; nothing is taken any more."""
        self._graph.push(None)

    def pulled(self) -> Iterator[av.AudioFrame]:
        while True:
            try:
                frame = self._graph.pull()
            except (BlockingIOError, EOFError):
                return
            assert isinstance(frame, av.AudioFrame)
            yield frame
