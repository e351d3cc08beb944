"""Looking at pictures through their noise: has something changed, is it black, is it snow."""

from dataclasses import dataclass
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


@dataclass(frozen=True, slots=True, eq=False)
class Lines:
    """What is looked at of a picture.

    `means` are those of its tiles, float32 (rows, columns); `rows` is a copy of every fourth row of tiles, by which
    noise is told, uint8 (rows, TILE_LINES, columns of the picture).
    """

    means: Means
    rows: Luma


def lines_of(luma: Luma) -> Lines:
    """Return what is looked at of a picture (lines, columns)."""
    down, across = max(1, luma.shape[0] // LINES), max(1, luma.shape[1] // COLUMNS)
    part = luma[::down, ::across]
    lines, columns = part.shape[0] // TILE_LINES, part.shape[1] // TILE_COLUMNS
    tiles = part[: lines * TILE_LINES, : columns * TILE_COLUMNS].reshape(lines, TILE_LINES, -1)
    return Lines(_means(tiles), tiles[::4].copy())


def has_changed(before: Lines, lines: Lines) -> bool:
    """Return whether two pictures differ by more than noise."""
    return _difference(before, lines)[0] > 0


def _difference(before: Lines, lines: Lines) -> tuple[float, float]:
    """Return the part, 0 to 1, that differs by more than noise, and its mean difference in code values."""
    if before.means.shape != lines.means.shape:
        return 1.0, 255.0
    means = lines.means - before.means
    if not means.any() and np.array_equal(lines.rows, before.rows):
        return 0.0, 0.0
    sizes = np.abs(means)
    most, jump = float(sizes.max()), float(sizes.mean())
    noise = _middle(_means(_apart(lines.rows, before.rows))) / _ABSOLUTE
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
        self.before: Lines | None = None
        self.part, self.jump = 1.0, 0.0
        self._reference: Lines | None = None

    def restart(self, lines: Lines) -> None:
        """Follow on from a picture that has moved."""
        self.before = self._reference = lines

    def follow(self, lines: Lines) -> tuple[bool, bool]:
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

    def follow(self, lines: Lines, at_ns: int) -> None:
        """Take the picture of an instant, in the order of time."""
        means, before = lines.means, self._before
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


def is_black(lines: Lines) -> bool:
    """Return whether a picture is black: dark, and flat but for noise. A small lamp in the dark is not black."""
    if not lines.means.size or (level := _middle(lines.means)) > BLACK_STEPS:
        return False
    noise = _middle(_means(_apart(lines.rows, np.uint8(round(level))))) / _ABSOLUTE
    return noise < MAX_NOISE and float(lines.means.max()) - level < max(BLACK_SPREAD, SIGMAS * noise / _TILE**0.5)


def is_snow(before: Lines, lines: Lines) -> bool:
    """Return whether a picture is nothing but noise, as an analogue input shows without a station or a tape."""
    if before.means.shape != lines.means.shape:
        return False
    values, old = lines.rows.astype(np.float32), before.rows.astype(np.float32)
    rough = float(values.std())
    if rough < SNOW_ROUGH or float(lines.means.std()) > SNOW_FLAT * rough:
        return False
    alike = float(((values - values.mean()) * (old - old.mean())).mean()) / (rough * max(1.0, float(old.std())))
    return alike < SNOW_ALIKE


def _apart(one: Luma, other: Luma | np.uint8) -> Luma:
    return np.maximum(one, other) - np.minimum(one, other)


def _means(tiles: Luma) -> Means:
    """Average the tiles of rows (rows, TILE_LINES, columns)."""
    upper, lower = (np.add(tiles[:, at], tiles[:, at + 1], dtype=np.uint16) for at in (0, 2))
    means: Means = (upper + lower).astype(np.float32).reshape(-1, TILE_COLUMNS) @ _SHARES
    return means.reshape(len(tiles), -1)


def _middle(values: Means) -> float:
    """Return the median of every third value, which is as good as that of all and takes a third of the time."""
    some = values.reshape(-1)[::3]
    return float(np.partition(some, some.size // 2)[some.size // 2])
