"""What the pages of a finish show."""

from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from reel.core.file import RateKind
from reel.core.finish import Edges, Encoding, Fate, FinishPlan, Keep, StreamPlan, Stretch, TickRange
from reel.core.measure.levels import BLACK, WHITE
from reel.core.signal import length_label, rate_label, timecode
from reel.core.sound import Sides
from reel.web.finishes.claps import found_in
from reel.web.finishes.drawing import draw_finish, draw_keep, size_of
from reel.web.finishes.editing import Opened, length_of, marks_of, parts_of
from reel.web.finishes.encodings import choices
from reel.web.finishes.making import jobs_of
from reel.web.finishes.models import KeptFinish
from reel.web.finishes.picturing import GROUPS, form_of
from reel.web.finishes.proposals import FilePart, Rule, found
from reel.web.finishes.timing import seconds_of
from reel.web.finishes.tracks import rows_of
from reel.web.takes.models import Part, ProofState, Take
from reel.web.takes.rewrapping import REWRAPS
from reel.web.ui.templatetags.units import size

# So many joints are shown as pictures, and so many keyframes lie ready to be snapped to.
MAX_JOINTS, MAX_SNAPS, MAX_OTHERS = 12, 4000, 30
RULE_LABELS = {
    Rule.BLACK: "Leave out what is black",
    Rule.STILL: "Leave out what is still",
    Rule.SILENT: "Leave out what is silent",
    Rule.ENDS: "Cut both ends to where it moves",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class Row:
    """A range that is kept, as the table shows it; `encoded` of its `frames` are encoded anew."""

    number: int
    begin: str
    end: str
    in_pc: float
    out_pc: float
    length: str
    frames: int
    encoded: int
    cost: str
    is_last: bool


@dataclass(frozen=True, slots=True, kw_only=True)
class Proposal:
    """What may be left out by one press: the rule, what the button says, and how long that is, "" for nothing."""

    rule: str
    label: str
    length: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Joint:
    """The last frame before a joint and the first one behind it, as ticks and timecodes."""

    number: int
    last: int
    last_code: str
    first: int
    first_code: str


def context_of(now: Opened, stage: str, part: Part, least_s: Fraction) -> dict[str, Any]:
    """Return what a stage's page shows."""
    made = now.plan()
    take = now.take
    shown: dict[str, Any] = {
        "take": take,
        "finish": now.finish,
        "now": now,
        "stage": stage,
        "line": draw_finish(now, made, stage),
        "seen": now.seen,
        "done": now.stored.past[-1]["words"] if now.stored.past else "",
        "undone": now.stored.future[-1]["words"] if now.stored.future else "",
        "becomes": becomes(now, made),
        "room": "takes",
    }
    files = parts_of(now.takes, now.sources)
    if stage == "keep":
        shown |= _keep(now, made, files, part, least_s)
    elif stage == "picture":
        shown |= _picture(now)
    elif stage == "sound":
        words = {one.stream.index: sound_words(one) for one in made.sounds}
        shown |= {"rows": rows_of(now, files, words), "sides": [one.value for one in Sides], "claps": found_in(now)}
    elif stage == "file":
        encoding = now.finish.encoding
        size_mb = f"{encoding.size_bytes / 1e6:g}" if encoding is not None and encoding.size_bytes else ""
        shown |= {
            "choices": choices(now),
            "size_mb": size_mb,
            "quality": encoding.recipe.rate.number if encoding is not None and _is_quality(encoding) else "",
            "scale": encoding.recipe.codec_facts.quality if encoding is not None else None,
            "containers": REWRAPS,
            "notes": made.notes,
            "kept": KeptFinish.objects.all(),
            "rules": _rules(),
        }
    else:
        results = list(take.made_into.kept())
        is_proved = any(one.proof_state == ProofState.AS_ASKED for one in results)
        shown |= {"jobs": jobs_of(take), "made": results, "left_out": made.left_out, "is_proved": is_proved}
    return shown


def beside_sound(now: Opened, place: int = 0) -> dict[str, Any]:
    """Return what a page shows that stands beside Sound and plays one of the take's files."""
    return {
        "take": now.take,
        "part": now.parts[place],
        "form": now.take.form,
        "finish": now.finish,
        "stage": "sound",
        "line": draw_finish(now, now.plan(), "sound"),
        "seen": now.seen,
        "rate": float(now.rate),
        "length_ms": round(length_of(now.sources[place : place + 1]) / now.rate * 1000),
        "room": "takes",
    }


def _is_quality(encoding: Encoding) -> bool:
    return encoding.recipe.rate.kind is RateKind.QUALITY and encoding.size_bytes is None


def _picture(now: Opened) -> dict[str, Any]:
    source, picture = now.sources[0].pictures[0], now.finish.picture
    form = form_of(picture, picture.size_of(source.width_px, source.height_px, source.aspect))
    first = now.keep.ranges[0]
    return {
        "tags": [form["range"], form["matrix"]],
        "black": BLACK,
        "white": WHITE,
        "groups": [(title, [form[name] for name in names]) for title, names in GROUPS],
        "size": picture.framed.size_of(source.width_px, source.height_px, source.aspect),
        "length": now.length,
        "tick": first.first + first.length // 2,
        "rate": float(now.rate),
    }


def _rules() -> list[tuple[str, str]]:
    return [(rule.value, label) for rule, label in RULE_LABELS.items()]


def _keep(now: Opened, made: FinishPlan, files: list[FilePart], part: Part, least_s: Fraction) -> dict[str, Any]:
    begin = next((one.begin for one, mine in zip(files, now.parts, strict=False) if mine.pk == part.pk), 0)
    keep = made.finish.keep or now.keep
    drawn = draw_keep(now, keep, files)
    offset_ms = round(begin / now.rate * 1000)
    return {
        "part": part,
        "form": now.take.form,
        "drawn": drawn,
        "from_ms": -offset_ms,
        "to_ms": drawn.length_ms - offset_ms,
        "rate": float(now.rate),
        "rows": _table(now, made),
        "proposals": _proposals(now, files, least_s),
        "least_s": f"{float(least_s):g}",
        "joints": _joints(keep),
        "edges_exact": now.keep.edges is Edges.EXACT,
        "marks": marks_of(now),
        "behind": now.takes[1:],
        "others": _others(now),
        "is_encoded": now.finish.encoding is not None,
        "snaps": _snaps(now, files),
    }


def _others(now: Opened) -> list[Take]:
    """Return the newest takes that may follow on this one: of its codec, any where all is encoded anew."""
    others = Take.objects.kept().exclude(pk__in=[one.pk for one in now.takes]).exclude(size_bytes=None)
    return list((others if now.finish.encoding is not None else others.filter(codec=now.take.codec))[:MAX_OTHERS])


def _table(now: Opened, made: FinishPlan) -> list[Row]:
    rows = []
    is_intra = all(one.packets is not None and one.packets.is_intra for one in now.sources)
    for number, one in enumerate(now.keep.ranges, start=1):
        mine = [stretch for stretch in made.stretches if _lies_in(stretch, number, now)]
        frames, anew = sum(one.pieces.frames for one in mine), sum(one.pieces.encoded for one in mine)
        rows.append(
            Row(
                number=number,
                begin=timecode(one.first / now.rate, now.rate),
                end=timecode(one.end / now.rate, now.rate),
                in_pc=round(one.first / now.length * 100, 3),
                out_pc=round(one.end / now.length * 100, 3),
                length=length_label(one.length / now.rate),
                frames=frames,
                encoded=anew,
                cost=_cost(
                    frames,
                    anew,
                    is_whole=not made.stretches,
                    is_intra=is_intra,
                    edges=now.keep.edges,
                    encoded=bool(now.finish.encoding),
                ),
                is_last=number == len(now.keep.ranges),
            )
        )
    return rows


def _lies_in(stretch: Stretch, number: int, now: Opened) -> bool:
    """Return whether a stretch of what is made has something of a range, counted from 1: two that meet share one."""
    before = sum(one.length for one in now.keep.ranges[: number - 1])
    return before < stretch.made + stretch.kept.length and stretch.made < before + now.keep.ranges[number - 1].length


def _cost(frames: int, anew: int, *, is_whole: bool, is_intra: bool, edges: Edges, encoded: bool) -> str:
    if encoded:
        return "all of it is encoded anew, as File says"
    if is_whole:
        return "all as it is: nothing is encoded anew"
    if edges is Edges.KEYFRAME:
        return "its edges move out to keyframes: nothing is encoded anew"
    if is_intra:
        return "every frame stands alone: nothing is encoded anew"
    if not anew:
        return "begins and ends where nothing is encoded anew"
    if anew == frames:
        return f"no keyframe in it: all {frames} frames are encoded anew"
    return f"{anew} of {frames} frames are encoded anew"


def _proposals(now: Opened, files: list[FilePart], least_s: Fraction) -> list[Proposal]:
    """Return what can be left out of what is kept, with how long it is."""
    if not files:
        return []
    shown = []
    for rule, label in RULE_LABELS.items():
        gaps = found(rule, files, now.rate, least_s)
        ticks = sum(_common(one, gap) for one in now.keep.ranges for gap in gaps)
        shown.append(Proposal(rule=rule.value, label=label, length=length_label(ticks / now.rate) if ticks else ""))
    return shown


def _common(one: TickRange, other: TickRange) -> int:
    return max(0, min(one.end, other.end) - max(one.first, other.first))


def _joints(keep: Keep) -> list[Joint]:
    pairs = zip(keep.ranges, keep.ranges[1:], strict=False)
    return [
        Joint(
            number=number,
            last=one.end - 1,
            last_code=timecode((one.end - 1) / keep.rate, keep.rate),
            first=after.first,
            first_code=timecode(after.first / keep.rate, keep.rate),
        )
        for number, (one, after) in enumerate(pairs, start=1)
        if one.end < after.first
    ][:MAX_JOINTS]


def _snaps(now: Opened, files: list[FilePart]) -> list[int]:
    """Return the ticks that edges snap to: keyframes, marks, cuts, and where something is black, still or silent."""
    places = set(marks_of(now))
    begin = 0
    for source in now.sources:
        if source.packets is None:
            continue
        if not source.packets.is_intra:
            places.update(int(one) + begin for one in source.packets.key_ticks[:MAX_SNAPS])
        begin += source.packets.length
    for file in files:
        if file.in_time.picture is not None:
            places.update(file.begin + round(at_ms * now.rate / 1000) for at_ms in file.in_time.picture.cuts)
    for rule in (Rule.BLACK, Rule.STILL, Rule.SILENT):
        for gap in found(rule, files, now.rate, Fraction(1, 10)) if files else ():
            places |= {gap.first, gap.end}
    return sorted(one for one in places if 0 <= one <= now.length)[:MAX_SNAPS]


def becomes(now: Opened, made: FinishPlan) -> list[tuple[str, str]]:
    """Return what comes of it: (what, how)."""
    frames, encoding = made.frames, made.finish.encoding
    picture = f"{frames - made.encoded} frames as they were" if made.stretches else "as it was, packet for packet"
    if encoding is not None:
        picture = f"{frames} frames encoded anew: {encoding.recipe.codec_facts.label}, {encoding.recipe.rate.label}"
    elif made.encoded:
        picture += f", {made.encoded} anew"
    bytes_about = size_of(made, now.take.size_bytes or 0)
    shown = [("Length", length_label(made.length_s or now.keep.length / now.rate)), ("Picture", picture)]
    if made.pace is not None and (made.pace.frames_per_s != now.rate or made.pace.fills):
        shown.append(("Rate", f"{rate_label(made.pace.frames_per_s)} frames a second"))
    if made.pace is not None and made.pace.words:
        shown.append(("Frames", made.pace.words))
    shown += [(f"Sound: {one.title or 'track'}", sound_words(one)) for one in made.sounds]
    if took_s := seconds_of(made):
        shown.append(("Takes", f"about {length_label(took_s)} to encode, as this machine was measured"))
    size_words = "not known before it is made"
    if bytes_about:
        size_words = f"about {size(bytes_about)} of {size(now.take.size_bytes)}"
    return [*shown, ("Size", size_words)]


def sound_words(one: StreamPlan) -> str:
    """Return what becomes of a track."""
    return {
        Fate.UNTOUCHED: "as it was, packet for packet",
        Fate.SAME_SAMPLES: "the same samples, faded over 5 ms at each cut",
        Fate.ENCODED: f"encoded anew: {one.why}",
        Fate.LEFT_OUT: f"left out: {one.why}" if one.why else "left out",
    }.get(one.fate, "")
