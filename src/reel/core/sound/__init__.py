"""Sound: levels, how each input is treated, tracks."""

from reel.core.sound.balance import Balance, BalanceReading
from reel.core.sound.latency import MAX_LATE_MS, RoundTrip, round_trip
from reel.core.sound.level import FLOOR_DB, FULL_SCALE, Level, Meter, to_db
from reel.core.sound.setup import MAX_TRACKS, Sides, SoundSetup, TrackSetup
from reel.core.sound.sync import ClickFinder, Flash, SyncReading, clicks_in, in_step

__all__ = [
    "FLOOR_DB",
    "FULL_SCALE",
    "MAX_LATE_MS",
    "MAX_TRACKS",
    "Balance",
    "BalanceReading",
    "ClickFinder",
    "Flash",
    "Level",
    "Meter",
    "RoundTrip",
    "Sides",
    "SoundSetup",
    "SyncReading",
    "TrackSetup",
    "clicks_in",
    "in_step",
    "round_trip",
    "to_db",
]
