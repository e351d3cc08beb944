"""A take as plain values, for the command line."""

from reel.web.takes.models import Take
from reel.web.takes.proving import shelf_of


def report(take: Take) -> dict[str, object]:
    """Give a take's facts, its marks not included; `proof` is None until it is made."""
    proof = take.proved
    return {
        "id": take.pk,
        "name": take.name,
        "rig": take.rig_name,
        "state": take.state,
        "started_at": take.started_at.isoformat(),
        "file": str(shelf_of(take).path(take.file_name)),
        "size_bytes": take.size_bytes,
        "length_s": take.length_s,
        "counts": take.counts,
        "problem": take.problem,
        "proof": {
            "state": take.proof_state,
            "summary": proof.summary if proof else None,
            "lines": take.proof and take.proof["lines"],
        },
    }
