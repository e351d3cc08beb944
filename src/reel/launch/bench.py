"""`./reel bench`: the measurements of benchmarks/, beside the baseline that was kept."""

import json
import sys

from reel.options import ROOT

BASELINE = ROOT / "benchmarks" / "baseline.json"


def run_bench(*, kills: int, keep: bool) -> int:
    """Measure, print a table and JSON; `kills` adds that many kills of the recorder, `keep` makes this the baseline."""
    sys.path.insert(0, str(ROOT))
    from benchmarks import composing, line, recording, stack
    from benchmarks import kills as killing

    composed, alone = composing.core_shares()
    found: dict[str, float] = {
        "standin_core_share": recording.standin_share(),
        "recorder_to_bare_loop": recording.recorder_against_bare_loop(),
        "composed_core_share": composed,
        "composed_to_alone": composed / alone,
        "walk_ten_hops_ms": line.walk_ms(),
        "remedies_ms": line.remedies_ms(),
        **stack.measure(),
    }
    if kills:
        lost = sorted(killing.losses(kills))
        found |= {"kill_lost_median_s": lost[len(lost) // 2], "kill_lost_worst_s": lost[-1]}
    found = {name: round(value, 3) for name, value in found.items()}
    baseline = json.loads(BASELINE.read_text()) if BASELINE.exists() else {}
    print(f"{'':28} {'now':>9} {'baseline':>9}")
    for name, value in found.items():
        print(f"{name:28} {value:9.3f} {baseline.get(name, float('nan')):9.3f}")
    print(json.dumps(found))
    if keep:
        BASELINE.write_text(json.dumps(found, indent=2) + "\n")
    return 0
