"""The sound of *Moss & Stone*: wind, a slow chord, crickets, and a drop that falls every two seconds."""

from fractions import Fraction
from functools import lru_cache

import numpy as np

from reel.core.signal import FloatArray

RATE_HZ = 48_000
LOOP_S = 8
CLICK_EVERY_S = 2
CLICK_SHOWN_S = Fraction(1, 10)


@lru_cache(maxsize=1)
def ambience() -> FloatArray:
    """Return one loop of LOOP_S seconds, float32 (2, samples), peaks at about −10 dBFS; its ends meet."""
    count = RATE_HZ * LOOP_S
    time = np.arange(count) / RATE_HZ
    random = np.random.default_rng(62)
    frequency = np.fft.rfftfreq(count, 1 / RATE_HZ)
    sound = np.zeros((2, count))
    for channel in range(2):
        # wind: noise with a spectrum that falls from 150 Hz, made in the frequency domain so that it loops
        phase = np.exp(2j * np.pi * random.uniform(size=len(frequency)))
        wind = np.fft.irfft(phase / (1 + (frequency / 150) ** 1.7), count)
        sway = 0.7 + 0.3 * np.sin(2 * np.pi * time / LOOP_S + channel)
        sound[channel] += 0.035 * wind / np.sqrt(np.mean(wind**2)) * sway
        for note in (110.0, 164.75, 220.0, 277.125):  # whole cycles in 8 s
            swell = 0.6 + 0.4 * np.cos(2 * np.pi * time / LOOP_S * (1 + channel) + note)
            sound[channel] += 0.014 * swell * np.sin(2 * np.pi * note * time)
        chirp = np.sin(2 * np.pi * 4200 * time) * (np.sin(2 * np.pi * 28 * time) > 0.2)
        sound[channel] += 0.006 * chirp * (np.sin(2 * np.pi * time * (0.5 + 0.25 * channel)) > 0.4)
    _add_drops(sound)
    return sound.astype(np.float32)


def _add_drops(sound: np.ndarray[tuple[int, ...], np.dtype[np.float64]]) -> None:
    length = RATE_HZ // 3
    time = np.arange(length) / RATE_HZ
    for number in range(LOOP_S // CLICK_EVERY_S):
        pitch = (1180, 1320, 990, 1480)[number % 4]
        drop = 0.26 * np.cos(2 * np.pi * pitch * time) * np.exp(-time * 22)
        at = number * CLICK_EVERY_S * RATE_HZ
        sound[0, at : at + length] += drop * (0.9 if number % 2 else 0.6)
        sound[1, at : at + length] += drop * (0.6 if number % 2 else 0.9)


def ambience_at(position: int, count: int) -> FloatArray:
    """Give `count` samples from `position` on, (2, count), looping for ever."""
    return looped(ambience(), position, count)


def looped(loop: FloatArray, position: int, count: int) -> FloatArray:
    """Give `count` samples of a loop (channels, samples) from `position` on, as if it went on for ever."""
    start = position % loop.shape[1]
    if start + count <= loop.shape[1]:
        return loop[:, start : start + count]
    block: FloatArray = loop[:, np.arange(start, start + count) % loop.shape[1]]
    return block
