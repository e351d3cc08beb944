"""The live facts as a page shows them: the same words for the first rendering and for every update."""

import math
from collections.abc import Iterator

from reel.core.line import AlarmKind
from reel.core.measure.alarm import SILENT_DB
from reel.core.media.loudness import SILENT_LUFS
from reel.core.signal import Scan, pixel_format
from reel.core.sound import FLOOR_DB, Level
from reel.recorder.messages import Behind, InputStatus, RigStatus, RollStatus, Status
from reel.web.ui.templatetags.units import bitrate, length, size

METER_FLOOR_DB = -60.0


def band_facts(roll: RollStatus, rig: RigStatus | None = None) -> dict[str, object]:
    """Return a take's facts for the rolling band in words, with the alarms of its rig."""
    counts = roll.counts
    steps = []
    if counts.lost_encoder:
        steps.append(f"{counts.lost_encoder} at the encoder: it falls behind")
    if counts.lost_before:
        steps.append(f"{counts.lost_before} before Reel: the signal or its reading stalled")
    for one in counts.inputs:
        lost = sum(hole.lost for hole in one.pictures), sum(hole.lost for hole in one.sound)
        said = [f"{lost[0]} pictures"] if lost[0] else []
        said += [f"{lost[1] / 1000:.1f} s of sound"] if lost[1] >= 100 else []
        if said:
            steps.append(f"{one.name}: {' and '.join(said)} missing")
    clipped = sum(place.number for track in counts.tracks for place in track.clipped)
    if clipped:
        steps.append(f"{clipped} samples clipped: turn the inputs down on Sound, or set a limiter")
    return {
        "take_id": roll.take_id,
        "rig_id": roll.rig_id,
        "rig": roll.rig_name,
        "name": roll.name,
        "path": roll.path,
        "state": roll.state,
        "holding": roll.state == "holding",
        "canHold": roll.can_hold,
        "startsIn": math.ceil(roll.starts_in_s),
        "part": ", ".join(_beside_the_time(roll)),
        "trial": roll.is_trial,
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
        "crash": "the whole part" if roll.crash_s is None else length(roll.crash_s),
        "warning": _warning(roll),
        "alarms": " · ".join(alarm["words"] for alarm in _alarms(rig)) if rig else "",
    }


def _beside_the_time(roll: RollStatus) -> Iterator[str]:
    """Return what belongs to the timecode: of a time-lapse how long what it shows has been, and the part."""
    if roll.lapse > 1:
        yield f"{length(roll.length_s * roll.lapse)} in all"
    if roll.part > 1:
        yield f"part {roll.part}"


def _warning(roll: RollStatus) -> str:
    """Say what will go wrong before it does, with the one thing that helps most."""
    if roll.full_in_s is not None:
        return f"The drive is full in {length(roll.full_in_s)}: make room, or cut"
    helps = f"encoder speed “{roll.lighter}” in File" if roll.lighter else "a smaller frame or a lower rate"
    return {
        None: "",
        Behind.ENCODER: f"The encoder falls behind: {helps} keeps up better",
        Behind.DISK: "The drive falls behind: a faster one, or fewer bits in File, keeps up better",
        Behind.INPUT: "Reading the signal falls behind: close other programs, or take a smaller arriving mode",
    }[roll.behind]


def rig_facts(rig: RigStatus | None, place: int = 0, *, desk: bool = True) -> dict[str, object] | None:
    """Return an open rig's facts, those of the input at a place first; levels as numbers in dBFS: the page draws them.

    Only the Sound page has a `desk` with all inputs' sound.
    """
    if rig is None:
        return None
    one = rig.inputs[place] if place < len(rig.inputs) else rig.picture
    mends = [(number, alarm) for number, other in enumerate(rig.inputs) for alarm in other.alarms if alarm.remedy]
    mend = mends[0] if mends else None
    sound = " with sound" if one.sound else ""
    return {
        "problem": one.problem,
        "pairing": f"{one.needs or ''}{' black' if is_black(one) else ''}",
        "signal": f"{one.signal.mode.label} {pixel_format(one.signal.pixels).label}{sound}" if one.signal else sound,
        **_watched_facts(one),
        "alarms": _alarms(rig),
        "mend": mend[1].remedy if mend else "",
        "mends": mend[1].mends if mend else "",
        "mendOf": mend[0] if mend else 0,
        "warnings": list(one.contradictions),
        "heard": is_heard(rig),
        "testing": one.is_testing,
        "finding": rig.picture.is_finding,
        "looked": rig.picture.has_looked,
        "fieldTest": one.field_test.sentence if one.field_test else "",
        "levels": _levels(one.heard.before),
        "arrangement": rig.arrangement,
        "toggled": rig.toggled,
        "kept": f"{rig.kept_s:.0f} s before the press are kept, in {size(rig.kept_bytes)}" if rig.kept_s else "",
        **(_desk_facts(rig) if desk else {}),
    }


def _desk_facts(rig: RigStatus) -> dict[str, object]:
    """Return what is heard of each input, and what was measured of them together."""
    return {
        "inputs": [
            {
                "before": _levels(other.heard.before),
                "after": _levels(other.heard.after),
                "short": _lufs(other.heard.loud.short),
                "clipped": sum(level.clipped for level in other.heard.before),
                "problem": other.problem or "",
            }
            for other in rig.inputs
        ],
        "balance": _balance_facts(rig),
        "sync": _sync_facts(rig),
    }


def _balance_facts(rig: RigStatus) -> dict[str, object] | None:
    """Return how far the voice lies above the game, with the last seconds to be drawn."""
    found = rig.balance
    if found is None:
        return None
    return {
        "voice": found.voice,
        "game": found.game,
        "voiceOf": rig.voice,
        "gameOf": rig.game,
        "gap": None if found.gap_lu is None else round(found.gap_lu, 1),
        "tooLoud": round(found.too_loud_db, 1),
        "spoken": round(found.spoken_s, 1),
    }


def _sync_facts(rig: RigStatus) -> dict[str, object] | None:
    """Return what the last sync test found, or finds; each input's by its place."""
    found = rig.sync
    if found is None:
        return None
    return {
        "left": found.left_s,
        "flashes": found.flashes,
        "inputs": {
            place: {
                "offset": None if one.offset_ms is None else round(one.offset_ms),
                "within": None if one.within_ms is None else round(one.within_ms, 1),
                "delay": one.delay_ms,
                "claps": one.claps_ms,
                "clicks": found.clicks[place],
            }
            for place, one in found.sounds.items()
        },
    }


def _lufs(value: float) -> str:
    return "" if value <= SILENT_LUFS else f"{value:.1f} LUFS".replace("-", "−")


def _alarms(rig: RigStatus) -> list[dict[str, str]]:
    """Return the alarms of all inputs; those of others than the first say whose they are."""
    return [
        {
            "kind": f"{alarm.kind} {place}",
            "words": f"{one.name}: {alarm.words}" if place else alarm.words,
            "causes": " ".join(alarm.causes),
        }
        for place, one in enumerate(rig.inputs)
        for alarm in one.alarms
    ]


def _levels(levels: tuple[Level, ...]) -> list[dict[str, float]]:
    return [
        {"peak": _shown(level.peak_db), "rms": _shown(level.rms_db), "held": _shown(level.held_db)} for level in levels
    ]


def is_heard(rig: RigStatus) -> bool:
    return any(level.held_db > SILENT_DB for one in rig.inputs for level in one.heard.before)


def is_black(one: InputStatus) -> bool:
    """Return whether a picture has been black for long enough to be told."""
    return any(alarm.kind is AlarmKind.BLACK for alarm in one.alarms)


def _watched_facts(rig: InputStatus) -> dict[str, object]:
    """Return what is measured of the picture, in words; a dash for what is not known yet."""
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


def live_facts(
    status: Status | None, rig: RigStatus | None, place: int = 0, *, problem: str = "", desk: bool = True
) -> dict[str, object]:
    """Return all that one page's event carries; `problem` is one of the web's own, said before the recorder's notice.

    `rolls` are the takes that roll, the page's own rig's first.
    """
    rolls = list(status.rolls) if status else []
    rolls.sort(key=lambda roll: rig is None or roll.rig_id != rig.rig_id)
    by_id = {one.rig_id: one for one in status.rigs} if status else {}
    return {
        "answers": status is not None,
        "notice": problem or (status.notice if status else "") or "",
        "rolls": [band_facts(roll, by_id.get(roll.rig_id)) for roll in rolls],
        "rig": rig_facts(rig, place, desk=desk),
    }


def _shown(level_db: float) -> float:
    return round(max(level_db, METER_FLOOR_DB, FLOOR_DB), 1)
