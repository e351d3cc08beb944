"""What this machine keeps up with, as the File page draws it: every measured way of encoding, room against headroom."""

import datetime
import math
from collections.abc import Iterator
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import NamedTuple

from reel.core.file import CODECS, Draft, FilePlan, VideoCodec
from reel.core.frame import smaller
from reel.core.signal import Mode, rate_label
from reel.web.machine.models import Speed, choice_of
from reel.web.rigs.benching import SAFE, headroom

# The drawing's room for points, in its own units, and what its ends stand for.
LEFT, RIGHT, TOP, BOTTOM = 44.0, 570.0, 14.0, 284.0
MOST, LEAST = 16.0, 0.25
# A name's height, its letters' width, and the widest name; how far a point reaches.
_LINE, _LETTER, _WIDEST, _REACH = 15.0, 7.5, 52.0, 7.0
_STRANDS = {codec: place for place, codec in enumerate(VideoCodec)}


@dataclass(frozen=True, kw_only=True)
class Point:
    """A way of encoding in the drawing: how many times faster than needed, and gigabytes for an hour of picture."""

    codec: VideoCodec
    choice: str
    pictures_per_s: float
    headroom: float
    gigabytes: float
    x: float
    y: float
    is_chosen: bool

    @property
    def label(self) -> str:
        return f"{CODECS[self.codec].label} {self.choice}".strip()

    @property
    def loses(self) -> bool:
        return self.headroom < 1

    @property
    def strand(self) -> int:
        """The number of its codec's colour."""
        return _STRANDS[self.codec]

    @property
    def field(self) -> str:
        return "effort" if CODECS[self.codec].efforts else "profile"


@dataclass(frozen=True, kw_only=True)
class Curve:
    """The efforts of one codec: its points, the way through them, and where its name stands."""

    points: tuple[Point, ...]
    label: str
    label_x: float
    label_y: float
    anchor: str

    @property
    def path(self) -> str:
        """The way through the points, as SVG has it."""
        return " ".join(f"{'M' if place == 0 else 'L'}{one.x:.1f} {one.y:.1f}" for place, one in enumerate(self.points))


@dataclass(frozen=True, kw_only=True)
class OtherFrame:
    """A smaller or slower frame with which the chosen way keeps up, by how much."""

    mode: Mode
    headroom: float
    words: str


@dataclass(frozen=True, kw_only=True)
class Keeping:
    """What was measured at a frame's size, for one rig's rate and settings.

    `chosen` is the point of those; `frames` are others with which it would keep up, where it does not.
    """

    curves: tuple[Curve, ...]
    chosen: Point | None
    measured_at: datetime.datetime | None
    x_ticks: tuple[tuple[float, str], ...]
    y_ticks: tuple[tuple[float, str], ...]
    one_x: float
    safe_x: float
    frames: tuple[OtherFrame, ...] = ()

    @property
    def lost_width(self) -> float:
        """How wide the part is in which frames are lost."""
        return self.one_x - LEFT

    @property
    def safe_width(self) -> float:
        """How wide the part is in which there is little headroom."""
        return self.safe_x - self.one_x

    @property
    def points(self) -> list[Point]:
        """All points, the fastest first."""
        found = [point for curve in self.curves for point in curve.points]
        return sorted(found, key=lambda point: -point.headroom)

    @property
    def is_warned(self) -> bool:
        """Whether the chosen way has little or no headroom."""
        return self.chosen is not None and self.chosen.headroom < SAFE

    @property
    def nearest(self) -> Point | None:
        """The way that keeps up and is nearest: of the chosen codec the one with the most effort, else by its size."""
        if self.chosen is None or not self.is_warned:
            return None
        fitting = [point for point in self.points if point.headroom >= SAFE]
        own = [point for point in fitting if point.codec is self.chosen.codec]
        if own:
            return min(own, key=lambda point: point.headroom)
        size = self.chosen.gigabytes
        return min(fitting, key=lambda one: (abs(math.log(one.gigabytes / size)), one.headroom), default=None)


def keeping(plan: FilePlan, draft: Draft) -> Keeping | None:
    """Return what was measured at a plan's size, with what a draft chooses; None before the first measuring."""
    frame = plan.frame
    rows = list(Speed.objects.here(frame))
    if not rows:
        return None
    needed = frame.rate / plan.lapse
    lowest, highest = _decades([_gigabytes(row, needed) for row in rows if row.pictures_per_s])
    chosen = (draft.codec.value, choice_of(draft))
    points: dict[VideoCodec, list[Point]] = {}
    for row in rows:
        if row.pictures_per_s is None or row.codec not in set(VideoCodec):
            continue
        times, gigabytes = headroom(row.pictures_per_s, plan), _gigabytes(row, needed)
        points.setdefault(VideoCodec(row.codec), []).append(
            Point(
                codec=VideoCodec(row.codec),
                choice=row.choice,
                pictures_per_s=row.pictures_per_s,
                headroom=times,
                gigabytes=gigabytes,
                x=_across(times),
                y=_down(gigabytes, lowest, highest),
                is_chosen=(row.codec, row.choice) == chosen,
            )
        )
    point = next((point for found in points.values() for point in found if point.is_chosen), None)
    decades = range(round(math.log10(lowest)), round(math.log10(highest)) + 1)
    return Keeping(
        curves=_named(points),
        chosen=point,
        frames=_other_frames(plan, point) if point is not None and point.headroom < SAFE else (),
        measured_at=max(row.measured_at for row in rows),
        x_ticks=tuple((_across(times), f"{times:g}×") for times in (0.25, 0.5, 1, 2, 4, 8, 16)),
        y_ticks=tuple((_down(10.0**decade, lowest, highest), f"{10.0**decade:g}") for decade in decades),
        one_x=_across(1),
        safe_x=_across(SAFE),
    )


def _other_frames(plan: FilePlan, chosen: Point) -> tuple[OtherFrame, ...]:
    """Return the nearest smaller size and the nearest even part of the rate with which a way of encoding keeps up."""
    found, frame = [], plan.frame
    for mode in smaller(frame):
        row = Speed.objects.here(mode).filter(codec=chosen.codec.value, choice=chosen.choice).first()
        if row is not None and row.pictures_per_s is not None and headroom(row.pictures_per_s, plan) >= SAFE:
            times = headroom(row.pictures_per_s, plan)
            found.append(OtherFrame(mode=mode, headroom=times, words=f"Record {mode.size_label}"))
            break
    for part in (2, 3, 4):  # every second picture, every third: even, where what moves would otherwise stutter
        if frame.rate / part >= 1 and (times := chosen.headroom * part) >= SAFE:
            mode = replace(frame, rate=frame.rate / part)
            found.append(OtherFrame(mode=mode, headroom=times, words=f"Record {rate_label(mode.rate)} a second"))
            break
    return tuple(found)


def headrooms(plan: FilePlan) -> dict[tuple[str, str], float]:
    """Return by codec and effort or profile how much faster than a plan needs it this machine was measured to be."""
    rows = Speed.objects.here(plan.frame).filter(pictures_per_s__isnull=False)
    return {(row.codec, row.choice): headroom(row.pictures_per_s or 0, plan) for row in rows}


def _gigabytes(row: Speed, rate: Fraction) -> float:
    return max(1e-3, (row.bits_per_picture or 0) * float(rate) * 3600 / 8e9)


def _decades(values: list[float]) -> tuple[float, float]:
    low, high = min(values, default=0.1), max(values, default=100)
    bottom = 10.0 ** math.floor(math.log10(low))
    return bottom, max(10 * bottom, 10.0 ** math.ceil(math.log10(high)))


def _across(headroom: float) -> float:
    part = math.log2(min(MOST, max(LEAST, headroom)) / LEAST) / math.log2(MOST / LEAST)
    return LEFT + part * (RIGHT - LEFT)


def _down(gigabytes: float, lowest: float, highest: float) -> float:
    part = math.log10(gigabytes / lowest) / math.log10(highest / lowest)
    return BOTTOM - min(1.0, max(0.0, part)) * (BOTTOM - TOP)


def _named(points: dict[VideoCodec, list[Point]]) -> tuple[Curve, ...]:
    """Name each codec beside one of its points, its fastest if that can be, where nothing else stands."""
    taken = [
        _Box(one.x - _REACH, one.y - _REACH, one.x + _REACH, one.y + _REACH)
        for found in points.values()
        for one in found
    ]
    curves = []
    for codec, found in sorted(points.items(), key=lambda one: min(point.y for point in one[1])):
        found.sort(key=lambda point: point.x)
        label = CODECS[codec].label
        tried = [(x, y, anchor) for point in reversed(found) for x, y, anchor in _places(point)]
        x, y, anchor = min(tried, key=lambda place: sum(_box_of(label, *place).covers(other) for other in taken))
        taken.append(_box_of(label, x, y, anchor))
        curves.append(Curve(points=tuple(found), label=label, label_x=x, label_y=y, anchor=anchor))
    return tuple(curves)


class _Box(NamedTuple):
    """A part of the drawing."""

    left: float
    top: float
    right: float
    bottom: float

    def covers(self, other: "_Box") -> float:
        """Return how much of another one it covers."""
        across = min(self.right, other.right) - max(self.left, other.left)
        down = min(self.bottom, other.bottom) - max(self.top, other.top)
        return max(0.0, across) * max(0.0, down)


def _places(point: Point) -> Iterator[tuple[float, float, str]]:
    """Return where a name may stand beside a point: x, the line it stands on, and which of its ends x is."""
    for x, y, anchor in (
        (point.x + 9, point.y + 4, "start"),
        (point.x - 9, point.y + 4, "end"),
        (point.x + 4, point.y - 10, "start"),
        (point.x + 4, point.y + 18, "start"),
        (point.x - 4, point.y - 10, "end"),
        (point.x - 4, point.y + 18, "end"),
    ):
        if TOP + _LINE <= y <= BOTTOM - 4 and (x + _WIDEST <= RIGHT + 30 if anchor == "start" else x - _WIDEST >= LEFT):
            yield x, y, anchor


def _box_of(label: str, x: float, y: float, anchor: str) -> _Box:
    """Return the room that a name takes."""
    width = len(label) * _LETTER
    left = x if anchor == "start" else x - width
    return _Box(left, y - _LINE + 3, left + width, y + 3)
