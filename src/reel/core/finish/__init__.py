"""Finishes: what is made of a take, as a value; what each stream goes through, before anything is made."""

from reel.core.finish.plan import Fate, FinishPlan, StreamPlan, plan, why_not
from reel.core.finish.values import TARGETS, Finish, Source, SourceStream, StreamKind

__all__ = [
    "TARGETS",
    "Fate",
    "Finish",
    "FinishPlan",
    "Source",
    "SourceStream",
    "StreamKind",
    "StreamPlan",
    "plan",
    "why_not",
]
