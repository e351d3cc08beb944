"""When a take ends by itself: rules over how it stands."""

import datetime
from dataclasses import dataclass
from enum import StrEnum

from reel.core.roll.setup import RollSetup


class CutBy(StrEnum):
    """What ends a take: LIMIT is that of a device's own recorder, TROUBLE all that a person did not set."""

    PERSON = "person"
    LENGTH = "length"
    SIZE = "size"
    CLOCK = "clock"
    GONE = "gone"
    BLACK = "black"
    STILL = "still"
    EVENT = "event"
    LIMIT = "limit"
    TROUBLE = "trouble"


class MarkKind(StrEnum):
    """What a mark notes: what a PERSON does, a HOLD, another ARRANGEMENT, a signal that is GONE and is BACK, a NEW part
    with LIGHTER effort."""

    PERSON = "person"
    HOLD = "hold"
    ARRANGEMENT = "arrange"
    GONE = "gone"
    BACK = "back"
    LIGHTER = "lighter"


@dataclass(frozen=True, slots=True, kw_only=True)
class MarkedMoment:
    """A mark at frame `tick` of the take."""

    tick: int
    label: str
    kind: MarkKind = MarkKind.PERSON


@dataclass(frozen=True, slots=True, kw_only=True)
class StopFacts:
    """How a take stands at `now`, having begun at `began`, both with a time zone.

    `gone_s`, `black_s` and `still_s` say for how long the first input's signal has been so, 0 when it is not;
    `has_event` says that the device reports that it is not to be seen.
    """

    began: datetime.datetime
    now: datetime.datetime
    size_bytes: int = 0
    gone_s: float = 0.0
    black_s: float = 0.0
    still_s: float = 0.0
    has_event: bool = False


def stop_reason(setup: RollSetup, facts: StopFacts) -> CutBy | None:
    """Say what ends a take as it stands; None while nothing does. Its length the roll itself keeps to the frame."""
    if setup.cut_gb and facts.size_bytes >= setup.cut_gb * 10**9:
        return CutBy.SIZE
    if setup.cut_at and facts.now >= _at(setup.cut_at, facts):
        return CutBy.CLOCK
    if setup.cut_on_event and facts.has_event:
        return CutBy.EVENT
    for max_s, is_s, cause in (
        (setup.gone_s, facts.gone_s, CutBy.GONE),
        (setup.black_s, facts.black_s, CutBy.BLACK),
        (setup.still_s, facts.still_s, CutBy.STILL),
    ):
        if max_s and is_s >= max_s:
            return cause
    return None


def _at(clock: str, facts: StopFacts) -> datetime.datetime:
    """Return the first moment of a time of day after a take began, by the clocks as they go now.

    Meanwhile summer time may have begun or ended: `began` and `now` have the offset of their own moment.
    """
    hour, minute = (int(part) for part in clock.split(":"))
    began = facts.began
    found = began.replace(hour=hour, minute=minute, second=0, microsecond=0)
    day = found.date() if found > began else found.date() + datetime.timedelta(days=1)
    return datetime.datetime.combine(day, found.time(), tzinfo=facts.now.tzinfo)
