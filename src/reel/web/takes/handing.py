"""Handing takes on: what is said of them in open forms, and the files that jobs make of them."""

from collections.abc import Sequence
from fractions import Fraction

from reel.core.handing import HandedPart, HandedTake, Moment, MomentKind, table
from reel.core.measure.in_time import losses
from reel.web.takes.comparing import mark_row
from reel.web.takes.models import InTime, Part, Take
from reel.web.takes.proving import path_of
from reel.web.ui.templatetags.units import length

LOG_HEADER = (
    "name", "date", "time", "length s", "rig", "device", "size", "rate", "codec", "bytes", "proof", "lost", "good",
    "tags", "note", "marks", "files",
)  # fmt: skip


def moments_of(part: Part, take: Take) -> list[Moment]:
    """Return the marks of a part, and what was found along its time: lost frames, black and still parts."""
    form = take.form
    rows = [mark_row(mark, take, form) for mark in take.marks.all()]
    found = [
        Moment(
            kind=MomentKind.MARK,
            at_s=Fraction(str(row["at_s"])),
            label=str(row["label"] or row["words"]),
        )
        for row in rows
        if row["part"] == part.number
    ]
    kept = InTime.objects.filter(part=part).first()
    picture = kept.in_time.picture if kept else None
    if picture is None:
        return found
    per_s = picture.rate or form.rate
    for event, _ in losses(picture, part.counted):
        begins_s = round(event.at_ms * per_s / 1000) / per_s  # a frame's own second
        lost = f"{event.number} lost"
        found.append(Moment(kind=MomentKind.LOST, at_s=begins_s, length_s=event.number / per_s, label=lost))
    for kind, spans in ((MomentKind.BLACK, picture.black), (MomentKind.STILL, picture.still)):
        for span in spans:
            length_s = Fraction(span.end_ms - span.begin_ms, 1000)
            found.append(Moment(kind=kind, at_s=Fraction(span.begin_ms, 1000), length_s=length_s))
    return found


def handed(takes: Sequence[Take]) -> list[HandedTake]:
    """Return takes as a timeline has them: those that were begun by one press in step, each from its own frame on."""
    first = min((take.started_at for take in takes), default=None)
    found = []
    for take in takes:
        late_s = Fraction(0)
        if first is not None and take.counted.began_late_ms is not None:
            apart = take.started_at - first
            late_s = Fraction(apart.days * 86400 + apart.seconds) + Fraction(apart.microseconds, 10**6)
            late_s += Fraction(str(take.counted.began_late_ms)) / 1000
        parts = tuple(
            HandedPart(
                url=path_of(part).as_uri(),
                length_s=Fraction(part.length_ms or 0, 1000),
                moments=tuple(moments_of(part, take)),
            )
            for part in take.all_parts
        )
        found.append(HandedTake(name=take.name, rate=take.form.rate, parts=parts, begins_s=late_s))
    return found


def log_sheet(takes: Sequence[Take]) -> list[dict[str, object]]:
    """Return a row for each take, as a page to print shows it."""
    return [_row(take) | {"id": take.pk, "length": length(take.length_s)} for take in takes]


def log_table(takes: Sequence[Take]) -> str:
    """Return the log sheet as comma-separated values."""
    return table(LOG_HEADER, [list(_row(take).values()) for take in takes])


def _row(take: Take) -> dict[str, object]:
    local, form = take.started_at.astimezone(), take.form
    marks = [mark_row(mark, take, form) for mark in take.marks.all()]
    values = (
        take.name, f"{local:%Y-%m-%d}", f"{local:%H:%M:%S}", take.length_s, take.rig_name,
        ", ".join(form.devices),
        f"{form.width_px}x{form.height_px}", float(form.rate), take.codec, take.size_bytes,
        take.proof_state, take.lost, "yes" if take.is_good else "", ", ".join(take.tags), take.note,
        "; ".join(f"{row['code']} {row['label'] or row['words']}".strip() for row in marks),
        "; ".join(str(path_of(part)) for part in take.all_parts),
    )  # fmt: skip
    return dict(zip(LOG_HEADER, values, strict=True))
