"""A take as plain values, for the command line."""

from reel.web.takes.models import Part, Take
from reel.web.takes.proving import path_of


def report(take: Take) -> dict[str, object]:
    """Return a take's facts, its marks not included; a part's `proof` is None until it is made."""
    return {
        "id": take.pk,
        "name": take.name,
        "rig": take.rig_name,
        "state": take.state,
        "started_at": take.started_at.isoformat(),
        "size_bytes": take.size_bytes,
        "length_s": take.length_s,
        "counts": take.counts,
        "problem": take.problem,
        "ended_by": take.ended_by,
        "is_trial": take.is_trial,
        "proof_state": take.proof_state,
        "parts": [_part(part) for part in take.all_parts],
    }


def _part(part: Part) -> dict[str, object]:
    proof = part.proved
    return {
        "file": str(path_of(part)),
        "original": part.original_name,
        "lost_s": part.lost_s,
        "size_bytes": part.size_bytes,
        "length_s": part.length_s,
        "problem": part.problem,
        "proof": {
            "state": part.proof_state,
            "summary": proof.summary if proof else None,
            "lines": part.proof and part.proof["lines"],
        },
    }
