"""`./reel bench`: the measurements of benchmarks/, beside the baseline that was kept."""

import json
import sys

from reel.options import ROOT

BASELINE = ROOT / "benchmarks" / "baseline.json"


def run_bench(
    *, kills: int, live_min: float, long_h: float, pair_s: float, burst_s: float, only: bool, keep: bool
) -> int:
    """Measure, print a table and JSON; `keep` makes this the baseline.

    `kills` adds that many kills of recorder, web and worker, `live_min` minutes of a live take, `long_h` hours on the
    virtual clock, `pair_s` seconds of two rigs at once, `burst_s` seconds beside bursts of other work; `only` leaves
    the rest out.
    """
    sys.path.insert(0, str(ROOT))
    from benchmarks import endurance
    from benchmarks import kills as killing

    found = {} if only else _usual()
    if kills:
        found |= killing.losses(kills)
    if live_min:
        found |= endurance.live(live_min)
    if long_h:
        found |= endurance.hours(long_h)
    if pair_s:
        found |= endurance.pair(pair_s)
    if burst_s:
        found |= endurance.bursts(burst_s)
    found = {name: round(value, 3) for name, value in found.items()}
    baseline = json.loads(BASELINE.read_text()) if BASELINE.exists() else {}
    print(f"{'':28} {'now':>9} {'baseline':>9}")
    for name, value in found.items():
        print(f"{name:28} {value:9.3f} {baseline.get(name, float('nan')):9.3f}")
    print(json.dumps(found))
    if keep:
        BASELINE.write_text(json.dumps(baseline | found, indent=2) + "\n")
    return 0


def _usual() -> dict[str, float]:
    from benchmarks import composing, examining, finishing, line, recording, rewrapping, stack

    composed, alone = composing.core_shares()
    return {
        "standin_core_share": recording.standin_share(),
        "recorder_to_bare_loop": recording.recorder_against_bare_loop(),
        "throughput_to_bare_loop": recording.throughput_against_bare_loop(),
        "examine_to_bare_decode": examining.examine_to_bare_decode(),
        "finish_to_bare_loop": finishing.finish_to_bare_loop(),
        "rewrap_to_file_copy": rewrapping.rewrap_to_file_copy(),
        "composed_core_share": composed,
        "composed_to_alone": composed / alone,
        "walk_ten_hops_ms": line.walk_ms(),
        "remedies_ms": line.remedies_ms(),
        **stack.measure(),
    }
