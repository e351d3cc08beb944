"""The patch of the Sound page: a strand from each input to each track that holds it."""

from dataclasses import dataclass

from reel.core.line import RigSetup
from reel.core.sound import MAX_TRACKS

# Heights of a row of inputs and of one of tracks, as the page has them, and the width of the drawing's own units.
ROW_PX, TRACK_PX, WIDTH = 88, 48, 100


@dataclass(frozen=True, slots=True, kw_only=True)
class Wire:
    """One strand: the place of its input, the number of its track, and an SVG path."""

    place: int
    track: int
    path: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Patch:
    """All strands, in a box of WIDTH × `height_px`; `open_ends` are the heights of the inputs that go nowhere."""

    wires: tuple[Wire, ...]
    open_ends: tuple[tuple[int, int], ...]
    height_px: int


def tracks_shown(plan: RigSetup) -> int:
    """Return how many tracks the page has: those that there are, and a free one where there is a choice."""
    is_plain = len(plan.inputs) == 1 and len(plan.tracks) == 1
    return len(plan.tracks) if is_plain else min(MAX_TRACKS, len(plan.tracks) + 1)


def draw_patch(plan: RigSetup) -> Patch:
    """Draw where each input's sound goes."""
    wires = tuple(
        Wire(place=place, track=track, path=_path(_input_y(place), (track - 1) * TRACK_PX + TRACK_PX // 2))
        for place, one in enumerate(plan.inputs)
        for track in one.sound.tracks
        if track <= len(plan.tracks)
    )
    drawn = {wire.place for wire in wires}
    ends = tuple((place, _input_y(place)) for place in range(len(plan.inputs)) if place not in drawn)
    return Patch(wires=wires, open_ends=ends, height_px=max(len(plan.inputs) * ROW_PX, tracks_shown(plan) * TRACK_PX))


def _input_y(place: int) -> int:
    return place * ROW_PX + 23


def _path(start: int, end: int) -> str:
    return f"M0 {start} C{WIDTH * 0.5} {start} {WIDTH * 0.5} {end} {WIDTH} {end}"
