"""The live facts as a page shows them: the same words for the first rendering and for every update."""

from reel.core.measure.alarm import SILENT_DB
from reel.core.signal import Scan, pixel_format
from reel.core.sound import FLOOR_DB
from reel.recorder.messages import RigStatus, RollStatus, Status
from reel.web.ui.templatetags.units import bitrate, length, size

METER_FLOOR_DB = -60.0


def band_facts(roll: RollStatus | None, rig: RigStatus | None = None) -> dict[str, object] | None:
    """Give the rolling band's facts in words, with the alarms of the rig that rolls; None when nothing rolls."""
    if roll is None:
        return None
    counts = roll.counts
    steps = []
    if counts.lost_encoder:
        steps.append(f"{counts.lost_encoder} at the encoder: it falls behind")
    if counts.lost_before:
        steps.append(f"{counts.lost_before} before Reel: the signal or its reading stalled")
    return {
        "take_id": roll.take_id,
        "rig_id": roll.rig_id,
        "rig": roll.rig_name,
        "name": roll.name,
        "path": roll.path,
        "state": roll.state,
        "holding": roll.state == "holding",
        "timecode": roll.timecode,
        "size": size(roll.size_bytes),
        "rate": bitrate(roll.bitrate_bps),
        "lost": f"{counts.lost} lost",
        "losing": "; ".join(steps),
        "fitted": f"{counts.repeated} repeated, {counts.dropped} dropped",
        "room": f"{length(roll.seconds_left)} left"
        if roll.seconds_left is not None
        else f"{size(roll.free_bytes)} left",
        "queue": f"{roll.queue} of {roll.queue_limit}",
        "marks": roll.marks,
        "warning": roll.warning or "",
        "alarms": " · ".join(alarm.words for alarm in rig.alarms) if rig else "",
    }


def rig_facts(rig: RigStatus | None) -> dict[str, object] | None:
    """Give an open rig's facts; levels as numbers in dBFS, since the page draws them."""
    if rig is None:
        return None
    mend = next((alarm for alarm in rig.alarms if alarm.remedy), None)
    return {
        "problem": rig.problem,
        "signal": f"{rig.signal.mode.label} {pixel_format(rig.signal.pixels).label}{' with sound' if rig.sound else ''}"
        if rig.signal
        else "",
        **_watched_facts(rig),
        "alarms": [
            {"kind": alarm.kind, "words": alarm.words, "causes": " ".join(alarm.causes)} for alarm in rig.alarms
        ],
        "mend": mend.remedy if mend else "",
        "mends": mend.mends if mend else "",
        "warnings": list(rig.contradictions),
        "heard": is_heard(rig),
        "testing": rig.is_testing,
        "fieldTest": rig.field_test.sentence if rig.field_test else "",
        "levels": [
            {"peak": _shown(level.peak_db), "rms": _shown(level.rms_db), "held": _shown(level.held_db)}
            for level in rig.levels
        ],
    }


def is_heard(rig: RigStatus) -> bool:
    """Say whether there is sound."""
    return any(level.held_db > SILENT_DB for level in rig.levels)


def _watched_facts(rig: RigStatus) -> dict[str, object]:
    """Give what is measured of the picture, in words; a dash for what is not known yet."""
    watched = rig.watched
    if not watched.per_s:
        return {"arriving": "–", "distinct": "–", "jitter": "–", "fields": "–", "blackness": "–"}
    fields = {None: "too little moves", True: "two moments", False: "one moment"}[watched.has_fields]
    arriving = f"{watched.per_s:.2f}"
    if rig.signal is not None and rig.signal.mode.scan is Scan.INTERLACED:
        arriving = f"{watched.per_s:.2f} pictures, {2 * watched.per_s:.2f} fields"
    black = f"black for {watched.black_s:.0f} s" if watched.black_s else "not black"
    return {
        "arriving": arriving,
        "distinct": f"{watched.distinct_per_s:.2f}",
        "jitter": f"{watched.jitter_ms:.1f} ms",
        "fields": fields,
        "blackness": black,
    }


def live_facts(status: Status | None, rig: RigStatus | None, *, problem: str = "") -> dict[str, object]:
    """Give all that one page's event carries; `problem` is one of the web's own, said before the recorder's notice."""
    return {
        "answers": status is not None,
        "notice": problem or (status.notice if status else "") or "",
        "roll": band_facts(status.roll, _rolling_rig(status)) if status else None,
        "rig": rig_facts(rig),
    }


def _rolling_rig(status: Status) -> RigStatus | None:
    roll = status.roll
    return next((rig for rig in status.rigs if rig.rig_id == roll.rig_id), None) if roll else None


def _shown(level_db: float) -> float:
    return round(max(level_db, METER_FLOOR_DB, FLOOR_DB), 1)
