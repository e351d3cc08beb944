"""Finding flashes: part of a picture that gets brighter all over from one picture to the next."""

import numpy as np
import numpy.typing as npt

from reel.core.signal import NS
from reel.core.sound import Flash

# As many parts across and down are looked at.
COLUMNS, ROWS = 16, 9
# Nearly all of a part gets brighter by so many 8-bit steps; what moves brightens some of it and darkens some.
MIN_STEPS, MIN_PART = 12, 0.85
# A lamp that lights up over several pictures is one flash.
_DEAD_NS = NS // 10
# A picture is looked at in about so many lines.
_LINES = 240


class FlashFinder:
    """Looks at pictures (height, width) of 8-bit luma, one after the other."""

    def __init__(self) -> None:
        self._before: npt.NDArray[np.int16] | None = None
        self._before_ns = 0
        self._last_ns: int | None = None

    def feed(self, luma: npt.NDArray[np.uint8], at_ns: int) -> Flash | None:
        """Look at the picture that was shown at `at_ns`; returns the flash that it is the first to show."""
        step = max(1, luma.shape[0] // _LINES)
        seen = luma[::step, ::step].astype(np.int16)
        before, before_ns = self._before, self._before_ns
        self._before, self._before_ns = seen, at_ns
        if before is None or before.shape != seen.shape or not _is_flash(seen - before):
            return None
        is_same = self._last_ns is not None and at_ns - self._last_ns < _DEAD_NS
        self._last_ns = at_ns
        return None if is_same else Flash(before_ns=before_ns, at_ns=at_ns)


def _is_flash(change: npt.NDArray[np.int16]) -> bool:
    rows, columns = (
        np.linspace(0, size, parts, endpoint=False).astype(int)
        for size, parts in zip(change.shape, (ROWS, COLUMNS), strict=True)
    )
    rose = (change > MIN_STEPS).astype(np.int32)
    counts = np.add.reduceat(np.add.reduceat(rose, rows, axis=0), columns, axis=1)
    sizes = np.outer(np.diff([*rows, change.shape[0]]), np.diff([*columns, change.shape[1]]))
    return bool(np.any(counts > MIN_PART * sizes))
