"""Finding black bars: edges of a picture that are flat and black over several seconds, while the rest is seen."""

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from reel.core.frame import Crop

FIND_S = 4
# Fewer pictures in which something is seen say nothing.
MIN_PICTURES = 20
# Black lies at 16 in limited range and at 0 in full; what is brighter at the very edge is no bar.
BLACK_UP_TO = 32
# Averaged over a tile of a line and over all pictures, a bar differs from black by less than this; a dark sky by more.
FLAT_STEPS = 1.5
# In a single picture a line of a bar is brighter than black by noise alone: so many standard deviations, and at least.
SIGMAS, MIN_STEPS = 4.0, 6.0
# Within three lines of its end the picture differs from a bar by more than this.
SHARP_STEPS = 5.0
_TILE = 16
# A picture whose brightest tenth is no brighter than this above black is dark all over.
_DARK_STEPS = 24

Profile = npt.NDArray[np.float32]


@dataclass(frozen=True, slots=True, kw_only=True)
class Bars:
    """What was found: the pixels to cut off, in how many of the pictures looked at, and how many were dark all over."""

    crop: Crop
    pictures: int
    dark: int

    @property
    def is_any(self) -> bool:
        """Whether there is a bar at all."""
        return self.crop != Crop()


class BarFinder:
    """Looks at pictures (height, width) of 8-bit luma, all of one size, one after the other."""

    def __init__(self) -> None:
        self._sum: npt.NDArray[np.float64] | None = None
        self._peaks: list[Profile] = []
        self.pictures = self.dark = 0

    def feed(self, luma: npt.NDArray[np.uint8]) -> None:
        """Look at a picture; one of another size begins anew."""
        if self._sum is not None and self._sum.shape != luma.shape:
            self._sum, self._peaks, self.pictures, self.dark = None, [], 0, 0
        self.pictures += 1
        edge = _black_level(luma)
        if np.percentile(luma[::4, ::4], 90) < edge + _DARK_STEPS:
            self.dark += 1
            return
        lines, columns = _bright_part(luma[:, ::4], 1), _bright_part(luma[::4], 0)
        if self._sum is None:
            self._sum = luma.astype(np.float64)
            self._peaks = [lines, columns]
        else:
            self._sum += luma
            self._peaks = [np.maximum(self._peaks[0], lines), np.maximum(self._peaks[1], columns)]

    def result(self) -> Bars | None:
        """Say what was found; None while too little was seen."""
        seen = self.pictures - self.dark
        if self._sum is None or seen < MIN_PICTURES:
            return None
        mean = (self._sum / seen).astype(np.float32)
        top, bottom = _bar(mean, self._peaks[0]), _bar(mean[::-1], self._peaks[0][::-1])
        inner = mean[top : mean.shape[0] - bottom] if top + bottom < mean.shape[0] else mean
        left, right = _bar(inner.T, self._peaks[1]), _bar(inner.T[::-1], self._peaks[1][::-1])
        crop = Crop(left_px=left, top_px=top, right_px=right, bottom_px=bottom)
        return Bars(crop=crop, pictures=self.pictures, dark=self.dark)


def _black_level(luma: npt.NDArray[np.uint8]) -> float:
    """Return the darkest of the four edges."""
    return float(min(np.median(edge) for edge in (luma[0], luma[-1], luma[:, 0], luma[:, -1])))


def _bright_part(luma: npt.NDArray[np.uint8], axis: int) -> Profile:
    """Return for each line, or column, the level that a tenth of it lies above."""
    length = luma.shape[axis]
    part = np.partition(luma, length * 9 // 10, axis=axis)
    found = part[:, length * 9 // 10] if axis else part[length * 9 // 10]
    return np.asarray(found, dtype=np.float32)


def _bar(mean: npt.NDArray[np.float32], peaks: Profile) -> int:
    """Return how many lines from the first on are black: flat in the mean, and never bright."""
    level = float(np.median(mean[0]))
    if level > BLACK_UP_TO:
        return 0
    width = mean.shape[1] // _TILE * _TILE
    tiles = mean[:, :width].reshape(mean.shape[0], -1, _TILE).mean(axis=2)
    is_flat = np.abs(tiles - level).max(axis=1) < FLAT_STEPS
    noise = max(0.0, float(peaks[0]) - level)  # a tenth of a line of noise lies 1.28 deviations above, at its most 4
    is_dim = peaks < level + max(MIN_STEPS, noise * SIGMAS / 2)
    lit = np.flatnonzero(~(is_flat & is_dim))
    if not len(lit):
        return 0
    beyond = slice(int(lit[0]), int(lit[0]) + 3)  # a bar ends at once; what brightens slowly is a dark picture
    is_sharp = np.abs(tiles[beyond] - level).max() > SHARP_STEPS or peaks[beyond].max() > level + 2 * SHARP_STEPS
    return int(lit[0]) if is_sharp else 0
