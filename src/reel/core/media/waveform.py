"""A track of a file around an instant: its wave, and where something sharp is heard in it."""

from dataclasses import dataclass
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import numpy as np

from reel.core.media.cuts.reading import opened
from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.samples import rows, scaled
from reel.core.signal import NS, FloatArray
from reel.core.sound import clicks_in

# A file is entered so much before what is looked at: containers find the packet before a moment.
_BEFORE_S = Fraction(1)
# A sharp sound is told from what is heard before it, which is read as well.
_LEAD_S = Fraction(1, 4)


@dataclass(frozen=True, slots=True, kw_only=True)
class Waveform:
    """The wave of a track in columns of equal length: the lowest and the highest sample of each, full scale ±1, of all
    channels together. `sharp_s` are the seconds at which something sharp begins, counted as `begin_s` is."""

    begin_s: Fraction
    end_s: Fraction
    low: tuple[float, ...]
    high: tuple[float, ...]
    sharp_s: tuple[float, ...]


def waveform(path: Path, index: int, start_s: Fraction, begin_s: Fraction, end_s: Fraction, columns: int) -> Waveform:
    """Return the wave of a stream of a file, by its index there, from one second to another; `start_s` is the time
    stamp that they are counted from. Raises MediaError."""
    lead_s = begin_s - _LEAD_S
    data, rate_hz, last = read_between(path, index, start_s + lead_s, start_s + end_s)
    lead = round(_LEAD_S * rate_hz)
    edges = np.linspace(lead, data.shape[1], columns + 1).astype(int)
    pieces = [data[:, one:other] for one, other in pairwise(edges)]
    clicks = [float(lead_s) + at_ns / NS for at_ns in clicks_in(data[:, :last], rate_hz)]
    return Waveform(
        begin_s=begin_s,
        end_s=end_s,
        low=tuple(float(one.min()) if one.size else 0.0 for one in pieces),
        high=tuple(float(one.max()) if one.size else 0.0 for one in pieces),
        sharp_s=tuple(one for one in clicks if one >= begin_s),
    )


def read_between(path: Path, index: int, first_s: Fraction, end_s: Fraction) -> tuple[FloatArray, int, int]:
    """Return the samples of a stream between two of its time stamps, float32 (channels, samples), silence where it has
    none, with their rate and where the last of them ends. The file is entered there. Raises MediaError."""
    with opened(path) as reader:
        stream = reader.streams[index]
        rate_hz, channels = stream.codec_context.sample_rate, stream.codec_context.channels
        made, last = np.zeros((channels, round((end_s - first_s) * rate_hz)), dtype=np.float32), 0
        try:
            reader.seek(max(0, int((first_s - _BEFORE_S) / stream.time_base)), stream=stream)
            for packet in reader.demux(stream):
                for frame in packet.decode():
                    at = round((frame.pts * frame.time_base - first_s) * rate_hz) if frame.pts is not None else 0
                    if at >= made.shape[1]:
                        return made, rate_hz, last
                    last = max(last, _place(made, scaled(rows(frame)), at))
        except BROKEN as error:
            raise MediaError(path, f"can't be decoded there ({reason_of(error)})") from error
    return made, rate_hz, last


def _place(made: FloatArray, data: FloatArray, at: int) -> int:
    """Lay samples into others, from one on; returns where they end there."""
    first, last = max(0, at), min(int(made.shape[1]), at + int(data.shape[1]))
    if first < last:
        made[:, first:last] = data[:, first - at : last - at]
    return last
