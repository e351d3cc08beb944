"""The drawing of a take along its time: its picture and its tracks as strands, and what was found in them."""

import math
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

import numpy as np
import numpy.typing as npt

from reel.core.measure import Counts
from reel.core.measure.in_time import Event, Span, TakeInTime, at_label, clips, losses, rate_of
from reel.core.signal import length_label

# Shapes lie in a box so wide that is stretched to the page; texts stand at a part of the width, in pixels of height.
WIDTH = 1000
FLAGS_Y, WORDS_Y, MIDDLE_Y, LOST_Y = 14, 34, 56, 88
THINNEST, THICKEST = 2.0, 26.0
# The data rate, from 50 kb/s to 100 Mb/s, as the line draws it: by its logarithm.
LOW_DECADE, DECADES = 4.7, 3.3
FIRST_TRACK_Y, TRACK_GAP, TRACK_THICKEST = 110, 18, 12.0
# The data rate is drawn in the mean of so many milliseconds.
SMOOTH_MS = 1000
# A track under so many dBFS is a thread.
QUIET_DB = -60
# So many columns are drawn of a window, and of a row in the list.
COLUMNS, ROW_COLUMNS = 500, 96
# A row keeps so many stretches of a kind.
ROW_EVENTS = 24
# A letter of a label takes about so much of the width, in percent; labels that would touch are left out.
LETTER_PC = 0.62
# On a phone it takes so many times that. A flag with the gap to its text is as wide as so many letters.
PHONE_TIMES, FLAG_LETTERS = 3, 2
# The distances of the scale's ticks, in milliseconds.
STEPS_MS = tuple(
    1000 * seconds for seconds in (0.1, 0.2, 0.5, 1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200)
)
MAX_TICKS = 11
# No window is shorter than this.
MIN_WINDOW_MS = 1000

Floats = npt.NDArray[np.float64]


@dataclass(frozen=True, slots=True, kw_only=True)
class Window:
    """What of a take is drawn, in milliseconds."""

    from_ms: int
    to_ms: int

    def part(self, at_ms: float) -> float:
        """Return where a moment lies in it: 0 at its beginning, 1 at its end."""
        return (at_ms - self.from_ms) / (self.to_ms - self.from_ms)


@dataclass(frozen=True, slots=True, kw_only=True)
class Word:
    """A text at a part of the width, in percent. One that `is_roomy` has room on a phone too."""

    x_pc: float
    text: str
    at_ms: int
    is_roomy: bool = True


@dataclass(frozen=True, slots=True, kw_only=True)
class DrawnTrack:
    """A track: its name, how loud it is at its loudest, its strand, and where it clips in percent of the width."""

    title: str
    level: str
    y: int
    path: str
    place: int
    clips: tuple[float, ...]


@dataclass(frozen=True, slots=True, kw_only=True)
class DrawnTake:
    """The drawing of a window of a part: strands in units of WIDTH, all else in percent of the width; stretches are
    (where they begin, how wide they are).
    """

    window: Window
    length_ms: int
    height: int
    picture: str
    black: tuple[tuple[float, float], ...]
    still: tuple[tuple[float, float], ...]
    hooks: tuple[float, ...]
    doubled: tuple[float, ...]
    cuts: tuple[float, ...]
    words: tuple[Word, ...]
    lost_words: tuple[Word, ...]
    flags: tuple[Word, ...]
    new_words: tuple[Word, ...]
    tracks: tuple[DrawnTrack, ...]
    ticks: tuple[Word, ...]
    rate: float

    @property
    def scale_y(self) -> int:
        return self.height - 18


def window_of(length_ms: int, from_ms: int | None, to_ms: int | None) -> Window:
    """Return the window that was asked for, within a take and no shorter than MIN_WINDOW_MS; all by default."""
    whole = max(1, length_ms)
    if from_ms is None or to_ms is None or to_ms <= from_ms:
        return Window(from_ms=0, to_ms=whole)
    length = min(whole, max(MIN_WINDOW_MS, to_ms - from_ms))
    begin = min(max(0, from_ms), whole - length)
    return Window(from_ms=begin, to_ms=begin + length)


def drawn(in_time: TakeInTime, counts: Counts, window: Window, marks: Sequence[tuple[int, str]]) -> DrawnTake:
    """Draw a window of a part; `marks` are (millisecond, label)."""
    picture = in_time.picture
    tracks = tuple(
        DrawnTrack(
            title=track.title or ("sound" if len(in_time.tracks) == 1 else f"track {place + 1}"),
            level=loudest(track.peaks),
            y=FIRST_TRACK_Y + place * TRACK_GAP,
            path=_ribbon(
                _columns(_thick_sound(track.levels), in_time.step_ms, window), FIRST_TRACK_Y + place * TRACK_GAP
            ),
            place=place % 5 + 1,
            clips=tuple(_places((one.at_ms for one in clips(in_time, place, counts)), window)),
        )
        for place, track in enumerate(in_time.tracks)
    )
    gaps = [event for event, _ in losses(picture, counts)] if picture else []
    spans = [("black", span) for span in picture.black] + [("still", span) for span in picture.still] if picture else []
    spans.sort(key=lambda one: one[1].begin_ms)
    return DrawnTake(
        window=window,
        length_ms=in_time.length_ms,
        height=FIRST_TRACK_Y + len(tracks) * TRACK_GAP + 24,
        picture=_ribbon(_columns(_thick_picture(picture.rates, in_time.step_ms), in_time.step_ms, window), MIDDLE_Y)
        if picture
        else "",
        black=tuple(_boxes(picture.black, window)) if picture else (),
        still=tuple(_boxes(picture.still, window)) if picture else (),
        hooks=tuple(_places((one.at_ms for one in gaps), window)),
        doubled=tuple(_places((one.at_ms for one in picture.doubled), window)) if picture else (),
        cuts=tuple(_places(picture.cuts, window)) if picture else (),
        words=apart(window, [(span.begin_ms, f"{kind} {_length(span)}") for kind, span in spans]),
        lost_words=apart(window, _together(gaps, window)),
        flags=flagged(window, marks),
        new_words=flagged(window, _new_words(in_time)),
        tracks=tracks,
        ticks=tuple(scale_of(window)),
        rate=float(picture.rate) if picture and picture.rate else 0.0,
    )


def ribbon_of(files: Sequence[TakeInTime], middle: float) -> str:
    """Return the outline of the picture of files, one behind the other, in units of WIDTH around a height."""
    total = max(1, sum(one.length_ms for one in files))
    found = [np.zeros(0, dtype=np.float64)]
    for one in files:
        if one.picture is not None:
            wide = max(2, round(COLUMNS * one.length_ms / total))
            whole = Window(from_ms=0, to_ms=max(1, one.length_ms))
            found.append(
                _stretched(_columns(_thick_picture(one.picture.rates, one.step_ms), one.step_ms, whole, wide), wide)
            )
    return _ribbon(np.concatenate(found), middle)


def track_ribbon_of(files: Sequence[TakeInTime], track: int, middle: float) -> str:
    """Return the outline of a track of files (from 0), one behind the other, as thick as it is loud; "" where a file
    has no such track."""
    if not files or any(track >= len(one.tracks) for one in files):
        return ""
    total, found = max(1, sum(one.length_ms for one in files)), []
    for one in files:
        wide = max(2, round(COLUMNS * one.length_ms / total))
        whole = Window(from_ms=0, to_ms=max(1, one.length_ms))
        found.append(_stretched(_columns(_thick_sound(one.tracks[track].levels), one.step_ms, whole, wide), wide))
    return _ribbon(np.concatenate(found), middle)


def row_strand(in_time: TakeInTime, counts: Counts) -> dict[str, object] | None:
    """Return what a row of the list keeps of a part: thicknesses as digits of base 16, stretches in thousandths."""
    if in_time.picture is None or in_time.length_ms <= 0:
        return None
    whole = Window(from_ms=0, to_ms=in_time.length_ms)
    thick = _columns(_thick_picture(in_time.picture.rates, in_time.step_ms), in_time.step_ms, whole, ROW_COLUMNS)
    gaps = losses(in_time.picture, counts)
    return {
        "frames_lost": sum(one.number for one, _ in gaps),
        "thick": "".join(f"{round(one / THICKEST * 15):x}" for one in thick),
        "black": _thousandths(in_time.picture.black, whole),
        "still": _thousandths(in_time.picture.still, whole),
        "lost": [round(whole.part(one.at_ms) * 1000) for one, _ in gaps][:ROW_EVENTS],
    }


@dataclass(frozen=True, slots=True, kw_only=True)
class RowStrand:
    """The strand of a part in a row of the list, in a box of WIDTH × 32; stretches are (where they begin, how wide)."""

    path: str
    black: tuple[tuple[int, int], ...]
    still: tuple[tuple[int, int], ...]
    lost: tuple[int, ...]


def row_strands_of(parts: Sequence[tuple[int, dict[str, Any] | None]]) -> list[tuple[float, float, RowStrand]]:
    """Return the strands of a take's parts, (milliseconds, what row_strand gave), each at its place in the row."""
    total, found, at = sum(length_ms for length_ms, _ in parts), [], 0.0
    for length_ms, kept in parts:
        wide = WIDTH * length_ms / total if total else 0.0
        if kept and wide:
            strand = RowStrand(
                path=_ribbon(np.array([int(one, 16) / 15 * 20 for one in kept["thick"]], dtype=np.float64), 13),
                black=tuple((begin, max(4, end - begin)) for begin, end in kept["black"]),
                still=tuple((begin, max(4, end - begin)) for begin, end in kept["still"]),
                lost=tuple(kept["lost"]),
            )
            found.append((round(at, 1), round(wide - (4 if len(parts) > 1 else 0), 1), strand))
        at += wide
    return found


def _thousandths(spans: Sequence[Span], whole: Window) -> list[list[int]]:
    longest = sorted(spans, key=lambda span: span.begin_ms - span.end_ms)[:ROW_EVENTS]
    return sorted([round(whole.part(span.begin_ms) * 1000), round(whole.part(span.end_ms) * 1000)] for span in longest)


def _thick_picture(rates: bytes, step_ms: int) -> Floats:
    """Return how thick the picture is drawn in each step: keyframes, which are large, make no knots in it."""
    found: Floats = np.array([rate_of(one) for one in rates], dtype=np.float64)
    around = min(max(1, SMOOTH_MS // step_ms), len(found))
    if around > 1:
        weights = np.convolve(np.ones(len(found)), np.ones(around), "same")
        found = np.convolve(found, np.ones(around), "same") / weights
    share: Floats = np.clip((np.log10(np.maximum(found, 1.0)) - LOW_DECADE) / DECADES, 0, 1)
    return THINNEST + share * (THICKEST - THINNEST)


def _thick_sound(levels: bytes) -> Floats:
    found = np.frombuffer(levels, dtype=np.uint8).astype(np.float64) - 100
    share: Floats = np.clip((found - QUIET_DB) / -QUIET_DB, 0, 1)
    return 1.0 + share**1.6 * TRACK_THICKEST


def _columns(thick: Floats, step_ms: int, window: Window, columns: int = COLUMNS) -> Floats:
    """Return the thickness at each column of a window: the mean where several steps share one."""
    begin, end = window.from_ms // step_ms, min(len(thick), math.ceil(window.to_ms / step_ms))
    shown: Floats = thick[begin:end]
    if not len(shown):
        return np.full(2, THINNEST, dtype=np.float64)
    if len(shown) <= columns:
        return shown
    edges = np.linspace(0, len(shown), columns + 1).astype(np.int64)[:-1]
    means: Floats = np.add.reduceat(shown, edges) / np.diff(np.append(edges, len(shown)))
    return means


def _stretched(thick: Floats, columns: int) -> Floats:
    """Return thicknesses at so many columns, each the nearest of those that there are."""
    return thick[np.minimum(len(thick) - 1, np.arange(columns) * len(thick) // columns)]


def _ribbon(thick: Floats, middle: float) -> str:
    """Return the outline of a strand of some thicknesses, evenly along WIDTH."""
    across = (np.arange(len(thick)) + 0.5) * WIDTH / len(thick)
    across = np.concatenate(([0.0], across, [float(WIDTH)]))
    half = np.concatenate((thick[:1], thick, thick[-1:])) / 2
    upper = " ".join(f"{x:.1f} {middle - one:.1f}" for x, one in zip(across, half, strict=True))
    lower = " ".join(f"{x:.1f} {middle + one:.1f}" for x, one in zip(across[::-1], half[::-1], strict=True))
    return f"M{upper} L{lower}Z"


def _boxes(spans: Iterable[Span], window: Window) -> Iterable[tuple[float, float]]:
    for span in spans:
        begin, end = max(0.0, window.part(span.begin_ms)), min(1.0, window.part(span.end_ms))
        if end > begin:
            yield round(begin * 100, 2), round((end - begin) * 100, 2)


def _places(moments: Iterable[int], window: Window) -> Iterable[float]:
    """Return moments of a window in percent; of those that fall on one place only one."""
    return sorted({round(window.part(at_ms) * 100, 1) for at_ms in moments if window.from_ms <= at_ms < window.to_ms})


def apart(window: Window, texts: Iterable[tuple[int, str]]) -> tuple[Word, ...]:
    """Return texts that do not touch each other: one that has no room is left empty."""
    shown = _within(window, texts)

    def fits(letter_pc: float) -> Iterator[bool]:
        taken_pc = -100.0
        for _, x_pc, text in shown:
            end_pc = x_pc + len(text) * letter_pc
            if does := x_pc >= taken_pc and end_pc <= 101:
                taken_pc = end_pc + 1
            yield does

    return _words(shown, fits)


def flagged(window: Window, texts: Iterable[tuple[int, str]]) -> tuple[Word, ...]:
    """Return texts beside flags, which all stand: one that would reach the next flag is left empty."""
    shown = _within(window, texts)
    ends = [*(x_pc for _, x_pc, _ in shown[1:]), 101.0]

    def fits(letter_pc: float) -> Iterator[bool]:
        for (_, x_pc, text), end_pc in zip(shown, ends, strict=False):
            yield x_pc + (FLAG_LETTERS + len(text)) * letter_pc <= end_pc

    return _words(shown, fits)


def _words(shown: list[tuple[int, float, str]], fits: Callable[[float], Iterable[bool]]) -> tuple[Word, ...]:
    both = zip(shown, fits(LETTER_PC), fits(LETTER_PC * PHONE_TIMES), strict=True)
    return tuple(
        Word(x_pc=x_pc, text=text if has_room else "", at_ms=at_ms, is_roomy=is_roomy)
        for (at_ms, x_pc, text), has_room, is_roomy in both
    )


def _within(window: Window, texts: Iterable[tuple[int, str]]) -> list[tuple[int, float, str]]:
    """Return the texts that lie in a window, in the order of time: millisecond, percent, text."""
    return [
        (at_ms, round(window.part(at_ms) * 100, 2), text)
        for at_ms, text in sorted(texts)
        if window.from_ms <= at_ms < window.to_ms
    ]


def _together(gaps: Sequence[Event], window: Window) -> Iterable[tuple[int, str]]:
    """Return how many frames are lost, those at one place of the drawing together."""
    near_ms = (window.to_ms - window.from_ms) / 100
    groups: list[list[Event]] = []
    for gap in gaps:
        if groups and gap.at_ms - groups[-1][-1].at_ms < near_ms:
            groups[-1].append(gap)
        else:
            groups.append([gap])
    for group in groups:
        yield group[0].at_ms, f"{sum(one.number for one in group)} lost"


def _new_words(in_time: TakeInTime) -> Iterable[tuple[int, str]]:
    """Return where the pictures that are new a second come to another number, and which, where it isn't the rate."""
    picture = in_time.picture
    if picture is None or picture.rate is None:
        return
    each = max(1, 1000 // in_time.step_ms)
    new = [sum(picture.new[at : at + each]) for at in range(0, len(picture.new) - each + 1, each)]
    rate, since = float(picture.rate), 0
    kinds = [round(one / 5) * 5 if one < 0.9 * rate else round(rate) for one in new]
    for second, (before, kind) in enumerate(pairwise([-1, *kinds])):
        if kind == before:
            continue
        since = second
        lasts = next((later for later in range(since, len(kinds)) if kinds[later] != kind), len(kinds)) - since
        if kind < 0.9 * rate and kind and lasts >= 3:
            yield since * 1000, f"{kind} new a second"


def scale_of(window: Window) -> Iterable[Word]:
    """Return the ticks of a window's scale, with what stands at them."""
    length = window.to_ms - window.from_ms
    step = next(
        (one for one in STEPS_MS if length / one <= MAX_TICKS), STEPS_MS[-1] * math.ceil(length / STEPS_MS[-1] / 10)
    )
    first = math.ceil(window.from_ms / step)
    for number in range(first, int(window.to_ms // step) + 1):
        at_ms = round(number * step)
        text = at_label(at_ms) + (f".{at_ms % 1000 // 100}" if step < 1000 else "")
        yield Word(x_pc=round(window.part(at_ms) * 100, 2), text=text, at_ms=at_ms)


def _length(span: Span) -> str:
    return length_label((span.end_ms - span.begin_ms) / 1000)


def loudest(peaks: bytes) -> str:
    """Return the highest of peaks as they are stored, in dBFS."""
    highest = max(peaks, default=0)
    return f"{highest - 100} dB".replace("-", "−") if highest else "silent"
