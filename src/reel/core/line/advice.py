"""What Reel tells a person to see to: points of the list before and after a roll, and alarms by kind."""

from dataclasses import dataclass
from enum import StrEnum


class CheckState(StrEnum):
    """How a point stands: FINE and WRONG are found by Reel, TICKED was said by a person, OPEN waits for one."""

    FINE = "fine"
    WRONG = "wrong"
    TICKED = "ticked"
    OPEN = "open"


@dataclass(frozen=True, slots=True, kw_only=True)
class Check:
    """One point of the list. `measured` says how it stands as far as Reel can tell; None where only a person can."""

    key: str
    text: str
    measured: bool | None = None

    def state(self, ticked: frozenset[str]) -> CheckState:
        """Say how it stands, given the keys that were ticked by hand."""
        if self.measured is not None:
            return CheckState.FINE if self.measured else CheckState.WRONG
        return CheckState.TICKED if self.key in ticked else CheckState.OPEN


class AlarmKind(StrEnum):
    """What is wrong with a live signal; see core.measure.alarm."""

    HELD = "held"
    NO_SIGNAL = "no signal"
    BLACK = "black"
    FROZEN = "frozen"
    PARTLY_STILL = "partly still"
    ENDLESS = "endless"
    SILENT = "silent"
    CLIPPED = "sound clipped"
    MODE_CHANGED = "mode changed"
    TURNED = "turned"
    SNOW = "snow"
