"""The geometry of a line: a band whose thickness changes from stage to stage, what falls off it, strands beside it."""

import math
from dataclasses import dataclass

MIDDLE, BOTTOM = 34, 82
THINNEST, THICKEST = 2.0, 30.0
# from 1 Mb/s (2 px) to 10 Gb/s (30 px)
LOW_DECADE, DECADES = 6, 4


@dataclass(frozen=True, slots=True, kw_only=True)
class DrawnStrand:
    """An input's picture or sound beside the first picture: its path, its stroke's width in pixels, its place."""

    name: str
    path: str
    width: float
    is_sound: bool
    place: int
    is_open: bool


def thickness(rate_bps: float | None) -> float:
    """Return the thickness in pixels for a data rate; one that is not known is drawn thin."""
    if not rate_bps:
        return THINNEST
    part = (math.log10(rate_bps) - LOW_DECADE) / DECADES
    return round(THINNEST + (THICKEST - THINNEST) * min(1.0, max(0.0, part)), 1)


def band(edges: list[int], rates: list[float]) -> str:
    """Outline the band: along the top to the right, back along the bottom, eased where the thickness changes."""
    start, end = edges[0], edges[-1] - 20
    top = f"M{start} {MIDDLE - rates[0] / 2}"
    for place in range(1, len(rates)):
        x, before, after = edges[place], MIDDLE - rates[place - 1] / 2, MIDDLE - rates[place] / 2
        top += f" L{x} {before} C{x + 8} {before} {x + 4} {after} {x + 14} {after}"
    top += f" L{end} {MIDDLE - rates[-1] / 2} L{end} {MIDDLE + rates[-1] / 2}"
    for place in range(len(rates) - 1, 0, -1):
        x, before, after = edges[place], MIDDLE + rates[place - 1] / 2, MIDDLE + rates[place] / 2
        top += f" L{x + 14} {after} C{x + 4} {after} {x + 8} {before} {x} {before}"
    return f"{top} L{start} {MIDDLE + rates[0] / 2} Z"


def fallen_piece(x: int, before: float, after: float) -> str:
    """Draw what a stage takes away: a piece as thick as the difference, bending down from the band's lower edge."""
    low, gone = MIDDLE + before / 2, max(2.0, (before - after) / 2)
    return (
        f"M{x - 8} {low} C{x + 6} {low} {x + 10} {low + 6} {x + 12} {low + 14} "
        f"L{x + 12 + gone} {low + 14} C{x + 11 + gone} {low} {x + 4} {low - gone} {x - 8} {low - gone} Z"
    )
