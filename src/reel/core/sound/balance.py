"""Balance: how far a voice lies above the game while somebody speaks, and what would make it easy to follow."""

import math
from collections import deque
from dataclasses import dataclass

# A voice is easy to follow this much above what it is spoken over: BBC and EBU advice on dialogue is 7 to 10 LU.
EASY_LU = 10.0
# It may differ by so much before it is worth a word.
NEAR_LU = 1.5
# A voice is heard when it is louder than this; a room's noise is not.
SPEAKING_LUFS = -50.0
# Less speech than this says nothing.
MIN_S = 2.0
KEEP_S = 20
PER_S = 10


@dataclass(frozen=True, slots=True, kw_only=True)
class BalanceReading:
    """The last KEEP_S seconds of momentary loudness, PER_S a second, oldest first, and the gap while somebody spoke.

    `gap_lu` is None until enough was spoken; `spoken_s` says how much. `voice` and `game` are in LUFS.
    """

    voice: tuple[float, ...] = ()
    game: tuple[float, ...] = ()
    gap_lu: float | None = None
    spoken_s: float = 0.0

    @property
    def too_loud_db(self) -> float:
        """By how much the game is too loud under the voice; negative where it could be louder, 0 where that is fine."""
        if self.gap_lu is None or abs(EASY_LU - self.gap_lu) <= NEAR_LU:
            return 0.0
        return EASY_LU - self.gap_lu


class Balance:
    """Compares the momentary loudness of a voice and of what it is spoken over, both taken PER_S times a second."""

    def __init__(self) -> None:
        self._pairs: deque[tuple[float, float]] = deque(maxlen=KEEP_S * PER_S)
        self._read: BalanceReading | None = BalanceReading()

    def feed(self, voice_lufs: float, game_lufs: float) -> None:
        """Take one moment's loudness of both."""
        self._pairs.append((round(voice_lufs, 1), round(game_lufs, 1)))
        self._read = None

    def read(self) -> BalanceReading:
        """Return what the last seconds say: means are of the power, as loudness is integrated."""
        if self._read is None:
            self._read = self._made()
        return self._read

    def _made(self) -> BalanceReading:
        pairs = list(self._pairs)
        spoken = [(voice, game) for voice, game in pairs if voice > SPEAKING_LUFS]
        spoken_s = len(spoken) / PER_S
        gap = None
        if spoken_s >= MIN_S:
            gap = _mean([voice for voice, _ in spoken]) - _mean([game for _, game in spoken])
        return BalanceReading(
            voice=tuple(voice for voice, _ in pairs),
            game=tuple(game for _, game in pairs),
            gap_lu=gap,
            spoken_s=spoken_s,
        )


def _mean(values: list[float]) -> float:
    """Return the mean of levels in dB by their power."""
    return 10 * math.log10(sum(10 ** (value / 10) for value in values) / len(values))
