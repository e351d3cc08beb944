"""What becomes of a sound track of a take: its name, how it is treated, how loud it is to be, where it lies."""

from dataclasses import dataclass, field
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.sound import SoundSetup

MAX_TITLE = 80
SLIDE_MS = (-10_000, 10_000)
# EBU R128, ATSC A/85 and what the large platforms bring everything to lie within it.
LOUDNESS_LUFS = (-36.0, -8.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class TrackFinish:
    """What becomes of the track of that number, counted from 1.

    `title` is its new name, "" for as it is called. `sound` says how it is treated, as an input's is; its delay and its
    tracks say nothing here. A positive `slide_ms` moves it later, by the nearest sample. It is brought to
    `loudness_lufs` over all that is kept, None for as loud as it is. Raises BadValueError.
    """

    track: int
    title: str = ""
    sound: SoundSetup = field(default_factory=SoundSetup)
    slide_ms: Fraction = Fraction(0)
    loudness_lufs: float | None = None

    def __post_init__(self) -> None:
        if len(self.title) > MAX_TITLE or not self.title.isprintable():
            raise BadValueError("Track", self.title[:20], f"its name has up to {MAX_TITLE} printable characters")
        if not SLIDE_MS[0] <= self.slide_ms <= SLIDE_MS[1]:
            raise BadValueError(
                "Slide", f"{float(self.slide_ms):g} ms", f"it is from {SLIDE_MS[0]} to {SLIDE_MS[1]} ms"
            )
        low, high = LOUDNESS_LUFS
        if self.loudness_lufs is not None and not low <= self.loudness_lufs <= high:
            raise BadValueError("Loudness", f"{self.loudness_lufs:g} LUFS", f"it is from {low:g} to {high:g} LUFS")

    @property
    def is_treated(self) -> bool:
        """Whether its samples become others, or lie at other places."""
        return self.sound != SoundSetup() or bool(self.slide_ms) or self.loudness_lufs is not None

    def slide(self, rate_hz: int) -> int:
        """Return by how many samples it moves."""
        return round(self.slide_ms * rate_hz / 1000)
