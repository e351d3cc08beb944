"""Looking at pictures through their noise: has something changed, is it black, is it snow."""

from typing import TypeAlias

import numpy as np
import numpy.typing as npt

Luma: TypeAlias = npt.NDArray[np.uint8]
Means: TypeAlias = npt.NDArray[np.float32]

# A picture is looked at in about this many lines, whole across: what blinks is thin more often than it is low.
LINES, COLUMNS = 180, 1280
# What is averaged together: noise is less by the root of the points in it, while a digit or a cursor stands out.
TILE_LINES, TILE_COLUMNS = 4, 8
_TILE = TILE_LINES * TILE_COLUMNS
# A tile has changed when it differs by more than noise explains: so many standard deviations, and so many code values.
SIGMAS, MIN_STEPS = 6.0, 2.5
# Noise of neighbouring points hangs together in what came by an analogue way, so that means vary up to this much more.
CORRELATED = 3.0
# What moves everywhere without detail changes the points of a tile alike: its mean by about as much as they change in
# the mean. Noise gives a sixth of that, and half of it where it hangs together.
ALIKE = 0.75
# All of a picture has changed when half of its tiles have gone one way by this much: a slow fade.
FADE_STEPS = 0.75
# Between two pictures noise of 12 code values makes a difference of 17; what differs more is no noise.
MAX_NOISE = 25.0
# 16 is black in limited range and 0 in full; a flat grey above this is dark, and not black.
BLACK_STEPS, BLACK_SPREAD = 20.0, 3.0
# Snow: rough everywhere, flat in the large, and each picture unlike the one before.
SNOW_ROUGH, SNOW_FLAT, SNOW_ALIKE = 18.0, 0.35, 0.2
# Mean of the absolute values of what is spread normally, as a part of its standard deviation: √(2/π).
_ABSOLUTE = 0.798
_MEDIAN = 0.6745
_SHARES = np.full(TILE_COLUMNS, 1 / _TILE, dtype=np.float32)


def lines_of(luma: Luma) -> Luma:
    """Return the part of a picture (lines, columns) that is looked at, in whole tiles; a copy."""
    down, across = max(1, luma.shape[0] // LINES), max(1, luma.shape[1] // COLUMNS)
    part = luma[::down, ::across]
    return part[: part.shape[0] // TILE_LINES * TILE_LINES, : part.shape[1] // TILE_COLUMNS * TILE_COLUMNS].copy()


def has_changed(before: Luma, lines: Luma) -> bool:
    """Return whether two pictures, as given by lines_of, differ by more than noise."""
    return changed_part(before, lines) > 0


def changed_part(before: Luma, lines: Luma) -> float:
    """Return the part of a picture, 0 to 1, that differs from the one before by more than noise."""
    return _difference(before, lines)[0]


def _difference(before: Luma, lines: Luma) -> tuple[float, float]:
    """Return the part that differs by more than noise, and by how many code values all of it does, in the mean."""
    if before.shape != lines.shape:
        return 1.0, 255.0
    step = np.subtract(lines, before, dtype=np.int16)
    if not step.any():
        return 0.0, 0.0
    means = _means(step)
    sizes = np.abs(means)
    most, jump = float(sizes.max()), float(sizes.mean())
    noise = _middle(_means(np.abs(_some_rows(step)))) / _ABSOLUTE
    white = noise / _TILE**0.5
    if noise > MAX_NOISE or abs(_middle(means)) > FADE_STEPS:
        return 1.0, jump
    middle = _middle(sizes)
    if middle > max(MIN_STEPS, ALIKE * noise * _ABSOLUTE):
        return float((sizes > MIN_STEPS).mean()), jump
    spread = max(white, middle / _MEDIAN)
    least = max(MIN_STEPS, SIGMAS * min(spread, CORRELATED * white))
    if most <= least:
        return 0.0, jump
    return float((sizes > least).mean()), jump


class Movement:
    """Follows pictures in order; `before` is the last of them, `part` how much of it was new.

    `jump` is by how many code values it differs from the one before, in the mean.
    """

    def __init__(self) -> None:
        self.before: Luma | None = None
        self.part, self.jump = 1.0, 0.0
        self._reference: Luma | None = None

    def restart(self, lines: Luma) -> None:
        """Follow on from a picture that has moved."""
        self.before = self._reference = lines

    def follow(self, lines: Luma) -> tuple[bool, bool]:
        """Return whether a picture is unlike the one before, and whether the picture has moved.

        What changes too slowly to be seen from one picture to the next is seen against the one that last moved.
        """
        self.part, self.jump = (1.0, 0.0) if self.before is None else _difference(self.before, lines)
        is_new = self.part > 0
        moved = is_new or self._reference is None or has_changed(self._reference, lines)
        self.before = lines
        if moved:
            self._reference = lines
        return is_new, moved


class Stillness:
    """Follows which tiles of a picture stand still while others move.

    It is for what is read from a screen, where there is no noise: what stands still is the same to the last bit.
    """

    def __init__(self) -> None:
        self._before: Means | None = None
        self._moved_ns: npt.NDArray[np.int64] | None = None

    def follow(self, lines: Luma, at_ns: int) -> None:
        """Take the picture of an instant, in the order of time."""
        means, before = _means(lines.astype(np.int16)), self._before
        if before is None or before.shape != means.shape:
            self._moved_ns = np.full(means.shape, at_ns, dtype=np.int64)
        elif self._moved_ns is not None:
            self._moved_ns[means != before] = at_ns
        self._before = means

    def still_part(self, now_ns: int, since_ns: int) -> float:
        """The part of the picture that has not moved for `since_ns`, while others just have; 0 when all stands."""
        if self._moved_ns is None or self._moved_ns.max() < now_ns - since_ns // 2:
            return 0.0
        return float((self._moved_ns < now_ns - since_ns).mean())


def is_black(lines: Luma) -> bool:
    """Return whether a picture is black: dark, and flat but for noise. A small lamp in the dark is not black."""
    if float(lines[::8, ::8].mean()) > BLACK_STEPS + SIGMAS * MAX_NOISE / _TILE**0.5:
        return False  # as most are not
    values = lines.astype(np.int16)
    means = _means(values)
    level = _middle(means)
    if level > BLACK_STEPS:
        return False
    noise = _middle(_means(np.abs(_some_rows(values) - np.int16(round(level))))) / _ABSOLUTE
    return noise < MAX_NOISE and float(means.max()) - level < max(BLACK_SPREAD, SIGMAS * noise / _TILE**0.5)


def is_snow(before: Luma, lines: Luma) -> bool:
    """Return whether a picture is nothing but noise, as an analogue input shows without a station or a tape."""
    if before.shape != lines.shape:
        return False
    values, old = lines.astype(np.float32), before.astype(np.float32)
    means = _means(values)
    rough = float(values.std())
    if rough < SNOW_ROUGH or float(means.std()) > SNOW_FLAT * rough:
        return False
    alike = float(((values - values.mean()) * (old - old.mean())).mean()) / (rough * max(1.0, float(old.std())))
    return alike < SNOW_ALIKE


def _some_rows(plane: npt.NDArray[np.int16]) -> npt.NDArray[np.int16]:
    """Return every fourth row of tiles: enough to tell the noise by."""
    return plane.reshape(-1, TILE_LINES, plane.shape[1])[::4].reshape(-1, plane.shape[1])


def _means(plane: npt.NDArray[np.int16] | npt.NDArray[np.float32]) -> Means:
    lines, columns = plane.shape
    rows = plane.reshape(lines // TILE_LINES, TILE_LINES, columns)
    down = (rows[:, 0] + rows[:, 1]) + (rows[:, 2] + rows[:, 3])
    means: Means = down.astype(np.float32).reshape(-1, TILE_COLUMNS) @ _SHARES
    return means.reshape(down.shape[0], columns // TILE_COLUMNS)


def _middle(values: Means) -> float:
    """Return the median of every third value, which is as good as that of all and takes a third of the time."""
    some = values.reshape(-1)[::3]
    return float(np.partition(some, some.size // 2)[some.size // 2])
