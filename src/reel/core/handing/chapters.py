"""Chapters: from each mark to the next, as players show them."""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction

from reel.core.handing.values import Moment, MomentKind

# What lies nearer to the beginning than this names the first chapter.
_AT_BEGIN_S = Fraction(1, 2)
FIRST = "Beginning"


@dataclass(frozen=True, slots=True, kw_only=True)
class Chapter:
    """A chapter in seconds of a file; it is never empty."""

    begin_s: Fraction
    end_s: Fraction
    title: str


def chapters_of(moments: Iterable[Moment], length_s: Fraction) -> tuple[Chapter, ...]:
    """Return the chapters that marks make of a file of a length: one more than there are marks, unless one is at 0.

    Marks without a label are numbered. () where there is no mark.
    """
    marks = sorted(
        (one for one in moments if one.kind is MomentKind.MARK and 0 <= one.at_s < length_s), key=lambda one: one.at_s
    )
    named = [(one.at_s, one.label or f"Mark {number}") for number, one in enumerate(marks, start=1)]
    if not named:
        return ()
    if named[0][0] > _AT_BEGIN_S:
        named.insert(0, (Fraction(0), FIRST))
    else:
        named[0] = (Fraction(0), named[0][1])
    ends = [at_s for at_s, _ in named[1:]] + [length_s]
    return tuple(
        Chapter(begin_s=begin, end_s=end, title=title)
        for (begin, title), end in zip(named, ends, strict=True)
        if end > begin
    )


def webvtt(chapters: Sequence[Chapter]) -> str:
    """Return chapters as WebVTT (W3C, WebVTT: The Web Video Text Tracks Format, section 4.1), a cue each."""
    cues = [
        f"{number}\n{_stamp(one.begin_s)} --> {_stamp(one.end_s)}\n{_text(one.title)}\n"
        for number, one in enumerate(chapters, start=1)
    ]
    return "\n".join(["WEBVTT\n", *cues])


def _stamp(second: Fraction) -> str:
    whole_ms = round(second * 1000)
    minutes, rest_ms = divmod(whole_ms, 60_000)
    return f"{minutes // 60:02}:{minutes % 60:02}:{rest_ms // 1000:02}.{rest_ms % 1000:03}"


def _text(title: str) -> str:
    """Return a title as a cue's text: one line in which nothing is markup, and no arrow ends the cue."""
    line = " ".join(title.split())
    return line.replace("&", "&amp;").replace("<", "&lt;").replace(">", "&gt;") or "-"
