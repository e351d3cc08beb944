"""What is spoken over a take: a file of one channel that lies along it, from its first picture on.

It comes raw: 16-bit frames (little-endian) of two channels, what the microphone heard and what was played meanwhile.
"""

from collections.abc import Iterator
from fractions import Fraction
from itertools import zip_longest
from pathlib import Path

import numpy as np
import numpy.typing as npt

from reel.core.file import SoundFiles
from reel.core.finish import SPOKEN_HZ
from reel.core.media.cuts.mixing import added, converted, hushed, rechunked
from reel.core.media.cuts.reading import SampleArray, opened, read_samples
from reel.core.media.cuts.sound import FADE_S
from reel.core.media.errors import MediaError
from reel.core.media.soundfile import SoundFile
from reel.core.media.waveform import read_between
from reel.core.signal import FloatArray, SoundFormat

FORM = SoundFormat(rate_hz=SPOKEN_HZ, channels=1)
RATES_HZ = (8_000, 192_000)
_BLOCK = 48_000
# The loudest so many seconds of what was played are looked for, so far around where the browser says they lie. What is
# quieter than this is nothing (16-bit steps, squared), and what is less alike is something else.
_LOOKED_S, _APART_S, _LEAST_POWER, _ALIKE = 8, 1, 100.0, 0.5


def lay_over(raw: Path, rate_hz: int, at_s: Fraction, target: Path, base: Path | None = None) -> int:
    """Write what a microphone heard so that its first sample lies at a second of the take; what lies before the take's
    beginning is left out. Returns the samples that the file has.

    Where a `base` is given, what was spoken takes the place of what that has there, fading over FADE_S. Raises
    MediaError.
    """
    samples = _samples(raw)[:, 0]
    first = round(at_s * FORM.rate_hz)
    count = round(Fraction(len(samples), rate_hz) * FORM.rate_hz)
    if first + count <= 0:
        raise MediaError(raw, "lies before the take's beginning")
    span = (max(0, first), first + count)
    written = 0
    file = SoundFile(target, SoundFiles.FLAC, FORM)
    try:
        for blocks in zip_longest(_base(base, span), rechunked(_placed(samples, rate_hz, first, span), _BLOCK)):
            data = np.clip(added(blocks), -1, 1)
            file.write(data)
            written += data.shape[1]
    finally:
        file.close()
    return written


def _samples(raw: Path) -> SampleArray:
    """Return the frames of a raw file (frames, 2); raises MediaError."""
    try:
        there = np.memmap(raw, dtype="<i2", mode="r")
    except (OSError, ValueError) as error:
        raise MediaError(raw, "holds nothing that was spoken") from error
    return there[: len(there) // 2 * 2].reshape(-1, 2)


def played_at(raw: Path, rate_hz: int, played: Path, about_s: Fraction) -> Fraction | None:
    """Find at which second of a file that was played the first frame of what was heard lies: the sound that was played
    meanwhile, beside it, is laid over the file's, around where the browser says that it lies.

    None where nothing, or nothing like that, is heard there. Raises MediaError.
    """
    samples = _samples(raw)[:, 1]
    step, seconds = rate_hz, len(samples) // rate_hz
    powers = [float(np.square(samples[at * step : (at + 1) * step].astype(np.float64)).mean()) for at in range(seconds)]
    if not powers or max(powers) < _LEAST_POWER:
        return None
    begin = max(0, int(np.argmax(powers)) - _LOOKED_S // 2)
    wanted = np.asarray(samples[begin * step : (begin + _LOOKED_S) * step])[None]
    heard = np.concatenate([*converted(iter([wanted]), rate_hz, FORM)], axis=1)[0].astype(np.float64)
    first_s = max(Fraction(0), about_s + begin - _APART_S)
    there = _sound_of(played, first_s, first_s + _LOOKED_S + 2 * _APART_S)
    if len(there) < FORM.rate_hz:
        return None
    size = 1 << (len(there) + len(heard)).bit_length()
    found = np.fft.irfft(np.fft.rfft(there, size) * np.conj(np.fft.rfft(heard, size)), size)
    places = np.arange(size)
    places[size - len(heard) :] -= size  # it may begin before what was read of the file
    best = int(np.argmax(found))
    place = int(places[best])
    common = there[max(0, place) : place + len(heard)]
    alike = found[best] / max(1e-9, np.sqrt(np.square(common).sum() * np.square(heard).sum()))
    return first_s + Fraction(place, FORM.rate_hz) - begin if alike > _ALIKE else None


def _sound_of(path: Path, first_s: Fraction, end_s: Fraction) -> npt.NDArray[np.float64]:
    """Return a stretch of a file's first sound track, of one channel, counted from where its picture begins."""
    with opened(path) as reader:
        if not reader.streams.audio or reader.streams.audio[0].codec_context.channels > 2:
            return np.zeros(0)
        index, pictures = reader.streams.audio[0].index, reader.streams.video
        start_s = Fraction((pictures[0].start_time or 0) * pictures[0].time_base) if pictures else Fraction(0)
    data, rate_hz, last = read_between(path, index, start_s + first_s, start_s + end_s)
    found: npt.NDArray[np.float64] = np.concatenate([*converted(iter([data[:, :last]]), rate_hz, FORM)], axis=1)[0]
    return found


def _base(base: Path | None, span: tuple[int, int]) -> Iterator[FloatArray]:
    """Return the samples of a base with silence where something else was spoken."""
    if base is None:
        return
    with opened(base) as reader:
        there = read_samples(reader, reader.streams.audio[0], Fraction(0), Fraction(86_400))
        yield from rechunked(converted(hushed(there, [span], FORM.rate_hz), FORM.rate_hz, FORM), _BLOCK)


def _placed(samples: SampleArray, rate_hz: int, first: int, span: tuple[int, int]) -> Iterator[FloatArray]:
    """Return what was spoken, faded at both ends, behind as much silence as lies before it."""
    for start in range(0, max(0, first), _BLOCK):
        yield np.zeros((1, min(_BLOCK, first - start)), dtype=np.float32)
    blocks = (np.asarray(samples[start : start + _BLOCK])[None] for start in range(0, len(samples), _BLOCK))
    position, length, fade = min(0, first), span[1] - span[0], round(FADE_S * FORM.rate_hz)
    for data in converted(blocks, rate_hz, FORM):
        kept = data[:, max(0, -position) :]
        places = np.arange(max(0, position), max(0, position) + kept.shape[1])
        position += data.shape[1]
        if kept.shape[1]:
            yield kept * np.clip(np.minimum(places + 1, length - places) / fade, 0, 1).astype(np.float32)
