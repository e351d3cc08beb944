"""Voices: somebody who talks about the exhibits, and two who talk with the player now and then."""

from functools import lru_cache

import numpy as np
import numpy.typing as npt

from reel.core.signal import FloatArray
from reel.standins.ambience import RATE_HZ

LOOP_S = 10
# Syllables a second of unhurried speech, and the pitch of the voice.
SYLLABLES_PER_S, PITCH_HZ = 4, 118
# Peak of the voice and RMS of the room's noise, both linear: −12 and −62 dBFS near, −27 and −52 dBFS from afar.
_NEAR, _FAR = (0.25, 0.0008), (0.045, 0.0025)
# When, within CHAT_S seconds, each of the two on the line talks, at which pitch and how loud.
CHAT_S = 20
_TALKS = ((1.0, 5.0, 164, 0.16), (6.0, 8.5, 96, 0.12), (12.0, 15.5, 164, 0.16), (15.0, 18.0, 96, 0.12))


@lru_cache(maxsize=2)
def heard(*, far: bool = False) -> FloatArray:
    """Return one loop of LOOP_S seconds of what a microphone hears, float32 (samples,)."""
    peak, noise_rms = _FAR if far else _NEAR
    random = np.random.default_rng(17)
    voice = _voice(random, LOOP_S, PITCH_HZ)
    if far:  # it stands across the room: later by 9 ms, with an echo
        late, echo = RATE_HZ * 9 // 1000, RATE_HZ * 60 // 1000
        voice = np.roll(voice, late) + 0.4 * np.roll(voice, late + echo)
    voice *= peak / np.abs(voice).max()
    noise = random.standard_normal(len(voice)) * noise_rms
    return (voice + noise).astype(np.float32)


@lru_cache(maxsize=1)
def chat() -> FloatArray:
    """Return one loop of CHAT_S seconds of two who talk now and then, float32 (samples,); silent in between."""
    line = np.zeros(RATE_HZ * CHAT_S)
    for number, (start_s, stop_s, pitch_hz, peak) in enumerate(_TALKS):
        voice = _voice(np.random.default_rng(40 + number), int(stop_s - start_s) + 1, pitch_hz)
        count = round((stop_s - start_s) * RATE_HZ)
        start = round(start_s * RATE_HZ)
        line[start : start + count] += voice[:count] * peak / np.abs(voice).max()
    return line.astype(np.float32)


def _voice(random: np.random.Generator, length_s: int, pitch_hz: int) -> npt.NDArray[np.float64]:
    """Speak syllables with breaths between: a buzz at the pitch, shaped by two formants that wander."""
    time = np.arange(RATE_HZ * length_s) / RATE_HZ
    voice = np.zeros_like(time)
    for number in range(length_s * SYLLABLES_PER_S):
        if number % 11 in (9, 10):  # a breath
            continue
        start = round(number * RATE_HZ / SYLLABLES_PER_S)
        length = int(RATE_HZ * random.uniform(0.12, 0.22))
        local = time[:length]
        pitch = pitch_hz * random.uniform(0.92, 1.12)
        shape = np.clip(np.sin(np.pi * local / local[-1]), 0, 1) ** 0.6
        for formant, strength in ((random.uniform(320, 760), 1.0), (random.uniform(1000, 2100), 0.4)):
            harmonic = round(formant / pitch)
            for place in range(max(1, harmonic - 2), harmonic + 3):
                weight = strength / (1 + (place - harmonic) ** 2)
                voice[start : start + length] += weight * shape * np.sin(2 * np.pi * place * pitch * local)
    return voice
