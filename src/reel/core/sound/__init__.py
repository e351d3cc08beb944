"""Sound: levels."""

from reel.core.sound.level import FLOOR_DB, Level, Meter, to_db

__all__ = ["FLOOR_DB", "Level", "Meter", "to_db"]
