"""What becomes of a sound track of a take: its name, how it is treated, how loud it is to be, where it lies."""

from dataclasses import dataclass, field
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.finish.keep import MAX_RANGES, Ranges, together
from reel.core.sound import SoundSetup

MAX_TITLE = 80
SLIDE_MS = (-10_000, 10_000)
# What is heard under a voice is pulled down so far: more is silence, and makes breaths heard.
PULL_DB = (1.0, 40.0)
# No clock of a device that records is off by more: a tape may be.
MAX_DRIFT = Fraction(1, 100)
# EBU R128, ATSC A/85 and what the large platforms bring everything to lie within it.
LOUDNESS_LUFS = (-36.0, -8.0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Under:
    """That a track is pulled down by so many dB while somebody speaks on another one, counted from 1.

    Raises BadValueError.
    """

    track: int
    by_db: float

    def __post_init__(self) -> None:
        if not PULL_DB[0] <= self.by_db <= PULL_DB[1]:
            raise BadValueError("Pull down", f"{self.by_db:g} dB", f"it is from {PULL_DB[0]:g} to {PULL_DB[1]:g} dB")


@dataclass(frozen=True, slots=True, kw_only=True)
class TrackFinish:
    """What becomes of the track of that number, counted from 1.

    `title` is its new name, "" for as it is called. `sound` says how it is treated, as an input's is; its delay and its
    tracks say nothing here. A positive `slide_ms` moves it later, by the nearest sample; where its clock ran at another
    speed it is stretched, so that the take's end is moved by `end_slide_ms`. In the ranges `muted`, in ticks of the
    take, it is silent. It is brought to `loudness_lufs` over all that is kept, None for as loud as it is, and pulled
    down `under` another track. Raises BadValueError.
    """

    track: int
    title: str = ""
    sound: SoundSetup = field(default_factory=SoundSetup)
    slide_ms: Fraction = Fraction(0)
    end_slide_ms: Fraction | None = None
    muted: Ranges = ()
    loudness_lufs: float | None = None
    under: Under | None = None

    def __post_init__(self) -> None:
        if len(self.title) > MAX_TITLE or not self.title.isprintable():
            raise BadValueError("Track", self.title[:20], f"its name has up to {MAX_TITLE} printable characters")
        for slide in (self.slide_ms, self.end_slide_ms or 0):
            if not SLIDE_MS[0] <= slide <= SLIDE_MS[1]:
                raise BadValueError("Slide", f"{float(slide):g} ms", f"it is from {SLIDE_MS[0]} to {SLIDE_MS[1]} ms")
        if len(self.muted) > MAX_RANGES or together(self.muted) != self.muted:
            raise BadValueError("Muted", f"{len(self.muted)} ranges", f"up to {MAX_RANGES}, in order and apart")
        if self.under is not None and self.under.track == self.track:
            raise BadValueError("Pull down", self.track, "a track is pulled down under another one")
        low, high = LOUDNESS_LUFS
        if self.loudness_lufs is not None and not low <= self.loudness_lufs <= high:
            raise BadValueError("Loudness", f"{self.loudness_lufs:g} LUFS", f"it is from {low:g} to {high:g} LUFS")

    @property
    def is_treated(self) -> bool:
        """Whether its samples become others, or lie at other places."""
        return self != TrackFinish(track=self.track, title=self.title)

    def slide(self, rate_hz: int) -> int:
        """Return by how many samples it moves, at the take's beginning."""
        return round(self.slide_ms * rate_hz / 1000)

    def drift(self, length_s: Fraction) -> Fraction:
        """Return by which part of itself it is made longer, so that it drifts no more; the take has so many seconds.

        Raises BadValueError where no clock is so far off.
        """
        if self.end_slide_ms is None:
            return Fraction(0)
        found = (self.end_slide_ms - self.slide_ms) / 1000 / length_s
        if abs(found) > MAX_DRIFT:
            limit = f"a clock is off by up to {float(MAX_DRIFT * 100):g} %"
            raise BadValueError("Slide at the end", f"{float(self.end_slide_ms):g} ms", limit)
        return found
