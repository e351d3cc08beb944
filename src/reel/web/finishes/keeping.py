"""What a page asks to be done to what is kept."""

from collections.abc import Callable, Mapping
from dataclasses import replace
from fractions import Fraction

from django.http import QueryDict

from reel.core.errors import BadValueError
from reel.core.finish import Edges, Finish, Ranges, TickRange, joined, left_out, moved, put_back, split, without
from reel.core.signal import tick_of, timecode
from reel.web.finishes.editing import Opened, join, kept_ranges, marks_of, parts_of, take_off
from reel.web.finishes.proposals import Rule, Rules, around, between, found
from reel.web.finishes.reading import ask_to_read, sources_of
from reel.web.takes.models import Take
from reel.web.ui.typed import number_of

Edit = Callable[[Opened, QueryDict], Finish]


def least_s(typed: str) -> Fraction:
    """Read the seconds from which on something is left out; raises BadValueError."""
    try:
        return Rules(least_s=Fraction(typed if len(typed) < 12 else "x")).least_s
    except (ValueError, ZeroDivisionError):
        raise BadValueError("Left out from", typed[:12], "it is a number of seconds") from None


def _place(now: Opened, typed: QueryDict) -> int:
    """Read which range is meant, counted from 0; raises BadValueError."""
    place = number_of(typed.get("range", "")) or 0
    if not 1 <= place <= len(now.keep.ranges):
        raise BadValueError("Range", typed.get("range", "")[:12], f"there are {len(now.keep.ranges)}")
    return place - 1


def _tick(now: Opened, typed: QueryDict, name: str) -> int:
    return min(now.length, tick_of(typed.get(name, ""), now.rate))


def _leave_out(now: Opened, typed: QueryDict) -> Finish:
    place = _place(now, typed)
    return kept_ranges(now, (*now.keep.ranges[:place], *now.keep.ranges[place + 1 :]))


def _set(now: Opened, typed: QueryDict) -> Finish:
    first, end = _tick(now, typed, "in"), _tick(now, typed, "out")
    return kept_ranges(now, moved(now.keep.ranges, _place(now, typed), first, end, now.length))


def _put_back(now: Opened, typed: QueryDict) -> Finish:
    """Put back what is left out around a tick."""
    tick = _tick(now, typed, "at")
    gap = next((one for one in left_out(now.keep.ranges, now.length) if one.first <= tick < one.end), None)
    if gap is None:
        raise BadValueError("Put back", timecode(tick / now.rate, now.rate), "nothing is left out there")
    return kept_ranges(now, put_back(now.keep.ranges, gap))


def _by_rule(now: Opened, typed: QueryDict) -> Finish:
    rule = typed.get("rule", "")
    if rule not in set(Rule):
        raise BadValueError("Leave out", rule[:20], f"it is one of {', '.join(Rule)}")
    gaps = found(Rule(rule), parts_of(now.takes, now.sources), now.rate, least_s(typed.get("least_s", "2")))
    return kept_ranges(now, without(now.keep.ranges, gaps))


def _span(now: Opened, typed: QueryDict) -> TickRange:
    return TickRange(_tick(now, typed, "in"), _tick(now, typed, "out"))


def _only(now: Opened, typed: QueryDict) -> Finish:
    kept: Ranges = (_span(now, typed),)
    return kept_ranges(now, kept)


def _around_marks(now: Opened, typed: QueryDict) -> Finish:
    before = round(least_s(typed.get("around_s", "")) * now.rate)
    return kept_ranges(now, around(marks_of(now), before, now.length))


def _edges(now: Opened, typed: QueryDict) -> Finish:
    edges = typed.get("edges", "")
    if edges not in set(Edges):
        raise BadValueError("Edges", edges[:20], f"they are one of {', '.join(Edges)}")
    return replace(now.finish, keep=replace(now.keep, edges=Edges(edges)))


def _other(typed: QueryDict) -> Take:
    other = Take.objects.kept().with_parts().filter(pk=number_of(typed.get("other", "")) or 0).first()
    if other is None:
        raise BadValueError("Take", typed.get("other", "")[:12], "there is no such take")
    return other


def prepare(doing: str, typed: QueryDict) -> None:
    """Have read what is needed before something is done: outside of the change, which is undone where it is refused."""
    if doing == "join-take" and sources_of([other := _other(typed)]) is None:
        ask_to_read(other)


# What can be done, with the words by which it is undone.
EDITS: Mapping[str, tuple[str, Edit]] = {
    "leave-out": ("a range left out", _leave_out),
    "set": ("edges moved", _set),
    "split": ("split", lambda now, typed: kept_ranges(now, split(now.keep.ranges, _tick(now, typed, "at")))),
    "join": ("joined", lambda now, typed: kept_ranges(now, joined(now.keep.ranges, _place(now, typed)))),
    "put-back": ("put back", _put_back),
    "all": ("all kept", lambda now, typed: kept_ranges(now, (TickRange(0, now.length),))),
    "rule": ("left out by what was found", _by_rule),
    "cut-out": (
        "in to out left out",
        lambda now, typed: kept_ranges(now, without(now.keep.ranges, [_span(now, typed)])),
    ),
    "only": ("only in to out kept", _only),
    "between-marks": (
        "only between marks",
        lambda now, typed: kept_ranges(now, between(marks_of(now), now.length)),
    ),
    "around-marks": ("only around marks", _around_marks),
    "edges": ("where edges lie", _edges),
    "join-take": ("another take joined", lambda now, typed: join(now, _other(typed))),
    "take-off": ("a take taken off", lambda now, typed: take_off(now)),
}
