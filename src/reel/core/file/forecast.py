"""What a recipe will cost: bits per second, bytes per minute and hour, hours left."""

from dataclasses import dataclass

from reel.core.file.plan import FilePlan
from reel.core.file.recipe import SOUND_FILE_BITS, Recipe


@dataclass(frozen=True, slots=True, kw_only=True)
class Forecast:
    """`total_bps` is video and sound in bits per second; `measured` says that it comes from an earlier take.

    `estimated` says that it comes from a moment of the rig's picture.
    Files of sound beside it are in it, as large as they may become.
    """

    total_bps: int
    measured: bool = False
    estimated: bool = False

    @property
    def bytes_per_minute(self) -> int:
        """Bytes for one minute."""
        return self.total_bps * 60 // 8

    @property
    def bytes_per_hour(self) -> int:
        """Bytes for one hour."""
        return self.total_bps * 3600 // 8

    def seconds_left(self, free_bytes: int) -> int:
        """Seconds until `free_bytes` are full."""
        return free_bytes * 8 // self.total_bps


def forecast(plan: FilePlan, measured_bps: int | None = None, picture_bits: float | None = None) -> Forecast | None:
    """Say what a file costs; None where the picture decides and nothing has been measured.

    `measured_bps` is a take's data rate, `picture_bits` how many a picture took when the machine was measured.
    """
    recipe = plan.recipe
    beside_bps = len(plan.sound_files) * recipe.sound_rate_hz * recipe.sound_channels * SOUND_FILE_BITS
    picture_bps = recipe.rate.target_bps or _profile_bps(plan)
    if picture_bps is not None:
        return Forecast(total_bps=picture_bps + len(plan.tracks) * sound_bps(recipe) + beside_bps)
    if measured_bps:
        return Forecast(total_bps=measured_bps + beside_bps, measured=True)
    if picture_bits is None:
        return None
    estimated_bps = round(picture_bits * plan.frame.rate) + len(plan.tracks) * sound_bps(recipe)
    return Forecast(total_bps=estimated_bps + beside_bps, estimated=True)


def sound_bps(recipe: Recipe) -> int:
    """Give the bits per second of one track, at most where its codec loses nothing."""
    sound = recipe.sound_facts
    return recipe.sound_bitrate_bps if sound.bitrates_bps else recipe.sound_rate_hz * recipe.sound_channels * sound.bits


def _profile_bps(plan: FilePlan) -> int | None:
    profile = plan.recipe.codec_facts.profile(plan.recipe.profile)
    frame = plan.frame
    return round(profile.bits_per_pixel * frame.width_px * frame.height_px * frame.rate) if profile else None
