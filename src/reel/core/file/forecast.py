"""What a recipe will cost: bits per second, bytes per minute and hour, hours left."""

from dataclasses import dataclass

from reel.core.file.recipe import RateControl, Recipe


@dataclass(frozen=True, slots=True, kw_only=True)
class Forecast:
    """`total_bps` is video and sound in bits per second; `measured` says that it comes from an earlier take."""

    total_bps: int
    measured: bool = False

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


def forecast(recipe: Recipe, *, sound_tracks: int, measured_bps: int | None = None) -> Forecast | None:
    """Say what a recipe costs; None for constant quality of which no take has been measured (`measured_bps`)."""
    if recipe.rate_control is RateControl.CBR:
        return Forecast(total_bps=recipe.bitrate_bps + sound_tracks * recipe.sound_bitrate_bps)
    return Forecast(total_bps=measured_bps, measured=True) if measured_bps else None
