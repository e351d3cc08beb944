"""The drawing of a finish: its line from the take to what is made, and what is kept along the take's strand."""

import math
from dataclasses import dataclass

from reel.core.finish import Fate, FinishPlan, Keep, TickRange, left_out
from reel.core.signal import length_label, rate_label, timecode
from reel.web.finishes.editing import Opened
from reel.web.finishes.proposals import FilePart
from reel.web.takes.strands import WIDTH, Window, Word, apart, ribbon_of, scale_of
from reel.web.ui.bands import MIDDLE, THINNEST, DrawnStrand, band, fallen_piece
from reel.web.ui.templatetags.units import size

STAGES = ("take", "keep", "picture", "sound", "file", "make")
COLUMN, OPEN_COLUMN = 100, 160
# How thick the take is drawn; what is kept of its bytes is as thick as the root of its part.
THICK = 26.0
FIRST_STRAND, STRAND_GAP = 58, 7
# The middle of the strand of what is kept.
RIBBON_Y = 62
HEIGHT = 176


@dataclass(frozen=True, slots=True, kw_only=True)
class DrawnStage:
    """One column of the line: what it says of itself, and what it changes."""

    key: str
    title: str
    fact: str
    detail: str
    change: str
    is_open: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class DrawnFinish:
    """The line of a finish: its columns, and SVG paths as the line of a rig has them."""

    stages: tuple[DrawnStage, ...]
    width: int
    picture: str
    strands: tuple[DrawnStrand, ...]
    fallen: tuple[str, ...]
    unknown: str = ""
    unpacked: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class DrawnPiece:
    """A piece of the strand: where it lies in percent of the width, and in units of its drawing."""

    x_pc: float
    width_pc: float
    x: float
    width: float


@dataclass(frozen=True, slots=True, kw_only=True)
class DrawnKeep:
    """What is kept along a take: its strand, the pieces of it that are kept and those that hang below."""

    length_ms: int
    height: int
    ribbon: str
    kept: tuple[DrawnPiece, ...]
    out: tuple[DrawnPiece, ...]
    edges: tuple[Word, ...]
    out_words: tuple[Word, ...]
    ticks: tuple[Word, ...]

    @property
    def scale_y(self) -> int:
        return self.height - 20


def size_of(made: FinishPlan, take_bytes: int) -> int:
    """Return about how many bytes what is made will have: of what is encoded anew, as many as it has now."""
    encoding = made.finish.encoding
    if encoding is not None:
        bits = (encoding.recipe.rate.target_bps or 0) * made.length_s
        return encoding.size_bytes or round(bits / 8)
    if not made.stretches:
        return take_bytes
    frames = sum(one.pieces.frames for one in made.stretches)
    copied = sum(one.pieces.copied_bytes for one in made.stretches)
    each = copied / max(1, frames - made.encoded) if copied else 0.0
    sound = sum(one.stream.bitrate_bps / 8 * float(made.length_s) for one in made.sounds)
    if not copied:
        return 0
    return round(copied + made.encoded * each + sound)


def draw_finish(now: Opened, made: FinishPlan, stage: str) -> DrawnFinish:
    """Draw the line with one stage open."""
    widths = [OPEN_COLUMN if one == stage else COLUMN for one in STAGES]
    edges = [sum(widths[:place]) for place in range(len(STAGES) + 1)]
    share = now.keep.length / now.length
    thin = max(THINNEST, THICK * math.sqrt(share))
    rates = [THICK, *(thin for _ in STAGES[1:])]
    return DrawnFinish(
        stages=tuple(_stage(now, made, key, is_open=key == stage) for key in STAGES),
        width=edges[-1],
        picture=band(edges, rates),
        strands=tuple(
            _strand(edges, place, one.stream.title, is_open=one.fate is Fate.LEFT_OUT)
            for place, one in enumerate(made.sounds[:4])
        ),
        fallen=(fallen_piece(edges[1], THICK, thin),) if share < 1 else (),
    )


def _strand(edges: list[int], place: int, name: str, *, is_open: bool) -> DrawnStrand:
    y, join = FIRST_STRAND + place * STRAND_GAP, edges[STAGES.index("file")]
    path = f"M0 {y} L{edges[STAGES.index('sound')]} {y}"
    if not is_open:
        path = f"M0 {y} L{join - 10} {y} C{join + 4} {y} {join + 2} {MIDDLE + 4} {join + 18} {MIDDLE}"
    return DrawnStrand(name=name, path=path, width=1.5, is_sound=True, place=place % 5 + 1, is_open=is_open)


def _stage(now: Opened, made: FinishPlan, key: str, *, is_open: bool) -> DrawnStage:
    fact, detail, changed = {
        "take": _take_facts,
        "keep": _keep_facts,
        "picture": _picture_facts,
        "sound": _sound_facts,
        "file": _file_facts,
        "make": _make_facts,
    }[key](now, made)
    return DrawnStage(key=key, title=key.capitalize(), fact=fact, detail=detail, change=changed, is_open=is_open)


Facts = tuple[str, str, str]


def _take_facts(now: Opened, made: FinishPlan) -> Facts:
    form = now.take.form
    return length_label(now.length / now.rate), f"{form.width_px}×{form.height_px} {form.codec}", ""


def _keep_facts(now: Opened, made: FinishPlan) -> Facts:
    gone = now.length - now.keep.length
    count = len(now.keep.ranges)
    fact = length_label(now.keep.length / now.rate) if gone else "all of it"
    detail = f"{count} range{'' if count == 1 else 's'}"
    return fact, detail, f"{length_label(gone / now.rate)} left out" if gone else ""


def _picture_facts(now: Opened, made: FinishPlan) -> Facts:
    source, picture = now.sources[0].pictures[0], now.finish.picture
    size = picture.size_of(source.width_px, source.height_px)
    fact = f"{size[0]}×{size[1]}"
    if made.pace is not None and (picture.speed != 1 or made.pace.frames_per_s != now.rate):
        fact += f" {rate_label(made.pace.frames_per_s)}"
    if picture.is_drawn:
        return fact, f"at {float(picture.speed * 100):.3g} % speed" if picture.speed != 1 else "", "drawn anew"
    tags = " ".join(str(one.value) for one in (picture.matrix, picture.range) if one is not None)
    return fact, f"tagged {tags}" if tags else "as it was", ""


def _sound_facts(now: Opened, made: FinishPlan) -> Facts:
    sounds = made.sounds
    kept = [one for one in sounds if one.fate is not Fate.LEFT_OUT]
    anew = sum(one.fate is Fate.ENCODED for one in kept)
    fact = f"{len(kept)} track{'' if len(kept) == 1 else 's'}"
    if anew:
        return fact, "", "encoded anew" if anew == len(kept) else f"{anew} encoded anew"
    return fact, "as it was" if kept else "", f"{len(sounds) - len(kept)} left out" if len(kept) < len(sounds) else ""


def _file_facts(now: Opened, made: FinishPlan) -> Facts:
    was, becomes = now.take.first.file_name.rpartition(".")[2].upper(), made.finish.suffix.upper()
    fact = was if was == becomes else f"{was} → {becomes}"
    if made.finish.encoding is not None:
        return fact, made.finish.encoding.recipe.codec_facts.label, "all encoded anew"
    if made.encoded:
        return fact, "", f"{made.encoded} frame{'' if made.encoded == 1 else 's'} anew"
    return fact, "picture as it was", ""


def _make_facts(now: Opened, made: FinishPlan) -> Facts:
    bytes_about = size_of(made, now.take.size_bytes or 0)
    return (f"about {size(bytes_about)}" if bytes_about else "size not known", "a take of its own", "")


def draw_keep(now: Opened, keep: Keep, files: list[FilePart]) -> DrawnKeep:
    """Draw what is kept along the take, where its edges come to lie."""
    length_ms = round(now.length / now.rate * 1000)
    window = Window(from_ms=0, to_ms=max(1, length_ms))
    out = left_out(keep.ranges, now.length)
    edges = [
        (round(tick / now.rate * 1000), timecode(tick / now.rate, now.rate)[1:])
        for one in keep.ranges
        for tick in (one.first, one.end)
        if 0 < tick < now.length
    ]
    return DrawnKeep(
        length_ms=length_ms,
        height=HEIGHT,
        ribbon=ribbon_of([one.in_time for one in files], RIBBON_Y) if files else f"M0 49H{WIDTH}V75H0Z",
        kept=tuple(_piece(now, one) for one in keep.ranges),
        out=tuple(_piece(now, one) for one in out),
        edges=apart(window, edges),
        out_words=apart(
            window, [(round(one.first / now.rate * 1000), length_label(one.length / now.rate)) for one in out]
        ),
        ticks=tuple(scale_of(window)),
    )


def _piece(now: Opened, one: TickRange) -> DrawnPiece:
    return DrawnPiece(
        x_pc=round(one.first / now.length * 100, 3),
        width_pc=round(one.length / now.length * 100, 3),
        x=round(one.first / now.length * WIDTH, 2),
        width=round(one.length / now.length * WIDTH, 2),
    )
