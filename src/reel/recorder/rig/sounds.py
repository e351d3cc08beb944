"""Sound on its way from the threads that read to the one that records, and what was heard of late."""

from collections import deque
from collections.abc import Callable, Iterator

from reel.core.signal import Samples


class Sounds:
    """The sounds of a rig's inputs, by their places. `add` and `lose` may be called from any thread."""

    def __init__(self, inputs: int) -> None:
        self._come: deque[tuple[int, Samples]] = deque()
        self._lost: deque[int] = deque()
        self._recent: list[deque[Samples]] = [deque() for _ in range(inputs)]

    def add(self, place: int, samples: Samples) -> None:
        """Leave a block for the thread that records."""
        self._come.append((place, samples))

    def lose(self, place: int) -> None:
        """Note that an input is gone: what comes next does not follow on what came before."""
        self._lost.append(place)

    def take(self, keep_ns: Callable[[int], int]) -> Iterator[tuple[int, Samples | None]]:
        """What has come, then None for each input that is gone; each block is kept for `keep_ns` of its input."""
        while self._come:
            place, samples = self._come.popleft()
            recent = self._recent[place]
            recent.append(samples)
            while recent[-1].at_ns - recent[0].at_ns > keep_ns(place):
                recent.popleft()
            yield place, samples
        while self._lost:
            place = self._lost.popleft()
            self._recent[place].clear()
            yield place, None

    def recent(self) -> Iterator[tuple[int, Samples]]:
        """Return the blocks that are kept, input by input."""
        for place, recent in enumerate(self._recent):
            yield from ((place, samples) for samples in recent)

    def clear(self) -> None:
        """Keep nothing of what was heard."""
        for recent in self._recent:
            recent.clear()
