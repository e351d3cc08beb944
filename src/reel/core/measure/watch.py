"""Watching a live signal: its real rate, jitter, how many pictures are new, blackness, stillness, fields."""

import math
from collections import deque
from dataclasses import dataclass

import av
import numpy as np
import numpy.typing as npt

from reel.core.measure.endless import holds_itself
from reel.core.media.planes import luma_of
from reel.core.signal import NS

# Rates and jitter are taken over the last two seconds.
WINDOW_NS = 2 * NS
# A picture is looked at on a grid of about this many lines; one is new when enough of its points have changed.
GRID_LINES = 180
CHANGED_STEPS, CHANGED_PART = 3, 0.0004
# 16 is black in limited range; noise and a few bright points do not make a picture.
BLACK_LUMA, BLACK_PART = 30, 0.995
# Where points moved, lines of two moments differ more from their neighbours than from the lines of their own moment.
MOVED_STEPS, MOVED_POINTS = 14, 60
# Measured on the stand-ins: whole and merged pictures come to 0.5 to 0.75, fields apart to 0.9 and more.
COMB_RATIO = 0.85
COMB_EVERY = 8
# Where a screen is read, the picture is sought in itself this often; found so many times in a row, it is endless.
SEEK_NS, ALIKE_TIMES = 2 * NS, 2

Luma = npt.NDArray[np.uint8]


@dataclass(frozen=True, slots=True, kw_only=True)
class Watched:
    """What was measured of a live picture.

    `per_s` and `distinct_per_s` count pictures and new ones; `jitter_ms` is the standard deviation of the time between
    two. `black_s` and `still_s` say for how long it has been black or has not changed, 0 when it has. `has_fields`
    says whether two moments lie in a picture; None before enough has moved to tell. `is_endless` says that the picture
    shows itself, smaller.
    """

    per_s: float = 0.0
    distinct_per_s: float = 0.0
    jitter_ms: float = 0.0
    black_s: float = 0.0
    still_s: float = 0.0
    has_fields: bool | None = None
    is_endless: bool = False


class Watch:
    """Looks at every picture that arrives, at a cost of a fraction of a millisecond.

    With `reads_screen` it also seeks the picture in itself now and then, which takes longer.
    """

    def __init__(self, *, reads_screen: bool = False) -> None:
        self._reads_screen = reads_screen
        self._arrivals: deque[tuple[int, bool | None]] = deque()
        self._grid: Luma | None = None
        self._lines: Luma | None = None
        self._combs: deque[float] = deque(maxlen=12)
        self._black_ns: int | None = None
        self._changed_ns: int | None = None
        self._seen = 0
        self._sought_ns = 0
        self._alike = 0

    def note(self, at_ns: int) -> None:
        """Take note that a picture was shown at `at_ns`, without looking at it."""
        self._arrivals.append((at_ns, None))

    def look(self, frame: av.VideoFrame, at_ns: int) -> None:
        """Look at a picture that was shown at `at_ns`, in the order of time."""
        luma = luma_of(frame)
        step = max(1, luma.shape[0] // GRID_LINES)
        grid = luma[::step, ::step].copy()
        is_new = self._grid is None or self._grid.shape != grid.shape or _differs(grid, self._grid)
        if is_new or self._changed_ns is None:
            self._changed_ns = at_ns
        if np.count_nonzero(grid < BLACK_LUMA) > BLACK_PART * grid.size:
            self._black_ns = at_ns if self._black_ns is None else self._black_ns
        else:
            self._black_ns = None
        if self._reads_screen and self._grid is not None and at_ns - self._sought_ns >= SEEK_NS:
            self._sought_ns = at_ns
            self._alike = self._alike + 1 if holds_itself(grid, self._grid) else 0
        self._grid = grid
        self._arrivals.append((at_ns, is_new))
        self._seen += 1
        if self._seen % COMB_EVERY < 2:
            self._comb(luma[:, ::step].copy())

    def read(self, now_ns: int) -> Watched:
        """Give what has been measured up to now."""
        while self._arrivals and now_ns - self._arrivals[0][0] > WINDOW_NS:
            self._arrivals.popleft()
        times = np.array([at_ns for at_ns, _ in self._arrivals], dtype=np.int64)
        if len(times) < 2 or times[-1] == times[0]:
            return Watched(still_s=self._since(self._changed_ns, now_ns), black_s=self._since(self._black_ns, now_ns))
        span_s = float(times[-1] - times[0]) / NS
        looked = [is_new for _, is_new in list(self._arrivals)[1:] if is_new is not None]
        new_part = sum(looked) / len(looked) if looked else 0.0
        return Watched(
            per_s=round((len(times) - 1) / span_s, 2),
            distinct_per_s=round(new_part * (len(times) - 1) / span_s, 2),
            jitter_ms=round(float(np.std(np.diff(times))) / 1e6, 2),
            black_s=self._since(self._black_ns, now_ns),
            still_s=self._since(self._changed_ns, now_ns),
            has_fields=self._has_fields(),
            is_endless=self._alike >= ALIKE_TIMES,
        )

    def _comb(self, lines: Luma) -> None:
        """Measure combs where something moved since the picture before."""
        before, self._lines = self._lines, lines
        if self._seen % COMB_EVERY or before is None or before.shape != lines.shape:
            return
        ratio = comb_ratio(before, lines)
        if ratio is not None:
            self._combs.append(ratio)

    def _has_fields(self) -> bool | None:
        if len(self._combs) < 3:
            return None
        return math.exp(float(np.mean(np.log(self._combs)))) > COMB_RATIO

    @staticmethod
    def _since(start_ns: int | None, now_ns: int) -> float:
        return round(max(0, now_ns - start_ns) / NS, 1) if start_ns is not None else 0.0


def _differs(grid: Luma, before: Luma) -> bool:
    change = np.abs(grid.astype(np.int16) - before)
    return int(np.count_nonzero(change >= CHANGED_STEPS)) > CHANGED_PART * grid.size


def comb_ratio(before: Luma, lines: Luma) -> float | None:
    """Give how much neighbouring lines differ, by how much lines two apart do, where a picture has changed.

    Both are luma (lines, columns) of two pictures in a row, every line of them. Above COMB_RATIO means combs; None when
    too little moved.
    """
    moved = np.abs(lines.astype(np.int16) - before) > MOVED_STEPS
    inner = moved[1:-2]
    if np.count_nonzero(inner) < MOVED_POINTS:
        return None
    current = lines.astype(np.int16)
    near = np.abs(current[1:-2] - current[2:-1])[inner]
    apart = np.abs(current[1:-2] - current[3:])[inner]
    return float((near.mean() + 1) / (apart.mean() + 1))
