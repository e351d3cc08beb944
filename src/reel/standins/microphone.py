"""The bench microphone and the backup microphone: somebody who talks about the exhibits, near and from afar."""

from enum import StrEnum
from fractions import Fraction
from functools import lru_cache

import numpy as np

from reel.core.signal import NS, FloatArray, InputError, Samples, SoundFormat
from reel.standins.ambience import RATE_HZ

BLOCK = 480
LOOP_S = 10
# Syllables a second of unhurried speech, and the pitch of the voice.
SYLLABLES_PER_S, PITCH_HZ = 4, 118


class Place(StrEnum):
    """Which of the two it is."""

    BENCH = "bench"
    BACKUP = "backup"


# Peak of the voice and RMS of the room's noise, both linear: −12 and −62 dBFS near, −27 and −52 dBFS from afar.
_LEVELS = {Place.BENCH: (0.25, 0.0008), Place.BACKUP: (0.045, 0.0025)}


class Microphone:
    """Hears the voice from `start_ns` on, mono at 48 kHz. Implements Input; it has no picture."""

    def __init__(self, place: Place, *, start_ns: int, drift_ppm: float = 0.0) -> None:
        self._place, self._start_ns = place, start_ns
        self._block_ns = Fraction(BLOCK * NS, RATE_HZ) / (1 + Fraction(drift_ppm) / 1_000_000)
        self._next = 0
        self._open = True

    @property
    def signal(self) -> None:
        """No picture."""
        return

    @property
    def sound(self) -> SoundFormat:
        """48 kHz mono."""
        return SoundFormat(rate_hz=RATE_HZ, channels=1)

    def due_ns(self) -> int | None:
        """When the next block is complete."""
        return self._start_ns + round((self._next + 1) * self._block_ns) if self._open else None

    def read(self, now_ns: int) -> Samples:
        """Give the next block."""
        if not self._open:
            raise InputError(f"The {self._place.value} microphone", "is switched off")
        number = self._next
        self._next += 1
        positions = np.arange(number * BLOCK, (number + 1) * BLOCK) % (RATE_HZ * LOOP_S)
        data: FloatArray = heard(self._place)[None, positions]
        return Samples(at_ns=self._start_ns + round(number * self._block_ns), data=data)

    def close(self) -> None:
        """Switch it off."""
        self._open = False


@lru_cache(maxsize=2)
def heard(place: Place) -> FloatArray:
    """Give one loop of what a microphone hears, float32 (samples,)."""
    peak, noise_rms = _LEVELS[place]
    random = np.random.default_rng(17)
    voice = _voice(random)
    if place is Place.BACKUP:  # it stands across the room: later by 9 ms, with an echo
        late, echo = RATE_HZ * 9 // 1000, RATE_HZ * 60 // 1000
        voice = np.roll(voice, late) + 0.4 * np.roll(voice, late + echo)
    voice *= peak / np.abs(voice).max()
    noise = random.standard_normal(len(voice)) * noise_rms
    return (voice + noise).astype(np.float32)


def _voice(random: np.random.Generator) -> np.ndarray[tuple[int], np.dtype[np.float64]]:
    """Speak syllables with breaths between: a buzz at PITCH_HZ, shaped by two formants that wander."""
    time = np.arange(RATE_HZ * LOOP_S) / RATE_HZ
    voice = np.zeros_like(time)
    for number in range(LOOP_S * SYLLABLES_PER_S):
        if number % 11 in (9, 10):  # a breath
            continue
        start = round(number * RATE_HZ / SYLLABLES_PER_S)
        length = int(RATE_HZ * random.uniform(0.12, 0.22))
        local = time[:length]
        pitch = PITCH_HZ * random.uniform(0.92, 1.12)
        shape = np.clip(np.sin(np.pi * local / local[-1]), 0, 1) ** 0.6
        for formant, strength in ((random.uniform(320, 760), 1.0), (random.uniform(1000, 2100), 0.4)):
            harmonic = round(formant / pitch)
            for place in range(max(1, harmonic - 2), harmonic + 3):
                weight = strength / (1 + (place - harmonic) ** 2)
                voice[start : start + length] += weight * shape * np.sin(2 * np.pi * place * pitch * local)
    return voice
