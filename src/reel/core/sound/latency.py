"""How late a browser's microphone is: clicks that were played are heard again, loudspeaker to microphone."""

from collections.abc import Sequence
from dataclasses import dataclass
from statistics import median

import numpy as np

from reel.core.signal import FloatArray
from reel.core.sound.sync import clicks_in

# No browser is later, from what it plays to what it hears.
MAX_LATE_MS = 1000.0
# So many clicks, and this part of those that were played, must be as late as each other, within so many ms.
_MIN_CLICKS, _MIN_PART, _WITHIN_MS = 4, 0.6, 4.0


@dataclass(frozen=True, slots=True, kw_only=True)
class RoundTrip:
    """How much later what is played is heard, and how far the clicks that say so lie apart at most."""

    late_ms: float
    within_ms: float


def round_trip(heard: FloatArray, rate_hz: int, played: Sequence[int]) -> RoundTrip | None:
    """Find how late clicks are heard. `heard` is float32 (channels, samples) at `rate_hz`, in which they were `played`
    at some samples; None where too few of them are heard to say it."""
    late_ms = [
        late
        for click in clicks_in(heard, rate_hz)
        for place in played
        if 0 <= (late := click / 1e6 - place * 1000 / rate_hz) <= MAX_LATE_MS
    ]
    if not late_ms:
        return None
    values = np.array(late_ms)
    near = [values[np.abs(values - one) <= _WITHIN_MS] for one in values]
    best = max(near, key=len)
    if len(best) < max(_MIN_CLICKS, _MIN_PART * len(played)):
        return None
    return RoundTrip(late_ms=float(median(best)), within_ms=float(np.ptp(best)) / 2)
