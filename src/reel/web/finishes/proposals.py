"""What may be left out of a take, found by what is in it: black, still or silent stretches, its ends; around marks."""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from itertools import pairwise

from reel.core.errors import BadValueError
from reel.core.finish import Ranges, TickRange, together, without
from reel.core.measure.in_time import Span, TakeInTime


class Rule(StrEnum):
    """What is left out."""

    BLACK = "black"
    STILL = "still"
    SILENT = "silent"
    ENDS = "ends"


@dataclass(frozen=True, slots=True, kw_only=True)
class Rules:
    """By which rules something is left out of a take: stretches of at least `least_s` seconds. Raises BadValueError."""

    rules: tuple[Rule, ...] = ()
    least_s: Fraction = Fraction(2)

    def __post_init__(self) -> None:
        if not Fraction(1, 10) <= self.least_s <= 3600:
            raise BadValueError("Left out from", f"{float(self.least_s):g} s", "it is from 0.1 to 3600 s")


@dataclass(frozen=True, slots=True, kw_only=True)
class FilePart:
    """What was found in one file of a take along its time, and its ticks in the take, in the order of the files."""

    in_time: TakeInTime
    begin: int
    length: int


def found(rule: Rule, files: Sequence[FilePart], rate: Fraction, least_s: Fraction) -> Ranges:
    """Return the stretches of a take that a rule leaves out, in ticks of `rate`.

    Whatever is black, still or silent for less than `least_s` seconds stays. The ends are what is black or still before
    the first movement and behind the last one.
    """
    spans = {
        Rule.BLACK: lambda one: one.picture.black if one.picture else (),
        Rule.STILL: lambda one: one.picture.still if one.picture else (),
        Rule.SILENT: _silent,
    }
    if rule is not Rule.ENDS:
        whole = together(one for file in files for one in _ticks(spans[rule](file.in_time), file, rate))
        return tuple(one for one in whole if one.length >= least_s * rate)
    dead = together(
        one
        for file in files
        for kind in (Rule.BLACK, Rule.STILL)
        for one in _ticks(spans[kind](file.in_time), file, rate)
    )
    length = files[-1].begin + files[-1].length
    return tuple(one for one in dead if one.first == 0 or one.end == length)


def by_rules(rules: Rules, files: Sequence[FilePart], rate: Fraction) -> Ranges:
    """Return what rules keep of a take; nothing where they leave out all of it."""
    length = files[-1].begin + files[-1].length
    gaps = [gap for rule in rules.rules for gap in found(rule, files, rate, rules.least_s)]
    return without((TickRange(0, length),), gaps)


def between(marks: Sequence[int], length: int) -> Ranges:
    """Return what lies between the first two marks, the next two, and so on; one that is left over has the rest.

    Raises BadValueError where there are none.
    """
    edges = sorted({tick for tick in marks if tick < length})
    if not edges:
        raise BadValueError("Between marks", "none", "the take has no mark")
    pairs = [*zip(edges[::2], edges[1::2], strict=False)]
    if len(edges) % 2:
        pairs.append((edges[-1], length))
    return tuple(TickRange(first, end) for first, end in pairs if first < end)


def around(marks: Sequence[int], before: int, length: int) -> Ranges:
    """Return so many ticks before and behind each mark; raises BadValueError where there are none."""
    if not marks:
        raise BadValueError("Around marks", "none", "the take has no mark")
    return together(
        TickRange(max(0, tick - before), min(length, tick + max(1, before))) for tick in marks if tick < length
    )


def _silent(in_time: TakeInTime) -> tuple[Span, ...]:
    """Return where no track of a file has sound."""
    if not in_time.tracks:
        return ()
    edges = sorted(
        {0, in_time.length_ms, *(edge for one in in_time.tracks for span in one.silent for edge in _edges(span))}
    )
    return tuple(
        Span(begin_ms=begin, end_ms=end)
        for begin, end in pairwise(edges)
        if all(any(span.begin_ms <= begin and end <= span.end_ms for span in one.silent) for one in in_time.tracks)
    )


def _edges(span: Span) -> tuple[int, int]:
    return span.begin_ms, span.end_ms


def _ticks(spans: Iterable[Span], file: FilePart, rate: Fraction) -> Iterable[TickRange]:
    """Return spans of a file, in milliseconds, as ticks of the take that lie in them."""
    for span in spans:
        first = min(file.length, max(0, math.ceil(span.begin_ms * rate / 1000 - Fraction(1, 2))))
        end = min(file.length, round(span.end_ms * rate / 1000))
        if span.end_ms >= file.in_time.length_ms:
            end = file.length
        if first < end:
            yield TickRange(file.begin + first, file.begin + end)
