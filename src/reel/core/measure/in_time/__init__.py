"""A take in time: what its picture and tracks do from one moment to the next, and what of that a person is told."""

from reel.core.measure.in_time.bins import Bins, coded_rate, rate_of
from reel.core.measure.in_time.found import Found, FoundKind, at_label, clips, drawn_per_s, found_in, losses
from reel.core.measure.in_time.picture import PictureTrace
from reel.core.measure.in_time.sound import SoundTrace
from reel.core.measure.in_time.values import MAX_EVENTS, Event, PictureInTime, SoundInTime, Span, TakeInTime

__all__ = [
    "MAX_EVENTS",
    "Bins",
    "Event",
    "Found",
    "FoundKind",
    "PictureInTime",
    "PictureTrace",
    "SoundInTime",
    "SoundTrace",
    "Span",
    "TakeInTime",
    "at_label",
    "clips",
    "coded_rate",
    "drawn_per_s",
    "found_in",
    "losses",
    "rate_of",
]
