"""How a take rolls and when it ends by itself."""

from reel.core.roll.ending import CutBy, MarkedMoment, MarkKind, StopFacts, stop_reason
from reel.core.roll.setup import COUNTDOWN_S, EVERY_S, LAPSE, REACH_BACK_S, TRIAL_S, RollSetup, ending
from reel.core.roll.words import cut_words, lapse_words, roll_words

__all__ = [
    "COUNTDOWN_S",
    "EVERY_S",
    "LAPSE",
    "REACH_BACK_S",
    "TRIAL_S",
    "CutBy",
    "MarkKind",
    "MarkedMoment",
    "RollSetup",
    "StopFacts",
    "cut_words",
    "ending",
    "lapse_words",
    "roll_words",
    "stop_reason",
]
