"""What the page of a take shows of its marks, and two takes side by side: settings and results that differ."""

from reel.core.file import lines
from reel.core.roll import MarkKind, lapse_words
from reel.web.takes.models import Form, Mark, Part, Take, TakeState
from reel.web.ui.templatetags.units import bitrate, decibels, hour_bytes, length, size

# What a mark says that nobody gave a note.
MARK_WORDS = {
    MarkKind.HOLD: "on hold here",
    MarkKind.GONE: "the signal was gone",
    MarkKind.BACK: "the signal was back",
    MarkKind.LIGHTER: "a faster encoder speed from here on",
}
STILL_WORDS = (("first", "first picture"), ("hardest", "hardest second"), ("last", "last picture"))
# The line of a proof that says how many frames are lost.
LOST = "Lost frames"
# As many others are offered to be held against a take.
OTHERS = 8


def mark_row(mark: Mark, take: Take, form: Form) -> dict[str, object]:
    """Return a mark with the part in which it lies and its second there."""
    part = next(one for one in reversed(take.all_parts) if one.first_tick <= mark.tick or one.number == 1)
    return {
        "pk": mark.pk,
        "part": part.number,
        "at_s": float((mark.tick - part.first_tick) / form.tick_rate),
        "code": mark.code(form),
        "label": mark.label,
        "words": MARK_WORDS.get(MarkKind(mark.kind), ""),
    }


def others_to_compare(take: Take) -> list[Take]:
    """Return the latest others of the same rig, trials first."""
    if take.rig_id is None or take.state == TakeState.ROLLING:
        return []
    others = Take.objects.kept().filter(rig_id=take.rig_id).exclude(pk=take.pk).exclude(state=TakeState.ROLLING)
    # `__in`, since a plain boolean is no comparison in SQLite, and finds no index
    trials = list(others.filter(is_trial__in=[True])[:OTHERS])
    return [*trials, *others.filter(is_trial__in=[False])[: OTHERS - len(trials)]]


def compared(one: Take, other: Take) -> dict[str, object]:
    """Return the settings that differ, all results, and both takes: (name, the first's, the second's, differs)."""
    first, second = _settings(one), _settings(other)
    results = (_results(one), _results(other))
    names = dict.fromkeys((*results[0], *results[1]))
    return {
        "one": one,
        "other": other,
        "both": (one, other),
        "settings": [(name, first[name], second[name]) for name in first if first[name] != second.get(name)],
        "results": [
            (name, results[0].get(name, "–"), results[1].get(name, "–"), results[0].get(name) != results[1].get(name))
            for name in names
        ],
    }


def _settings(take: Take) -> dict[str, str]:
    tracks = {"Tracks": ", ".join(take.tracks) or "none"}
    if take.asked is None:
        return tracks
    setup = take.setup
    frame = setup.frame
    arrival = setup.picture.arrival
    return {
        "Frame": frame.mode.label,
        "Rate": "variable" if frame.as_it_comes else "fixed",
        "Arriving mode": arrival.offer or "auto",
        "Fields": arrival.deinterlace.value,
        **lines(setup.recipe),
        "Time-lapse": lapse_words(setup.roll) or "none",
        **tracks,
    }


def _lost(part: Part) -> str:
    """Return the frames that a part's proof found lost, which the recorder may not have noticed; "" without one."""
    proof = part.proved
    return next((line.got for line in proof.lines if line.label == LOST), "") if proof else ""


def _results(take: Take) -> dict[str, str]:
    part, counts = take.first, take.counted
    proof, tried = part.proved, part.tried
    found = {
        "Length": length(take.length_s),
        "Size": size(take.size_bytes),
        "Data rate": bitrate(take.bitrate_bps),
        "Per hour": size(hour_bytes(take.bitrate_bps)),
        "Frames lost": _lost(part) or str(counts.lost),
        "Proof": proof.summary if proof else "not proved yet",
    }
    if proof:
        found |= {f"Proof: {line.label}": line.got for line in proof.differing if line.label != LOST}
    if tried:
        found["Hardest second"] = f"{bitrate(tried.hardest_bps)} at {tried.hardest_s} s"
        for track in tried.tracks:
            said = "nothing"
            if track.rms_db is not None and track.peak_db is not None:
                said = f"{decibels(track.rms_db)}, peak {decibels(track.peak_db)}"
            found[f"{track.title or 'Sound'}, level"] = said
    return found
