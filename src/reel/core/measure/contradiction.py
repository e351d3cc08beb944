"""Where what is measured of a live signal contradicts what the line says, or how Arrival is set."""

from functools import lru_cache

from reel.core.line import Deinterlace, InputSetup, signal_chain
from reel.core.measure.watch import Watched
from reel.core.signal import Scan, Signal, Transfer, rate_label

# Measured over two seconds, a rate that is right lies within this part of what is said.
_RATE_PART = 0.04
_DISTINCT_PART = 0.9
# What changes less often than this may be a clock or a cursor on a picture that stands still.
_MIN_DISTINCT = 5


def contradictions(setup: InputSetup, signal: Signal, watched: Watched) -> tuple[str, ...]:
    """Return a sentence for each contradiction; none while too little has been measured."""
    if not watched.per_s:
        return ()
    return (*_rates(setup, signal, watched), *_fields(setup, signal, watched), *_light(signal))


def _light(signal: Signal) -> list[str]:
    if signal.transfer is Transfer.BT709:
        return []
    return [
        f"It comes with a high dynamic range ({signal.transfer}), and is recorded as BT.709 without being converted: "
        f"it looks grey and flat. Set the source to send SDR."
    ]


def _rates(setup: InputSetup, signal: Signal, watched: Watched) -> list[str]:
    said = float(signal.mode.rate)
    if abs(watched.per_s / said - 1) > _RATE_PART:
        return [f"{watched.per_s:.2f} pictures a second come, and the signal says {rate_label(signal.mode.rate)}."]
    new = min(said, _distinct_per_s(setup) or said)
    moves = watched.still_s < 1 and not watched.black_s and not watched.snow_s
    if moves and _MIN_DISTINCT <= watched.distinct_per_s < new * _DISTINCT_PART:
        return [
            f"Only {watched.distinct_per_s:.2f} of {watched.per_s:.2f} pictures a second are new: "
            f"the source shows fewer, or a hop repeats them."
        ]
    return []


@lru_cache(maxsize=32)
def _distinct_per_s(setup: InputSetup) -> float | None:
    """Return what the line says arrives, walked once: a signal is held against it ten times a second."""
    arrives = signal_chain(setup).signal_path.arrives
    return float(arrives.distinct_per_s) if arrives else None


def _fields(setup: InputSetup, signal: Signal, watched: Watched) -> list[str]:
    is_interlaced = signal.mode.scan is Scan.INTERLACED
    makes_pictures = setup.arrival.deinterlace is not Deinterlace.NONE
    if watched.has_fields and not (is_interlaced and makes_pictures):
        why = "Arrival leaves them interlaced" if is_interlaced else "the signal says that its pictures are whole"
        return [f"Two moments lie in each picture, and {why}: moving edges show combs."]
    if watched.has_fields is False and is_interlaced and makes_pictures:
        return ["The pictures are whole, and Arrival takes them apart into fields: that only softens them."]
    return []
