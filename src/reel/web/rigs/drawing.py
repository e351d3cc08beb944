"""The drawing of a line: the walk's stages as columns, and one band whose thickness follows the data rate."""

from dataclasses import dataclass

from reel.core.line import STAGES, Live, Loss, RigSetup, Stage, Strand
from reel.recorder.messages import RigStatus
from reel.web.ui.bands import BOTTOM, MIDDLE, DrawnStrand, band, fallen_piece, thickness

COLUMN, OPEN_COLUMN = 100, 160
# Where the strands beside the first picture run: from below its band on, so far apart at most.
FIRST_STRAND, STRAND_GAP = 54, 9


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
    strands: tuple[DrawnStrand, ...]
    fallen: tuple[str, ...]


def draw_line(stages: tuple[Stage, ...], beside: tuple[Strand, ...], open_stage: str) -> DrawnLine:
    """Draw a walk with one stage open, and the strands beside the first input's picture."""
    widths = [OPEN_COLUMN if stage.key == open_stage else COLUMN for stage in stages]
    edges = [sum(widths[:place]) for place in range(len(stages) + 1)]
    rates, unpacked = _picture_rates(stages)
    first = next((place for place, stage in enumerate(stages) if stage.rate_bps), len(stages))
    fallen = tuple(
        fallen_piece(edges[place], rates[place - 1], rates[place])
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
        picture=band(edges[first:], rates[first:]) if first < len(stages) else "",
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


def lives_of(plan: RigSetup, live: RigStatus | None) -> tuple[Live, ...]:
    """Return what each of a rig's inputs says of itself, as the line takes it."""
    if live is None or len(live.inputs) != len(plan.inputs):
        return ()
    return tuple(Live(signal=one.signal, sound=one.sound) for one in live.inputs)
