"""Noticing a picture that shows itself: a screen that is read, and on which what is read is shown."""

import numpy as np
import numpy.typing as npt

Plane = npt.NDArray[np.float32]

LINES = 60
SCALES = (0.5, 0.6, 0.7, 0.8)
# Measured: drawn scenes come to 0.2 to 0.6, colour bars to 0.8, a picture that holds itself to 0.9 and more.
ALIKE = 0.85
# What is wider than this on the coarse grid says nothing: the sky is bright above in every picture.
_WIDE = 4


def holds_itself(luma: npt.NDArray[np.uint8], before: npt.NDArray[np.uint8]) -> bool:
    """Return whether a picture holds the one before it, smaller, at one of SCALES and anywhere; both (lines, columns).

    It takes some tens of milliseconds.
    """
    fine, coarse_before = _fine(_coarse(luma)), _coarse(before)
    return any(_likeness(fine, _fine(_smaller(coarse_before, scale))) > ALIKE for scale in SCALES)


def _coarse(luma: npt.NDArray[np.uint8]) -> Plane:
    """Average squares, so that about LINES lines are left."""
    step = max(1, luma.shape[0] // LINES)
    part = luma[: luma.shape[0] // step * step, : luma.shape[1] // step * step]
    means: Plane = part.reshape(part.shape[0] // step, step, -1, step).mean(axis=(1, 3), dtype=np.float32)
    return means


def _sums(plane: Plane) -> npt.NDArray[np.float64]:
    """Return the sum of all above and left of each corner, by which any rectangle's mean is four lookups."""
    return np.pad(plane.astype(np.float64).cumsum(axis=0).cumsum(axis=1), ((1, 0), (1, 0)))


def _smaller(plane: Plane, scale: float) -> Plane:
    """Scale down by averaging what falls together."""
    rows, columns = (np.round(np.linspace(0, side, int(side * scale) + 1)).astype(int) for side in plane.shape)
    corners = _sums(plane)[rows][:, columns]
    totals = corners[1:, 1:] - corners[:-1, 1:] - corners[1:, :-1] + corners[:-1, :-1]
    means: Plane = (totals / (np.diff(rows)[:, None] * np.diff(columns)[None])).astype(np.float32)
    return means


def _fine(plane: Plane) -> Plane:
    """Take away what is wide: the mean of a square around each point."""
    side = 2 * _WIDE + 1
    sums = _sums(np.pad(plane, _WIDE, mode="edge"))
    wide = (sums[side:, side:] - sums[:-side, side:] - sums[side:, :-side] + sums[:-side, :-side]) / side**2
    fine: Plane = (plane - wide).astype(np.float32)
    return fine


def _likeness(picture: Plane, small: Plane) -> float:
    """Return the best correlation of a small picture with any part of a picture."""
    small = (small - small.mean()) / (small.std() or 1)
    parts = np.lib.stride_tricks.sliding_window_view(picture, small.shape)
    products = np.einsum("abij,ij->ab", parts, small, optimize=True) / small.size
    return float((products / np.maximum(parts.std(axis=(2, 3)), 1e-3)).max())
