"""The drawing of a line: the walk's stages as columns, and one band whose thickness follows the data rate."""

import math
from dataclasses import dataclass

from reel.core.line import STAGES, Live, Loss, RigSetup, Stage, Strand
from reel.recorder.messages import RigStatus

COLUMN, OPEN_COLUMN = 100, 160
MIDDLE, BOTTOM = 34, 82
# Where the strands beside the first picture run: from below its band on, so far apart at most.
FIRST_STRAND, STRAND_GAP = 54, 9
THINNEST, THICKEST = 2.0, 30.0
# from 1 Mb/s (2 px) to 10 Gb/s (30 px)
LOW_DECADE, DECADES = 6, 4


@dataclass(frozen=True, slots=True, kw_only=True)
class DrawnStage:
    """One column of the drawing."""

    key: str
    title: str
    fact: str
    detail: str
    losses: tuple[Loss, ...]
    is_open: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class DrawnLine:
    """The drawing: columns, and SVG paths in units of a viewBox `width` × 84 that is stretched sideways.

    `unknown` is the stretch before the first stage whose rate is known, "" when all are. `unpacked` outlines, around
    the picture's strand, the size at which something compressed is unpacked again: what was thrown away does not come
    back.
    """

    stages: tuple[DrawnStage, ...]
    width: int
    unknown: str
    picture: str
    unpacked: tuple[str, ...]
    strands: tuple["DrawnStrand", ...]
    fallen: tuple[str, ...]


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


def draw_line(stages: tuple[Stage, ...], beside: tuple[Strand, ...], open_stage: str) -> DrawnLine:
    """Draw a walk with one stage open, and the strands beside the first input's picture."""
    widths = [OPEN_COLUMN if stage.key == open_stage else COLUMN for stage in stages]
    edges = [sum(widths[:place]) for place in range(len(stages) + 1)]
    rates, unpacked = _picture_rates(stages)
    first = next((place for place, stage in enumerate(stages) if stage.rate_bps), len(stages))
    fallen = tuple(
        _fallen_piece(edges[place], rates[place - 1], rates[place])
        for place, stage in enumerate(stages)
        if stage.losses and rates[place] < rates[place - 1]
    )
    return DrawnLine(
        stages=tuple(
            DrawnStage(
                key=stage.key,
                title=stage.key.capitalize(),
                fact=stage.fact,
                detail=stage.detail,
                losses=stage.losses,
                is_open=stage.key == open_stage,
            )
            for stage in stages
        ),
        width=edges[-1],
        unknown=f"M0 {MIDDLE} L{edges[first]} {MIDDLE}" if first else "",
        picture=_band(edges[first:], rates[first:]) if first < len(stages) else "",
        unpacked=tuple(
            _outline(edges[place], edges[place + 1], unpacked[place])
            for place in range(first, len(stages) - 1)
            if unpacked[place] > rates[place] and stages[place].rate_bps
        ),
        strands=_strands(edges, stages, beside),
        fallen=fallen,
    )


def _picture_rates(stages: tuple[Stage, ...]) -> tuple[list[float], list[float]]:
    """Return the strand's thickness per stage, which never grows, and the thickness of what is stored there.

    Sound is drawn apart; roll carries the file's on.
    """
    strand: list[float] = []
    stored: list[float] = []
    least: float | None = None
    for stage in stages:
        known = stage.key not in ("sound", "roll")
        thick = thickness(stage.rate_bps) if known else stored[-1]
        if stage.rate_bps and known:
            least = thick if least is None else min(least, thick)
        stored.append(thick)
        strand.append(thick if least is None or (not known and not strand) else min(least, thick))
    return strand, stored


def _outline(start: int, end: int, thick: float) -> str:
    top, low = round(MIDDLE - thick / 2, 2), round(MIDDLE + thick / 2, 2)
    return f"M{start + 14} {top} L{end - 2} {top} M{start + 14} {low} L{end - 2} {low}"


def _band(edges: list[int], rates: list[float]) -> str:
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


def _strands(edges: list[int], stages: tuple[Stage, ...], beside: tuple[Strand, ...]) -> tuple[DrawnStrand, ...]:
    """Draw each strand from the device to where it joins: a picture at Frame, a sound at File, after its track."""
    has_sound = stages[STAGES.index("sound")].rate_bps is not None
    shown = [strand for strand in beside if not strand.is_sound or has_sound]
    gap = min(STRAND_GAP, (BOTTOM - FIRST_STRAND) / max(1, len(shown) - 1))
    return tuple(
        _strand(edges, strand, round(_first_y(len(shown)) + place * gap, 1)) for place, strand in enumerate(shown)
    )


def _first_y(count: int) -> float:
    """A strand that is alone has more room."""
    return 66 if count == 1 else FIRST_STRAND


def _strand(edges: list[int], strand: Strand, y: float) -> DrawnStrand:
    if not strand.joins:
        path, is_open = f"M0 {y} L{edges[STAGES.index('sound' if strand.is_sound else 'frame')]} {y}", True
    else:
        join, is_open = edges[STAGES.index("file" if strand.is_sound else "frame")], False
        path = f"M0 {y} L{join - 10} {y} C{join + 4} {y} {join + 2} {MIDDLE + 4} {join + 18} {MIDDLE}"
    width = 1.5 if strand.is_sound else min(STRAND_GAP - 3, max(2.0, thickness(strand.rate_bps[-1]) / 3))
    return DrawnStrand(
        name=strand.name, path=path, width=width, is_sound=strand.is_sound, place=strand.place, is_open=is_open
    )


def _fallen_piece(x: int, before: float, after: float) -> str:
    """Draw what a stage takes away: a piece as thick as the difference, bending down from the band's lower edge."""
    low, gone = MIDDLE + before / 2, max(2.0, (before - after) / 2)
    return (
        f"M{x - 8} {low} C{x + 6} {low} {x + 10} {low + 6} {x + 12} {low + 14} "
        f"L{x + 12 + gone} {low + 14} C{x + 11 + gone} {low} {x + 4} {low - gone} {x - 8} {low - gone} Z"
    )


def lives_of(plan: RigSetup, live: RigStatus | None) -> tuple[Live, ...]:
    """Return what each of a rig's inputs says of itself, as the line takes it."""
    if live is None or len(live.inputs) != len(plan.inputs):
        return ()
    return tuple(Live(signal=one.signal, sound=one.sound) for one in live.inputs)
