"""Sound made of more than its own samples: muted by ranges, stretched against drift, pulled down, mixed."""

from collections.abc import Iterable, Iterator, Sequence
from fractions import Fraction
from itertools import zip_longest

import av
import numpy as np
import numpy.typing as npt
import soxr

from reel.core.media.channel_strip import sides
from reel.core.media.cuts.reading import SampleArray
from reel.core.media.cuts.sound import CEILING_DB, FADE_S, frame_of, with_gains
from reel.core.media.limiter import Limiter
from reel.core.media.samples import scaled
from reel.core.media.soundgraph import LAYOUTS
from reel.core.signal import FloatArray, SoundFormat
from reel.core.sound import Sides

# Whether somebody speaks is looked at so often a second. What is said lies so far above the quiet of the track, and at
# least, and at most has to be, so loud, in dB.
PER_S = 50
_ABOVE_DB, _LEAST_DB, _MOST_DB = 12.0, -50.0, -36.0
# It is pulled down so long before a word and so long behind it, over so long each.
_BEFORE_S, _BEHIND_S, _DOWN_S, _UP_S = 0.10, 0.60, 0.15, 0.50

Gains = npt.NDArray[np.float64]


def converted(blocks: Iterator[SampleArray], rate_hz: int, form: SoundFormat) -> Iterator[FloatArray]:
    """Bring blocks (1 or 2 channels, samples) to a format, as float32: one channel is on both sides as loud as it was,
    two become their mean."""
    sided = (sides(scaled(data), Sides.AS_IS, form.channels) for data in blocks)
    if rate_hz == form.rate_hz:
        yield from sided
        return
    layout, position = LAYOUTS[form.channels], 0
    made = av.AudioResampler(format="fltp", layout=layout, rate=form.rate_hz)
    for data in sided:
        yield from (scaled(frame.to_ndarray()) for frame in made.resample(frame_of(data, layout, rate_hz, position)))
        position += data.shape[1]
    yield from (scaled(frame.to_ndarray()) for frame in made.resample(None))


def hushed(blocks: Iterator[SampleArray], ranges: Sequence[tuple[int, int]], rate_hz: int) -> Iterator[SampleArray]:
    """Silence ranges of samples, fading over FADE_S at both ends of each, inside it."""
    fade, position = max(1, round(FADE_S * rate_hz)), 0
    for data in blocks:
        end = position + data.shape[1]
        near = [(first, last) for first, last in ranges if first < end and last > position]
        if near:
            places, gains = np.arange(position, end, dtype=np.float64), np.ones(data.shape[1])
            for first, last in near:
                depth = np.minimum(places - first + 1, last - places)
                gains = np.minimum(gains, 1 - np.clip(depth / fade, 0, 1))
            data = with_gains(data, gains)
        yield data
        position = end


def undrifted(blocks: Iterator[SampleArray], form: SoundFormat, longer: Fraction) -> Iterator[FloatArray]:
    """Make sound longer by a part of itself, as a clock that ran so much too fast needs it."""
    channels = form.channels
    made = soxr.ResampleStream(form.rate_hz, float(form.rate_hz * (1 + longer)), channels, quality="VHQ")
    for data in blocks:
        yield made.resample_chunk(np.ascontiguousarray(scaled(data).T)).reshape(-1, channels).T
    yield made.resample_chunk(np.zeros((0, channels), dtype=np.float32), last=True).reshape(-1, channels).T


def pull_of(voice: Iterator[FloatArray], rate_hz: int, by_db: float) -> Gains:
    """Return the gains, PER_S a second, by which something is pulled down while a voice speaks."""
    step = rate_hz // PER_S
    powers = [
        np.square(block.mean(axis=0, dtype=np.float64)).mean() if block.shape[1] else 0.0
        for block in rechunked(voice, step)
    ]
    levels = 10 * np.log10(np.maximum(powers, 1e-12))
    quiet = float(np.percentile(levels, 20)) if len(levels) else _LEAST_DB
    speaks = levels > min(_MOST_DB, max(_LEAST_DB, quiet + _ABOVE_DB))
    before, behind = round(_BEFORE_S * PER_S), round(_BEHIND_S * PER_S)
    spread = np.convolve(speaks, np.ones(before + behind + 1))[before : before + len(speaks)] > 0
    down, up = 1 / (_DOWN_S * PER_S), 1 / (_UP_S * PER_S)
    depth, at = np.zeros(len(spread) + 1), 0.0
    for place, speaking in enumerate(spread):
        at = min(1.0, at + down) if speaking else max(0.0, at - up)
        depth[place + 1] = at
    return np.asarray(10 ** (-by_db * depth / 20))


def pulled(blocks: Iterator[FloatArray], gains: Gains, rate_hz: int) -> Iterator[FloatArray]:
    """Pull blocks (channels, samples) down by gains, PER_S a second."""
    position, step = 0, rate_hz // PER_S
    for data in blocks:
        places = np.arange(position, position + data.shape[1]) / step
        yield data * np.interp(places, np.arange(len(gains)), gains).astype(np.float32)
        position += data.shape[1]


def rechunked(blocks: Iterator[FloatArray], count: int) -> Iterator[FloatArray]:
    """Return the samples of blocks, so many in each; the last may have fewer."""
    held: list[FloatArray] = []
    there = 0
    for data in blocks:
        held.append(data)
        there += data.shape[1]
        if there >= count:
            whole = np.concatenate(held, axis=1)
            for start in range(0, there - count + 1, count):
                yield whole[:, start : start + count]
            held, there = [whole[:, there // count * count :]], there % count
    if there:
        yield np.concatenate(held, axis=1)


def mixed(parts: Sequence[Iterator[FloatArray]], form: SoundFormat) -> Iterator[FloatArray]:
    """Add sounds of a format, held under CEILING_DB."""
    limiter = Limiter(form, CEILING_DB)
    for blocks in zip_longest(*(rechunked(one, 4096) for one in parts)):
        yield limiter.apply(added(blocks))
    yield limiter.drain()


def added(blocks: Iterable[FloatArray | None]) -> FloatArray:
    """Add blocks (channels, samples) from their first samples on; those that are None have ended."""
    there = [one for one in blocks if one is not None]
    made = np.zeros((there[0].shape[0], max(one.shape[1] for one in there)), dtype=np.float32)
    for one in there:
        made[:, : one.shape[1]] += one
    return made
