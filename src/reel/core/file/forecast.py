"""What a recipe will cost: bits per second, bytes per minute and hour, hours left."""

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from statistics import median

from reel.core.file.containers import Container
from reel.core.file.plan import FilePlan
from reel.core.file.recipe import SOUND_FILE_BITS, Recipe


@dataclass(frozen=True, slots=True, kw_only=True)
class Measured:
    """What earlier takes came to, in bits per second: the median, the least, the most, and of how many."""

    median_bps: int
    min_bps: int
    max_bps: int
    takes: int

    @classmethod
    def of(cls, rates_bps: Sequence[int]) -> "Measured | None":
        """Sum takes up; None where there are none."""
        if not rates_bps:
            return None
        return cls(
            median_bps=round(median(rates_bps)), min_bps=min(rates_bps), max_bps=max(rates_bps), takes=len(rates_bps)
        )


@dataclass(frozen=True, slots=True, kw_only=True)
class Forecast:
    """`total_bps` is video and sound in bits per second of the file; `measured` are the takes that it comes from.

    `estimated` says that it comes from a moment of the rig's picture. `picture_bps` is the picture alone, None where
    that can't be told from the sound. Files of sound beside it are in the total, as large as they may become. The file
    runs `lapse` times as fast as what it shows: minutes, hours and what is left are of that.
    """

    total_bps: int
    picture_bps: int | None
    lapse: Fraction = Fraction(1)
    measured: Measured | None = None
    estimated: bool = False

    @property
    def written_bps(self) -> Fraction:
        """Bits that are written in a second while it rolls."""
        return self.total_bps / self.lapse

    @property
    def bytes_per_minute(self) -> int:
        return int(self.written_bps * 60 / 8)

    @property
    def bytes_per_hour(self) -> int:
        return int(self.written_bps * 3600 / 8)

    def seconds_left(self, free_bytes: int) -> int:
        """Seconds until `free_bytes` are full."""
        return int(free_bytes * 8 / self.written_bps)


def forecast(plan: FilePlan, measured: Measured | None = None, picture_bits: float | None = None) -> Forecast | None:
    """Say what a file costs; None where the picture decides and nothing has been measured.

    `measured` is what takes of it came to, `picture_bits` how many a picture took when the machine was measured.
    """
    recipe = plan.recipe
    heard_bps = len(plan.tracks) * sound_bps(recipe)
    beside_bps = len(plan.sound_files) * recipe.sound_rate_hz * recipe.sound_channels * SOUND_FILE_BITS
    picture_bps = None if recipe.as_sent else recipe.rate.target_bps or _profile_bps(plan)
    if picture_bps is not None:
        total_bps = _in_container(plan, picture_bps + heard_bps) + beside_bps
        return Forecast(total_bps=total_bps, picture_bps=picture_bps, lapse=plan.lapse)
    if measured is not None:
        can_tell = not plan.tracks or (recipe.sound_facts.bitrates_bps and not recipe.as_sent)
        return Forecast(
            total_bps=measured.median_bps + beside_bps,
            picture_bps=max(0, measured.median_bps - heard_bps) if can_tell else None,
            lapse=plan.lapse,
            measured=measured,
        )
    if picture_bits is None or recipe.as_sent:
        return None
    picture_bps = round(picture_bits * plan.frame.rate)
    total_bps = _in_container(plan, picture_bps + heard_bps) + beside_bps
    return Forecast(total_bps=total_bps, picture_bps=picture_bps, lapse=plan.lapse, estimated=True)


# MPEG-TS (ISO/IEC 13818-1): packets of 188 bytes carry 184; each picture and each block of sound begins one with a
# header, and fills its last one up, half of it on average; tables and clocks come ten times a second.
_TS_PACKET, _TS_CARRIES, _TS_PICTURE, _TS_BLOCK, _TS_TABLES = 188, 184, 27 + 92, 14 + 92, 22 * 188


def _in_container(plan: FilePlan, streams_bps: int) -> int:
    """Return the bits a second of a file whose streams have so many; only MPEG-TS adds what counts."""
    if plan.recipe.container is not Container.TS:
        return streams_bps
    blocks = len(plan.tracks) * Fraction(plan.recipe.sound_rate_hz, plan.recipe.sound_facts.block)
    added = plan.frame.rate * _TS_PICTURE + blocks * _TS_BLOCK + _TS_TABLES
    return round(Fraction(_TS_PACKET, _TS_CARRIES) * streams_bps + 8 * added)


def sound_bps(recipe: Recipe) -> int:
    """Return the bits per second of one track, at most where its codec loses nothing."""
    sound = recipe.sound_facts
    return recipe.sound_bitrate_bps if sound.bitrates_bps else recipe.sound_rate_hz * recipe.sound_channels * sound.bits


def _profile_bps(plan: FilePlan) -> int | None:
    profile = plan.recipe.codec_facts.profile(plan.recipe.profile)
    frame = plan.frame
    return round(profile.picture_bits(frame.width_px, frame.height_px) * frame.rate) if profile else None
