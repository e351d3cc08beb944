"""How an input's sound is treated, and on which tracks it goes."""

from dataclasses import dataclass
from enum import StrEnum

from reel.core.errors import BadValueError

MAX_TRACKS = 6
LEVEL_DB = (-60.0, 30.0)
DELAY_MS = (-500, 2000)
HIGH_PASS_HZ = (20, 400)
# libavfilter's afftdn: by how much noise is lowered.
NOISE_DB = (1, 40)
LIMIT_DB = (-24.0, 0.0)
MAX_NAME = 40


class Sides(StrEnum):
    """What becomes of an input's left and right side."""

    AS_IS = "as it is"
    SWAPPED = "swapped"
    MONO = "mono"
    LEFT = "left to both"
    RIGHT = "right to both"


@dataclass(frozen=True, slots=True, kw_only=True)
class SoundSetup:
    """The sound of one input, in the order in which it is treated.

    `high_pass_hz`, `noise_db` and `limit_db` are off when None. A positive delay moves the sound later. `tracks` are
    the tracks that hold it, counted from 1; none for not recorded.
    """

    sides: Sides = Sides.AS_IS
    high_pass_hz: int | None = None
    noise_db: int | None = None
    level_db: float = 0.0
    muted: bool = False
    limit_db: float | None = None
    delay_ms: int = 0
    tracks: tuple[int, ...] = (1,)

    def __post_init__(self) -> None:
        for thing, value, limits, unit in (
            ("Level", self.level_db, LEVEL_DB, "dB"),
            ("Delay", self.delay_ms, DELAY_MS, "ms"),
            ("High-pass", self.high_pass_hz, HIGH_PASS_HZ, "Hz"),
            ("Noise reduction", self.noise_db, NOISE_DB, "dB"),
            ("Limiter", self.limit_db, LIMIT_DB, "dBFS"),
        ):
            if value is not None and not limits[0] <= value <= limits[1]:
                raise BadValueError(thing, f"{value:g}", f"it must be from {limits[0]:g} to {limits[1]:g} {unit}")
        if any(not 1 <= track <= MAX_TRACKS for track in self.tracks) or len(set(self.tracks)) < len(self.tracks):
            raise BadValueError("Tracks", self.tracks, f"each is from 1 to {MAX_TRACKS}, and named once")

    @property
    def filters(self) -> tuple[object, ...]:
        """What has a memory: the settings that need a filter."""
        return tuple(value for value in (self.high_pass_hz, self.noise_db, self.limit_db) if value is not None)


@dataclass(frozen=True, slots=True, kw_only=True)
class TrackSetup:
    """A track of the file, by its name, which is written into the file."""

    name: str = "Sound"

    def __post_init__(self) -> None:
        if not self.name.strip() or len(self.name) > MAX_NAME or not self.name.isprintable():
            raise BadValueError("Track", self.name, f"its name has 1 to {MAX_NAME} printable characters")
