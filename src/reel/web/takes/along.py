"""What the page of a take shows of it along its time: the drawing of a window, its neighbours, and what was found."""

from reel.core.measure.in_time import found_in
from reel.web.takes.comparing import mark_row
from reel.web.takes.models import InTime, Part, Take
from reel.web.takes.strands import MIN_WINDOW_MS, Window, drawn, window_of


def along(part: Part, take: Take, from_ms: int | None = None, to_ms: int | None = None) -> dict[str, object]:
    """Return the drawing of a part in a window, what was found, the windows beside it; {} before it was examined."""
    kept = InTime.objects.filter(part=part).first()
    if kept is None:
        return {}
    in_time = kept.in_time
    window = window_of(in_time.length_ms, from_ms, to_ms)
    form = take.form
    rows = [mark_row(mark, take, form) for mark in take.marks.all()]
    marks = [
        (round(float(str(row["at_s"])) * 1000), str(row["label"] or row["words"] or "mark"))
        for row in rows
        if row["part"] == part.number
    ]
    return {
        "drawn": drawn(in_time, part.counted, window, marks),
        "found": found_in(in_time, part.counted),
        "windows": _beside(window, in_time.length_ms),
    }


def _beside(window: Window, length_ms: int) -> dict[str, Window | None]:
    """Return the windows that the buttons lead to; None for one that is as the window is."""
    length = window.to_ms - window.from_ms
    middle = (window.from_ms + window.to_ms) // 2
    quarter = max(1, length // 4)
    windows = {
        "closer": window_of(length_ms, middle - quarter, middle + quarter),
        "wider": window_of(length_ms, middle - length, middle + length),
        "earlier": window_of(length_ms, window.from_ms - length // 2, window.to_ms - length // 2),
        "later": window_of(length_ms, window.from_ms + length // 2, window.to_ms + length // 2),
    }
    if length >= length_ms:
        windows["earlier"] = windows["later"] = windows["wider"] = window
    if length <= MIN_WINDOW_MS:
        windows["closer"] = window
    return {name: one if one != window else None for name, one in windows.items()}
