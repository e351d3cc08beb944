"""Sizes of the recorded picture."""

from dataclasses import replace

from reel.core.signal import Mode

# The shorter sides that the trade counts by (SMPTE ST 2036-1, ST 274 and ST 296; below them their halves).
_SIDES_PX = (2160, 1440, 1080, 720, 540, 360, 270)


def smaller(mode: Mode, most: int = 2) -> tuple[Mode, ...]:
    """Give up to `most` of the next smaller sizes of the same shape, the largest first; sides are even."""
    short = min(mode.width_px, mode.height_px)
    sides = [side for side in _SIDES_PX if side < short][:most]
    return tuple(
        replace(
            mode,
            width_px=round(mode.width_px * side / short / 2) * 2,
            height_px=round(mode.height_px * side / short / 2) * 2,
        )
        for side in sides
    )
