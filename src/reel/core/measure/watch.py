"""Watching a live signal: its real rate, jitter, how many pictures are new, blackness, stillness, snow, fields."""

from collections import deque
from dataclasses import dataclass

import numpy as np

from reel.core.measure.endless import holds_itself
from reel.core.measure.fields import AROUND, field_lines, field_phase
from reel.core.measure.look import Lines, Luma, Movement, Stillness, is_black, is_snow, lines_of
from reel.core.media.planes import chroma_of, luma_of
from reel.core.signal import NS, Picture

# Rates and jitter are taken over the last two seconds.
WINDOW_NS = 2 * NS
# Two pictures in a row are looked at for fields out of so many; two moments lie in them when so large a part says so.
# Where none of the last looks found any, it is looked less often.
FIELDS_EVERY, FIELDS_SELDOM, FIELDS_PART, FIELDS_LOOKS = 8, 32, 0.3, 12
# Snow is looked for this often; it is expensive.
SNOW_NS = NS // 2
# Where a screen is read, the picture is sought in itself this often; found so many times in a row, it is endless.
SEEK_NS, ALIKE_TIMES = 2 * NS, 2
# Where a screen is read, what stands still is looked for this often, and stands still after so long.
LOOK_OVER_NS, STILL_NS = NS // 4, 3 * NS
# The grid on which it is sought.
GRID_LINES = 180


@dataclass(frozen=True, slots=True, kw_only=True)
class Watched:
    """What was measured of a live picture.

    `per_s` and `distinct_per_s` count pictures and new ones; `jitter_ms` is the standard deviation of the time between
    two. `black_s`, `still_s` and `snow_s` say for how long it has been black, has not changed, or was nothing but
    noise; 0 when it is not. `has_fields` says whether two moments lie in a picture; None before enough has moved to
    tell. Where a screen is read, `is_endless` says that the picture shows itself, smaller, and `still_part` how much of
    it has stood still while the rest moved.
    """

    per_s: float = 0.0
    distinct_per_s: float = 0.0
    jitter_ms: float = 0.0
    black_s: float = 0.0
    still_s: float = 0.0
    snow_s: float = 0.0
    has_fields: bool | None = None
    is_endless: bool = False
    still_part: float = 0.0


class Watch:
    """Looks at every picture that arrives, at a cost of a fraction of a millisecond.

    With `reads_screen` it also seeks the picture in itself now and then, which takes longer.
    """

    def __init__(self, *, reads_screen: bool = False) -> None:
        self._reads_screen = reads_screen
        self._arrivals: deque[tuple[int, bool | None]] = deque()
        self._movement, self._stillness = Movement(), Stillness()
        self._colours: Movement | None = None
        self._field_lines: Luma | None = None
        self._grid: Luma | None = None
        self._sequence = 0
        self._phases: deque[float] = deque(maxlen=FIELDS_LOOKS)
        self._fields_every = FIELDS_EVERY
        self._black_ns: int | None = None
        self._changed_ns: int | None = None
        self._snow_ns: int | None = None
        self._snow_looked_ns = 0
        self._seen = 0
        self._sought_ns = self._looked_over_ns = 0
        self._alike = 0

    def note(self, at_ns: int) -> None:
        """Take note that a picture was shown at `at_ns`, without looking at it: it may be the one that changed."""
        self._arrivals.append((at_ns, None))
        self._changed_ns, self._black_ns, self._snow_ns = at_ns, None, None
        self._field_lines = None

    def look(self, picture: Picture, *, top_first: bool = True) -> None:
        """Look at a picture, in the order of time."""
        luma, at_ns = luma_of(picture.frame), picture.at_ns
        lines, before = lines_of(luma), self._movement.before
        is_new, moved = self._movement.follow(lines)
        if is_new:
            self._colours = None
        elif self._has_recoloured(picture):
            is_new = moved = True
        if moved:
            self._changed_ns = at_ns
        if is_black(lines):
            self._black_ns = at_ns if self._black_ns is None else self._black_ns
        else:
            self._black_ns = None
        if before is not None:
            self._look_deeper(before, lines, luma, at_ns)
        self._arrivals.append((at_ns, is_new))
        if picture.sequence != self._sequence + 1:
            self._field_lines = None  # one between them was lost
        if self._reads_screen and at_ns - self._looked_over_ns >= LOOK_OVER_NS:
            self._looked_over_ns = at_ns
            self._stillness.follow(lines, at_ns)
        self._look_at_fields(luma, top_first)
        self._seen, self._sequence = self._seen + 1, picture.sequence

    def _has_recoloured(self, picture: Picture) -> bool:
        """Return whether the colours of a picture changed whose luma did not, since the picture before it."""
        colours = chroma_of(picture.frame)
        if colours is None:
            return False
        if self._colours is None:
            self._colours = Movement()
            self._colours.follow(lines_of(colours))
            return False
        return any(self._colours.follow(lines_of(colours)))

    def _look_deeper(self, before: Lines, lines: Lines, luma: Luma, at_ns: int) -> None:
        """Do now and then what takes longer: seek snow, and the picture in itself."""
        if at_ns - self._snow_looked_ns >= SNOW_NS:
            self._snow_looked_ns = at_ns
            snows = is_snow(before, lines)
            self._snow_ns = (at_ns if self._snow_ns is None else self._snow_ns) if snows else None
        if self._reads_screen and at_ns - self._sought_ns >= SEEK_NS:
            self._sought_ns = at_ns
            self._grid = _grid(luma)
        elif self._grid is not None:
            grid, (before_grid, self._grid) = _grid(luma), (self._grid, None)
            holds = grid.shape == before_grid.shape and holds_itself(grid, before_grid)
            self._alike = self._alike + 1 if holds else 0

    def _look_at_fields(self, luma: Luma, top_first: bool) -> None:
        """Look where between two pictures in a row the fields of the first lie."""
        turn = self._seen % self._fields_every
        if turn == 0:
            self._field_lines = field_lines(luma)
        elif turn == 1 and self._field_lines is not None:
            lines = field_lines(luma)
            if lines.shape == self._field_lines.shape:
                phase = field_phase(self._field_lines, lines, top_first=top_first)
                if phase is not None:
                    self._phases.append(phase)
                    is_whole = len(self._phases) == FIELDS_LOOKS and max(map(abs, self._phases)) <= AROUND
                    self._fields_every = FIELDS_SELDOM if is_whole else FIELDS_EVERY
            self._field_lines = None

    def read(self, now_ns: int) -> Watched:
        """Return what has been measured up to now."""
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
            snow_s=self._since(self._snow_ns, now_ns),
            has_fields=self._has_fields(),
            is_endless=self._alike >= ALIKE_TIMES,
            still_part=round(self._stillness.still_part(now_ns, STILL_NS), 2) if self._reads_screen else 0.0,
        )

    def _has_fields(self) -> bool | None:
        """Return whether the second field shows another moment than the first, earlier or later."""
        if len(self._phases) < 3:
            return None
        return float((np.abs(np.array(self._phases)) > AROUND).mean()) >= FIELDS_PART

    @staticmethod
    def _since(start_ns: int | None, now_ns: int) -> float:
        return round(max(0, now_ns - start_ns) / NS, 1) if start_ns is not None else 0.0


def _grid(luma: Luma) -> Luma:
    across = max(1, luma.shape[0] // GRID_LINES)
    return luma[::across, ::across].copy()
