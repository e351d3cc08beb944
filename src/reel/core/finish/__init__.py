"""Finishes: what is made of a take, as a value; what each stream goes through, before anything is made."""

from reel.core.finish.plan import Fate, FinishPlan, StreamPlan, plan
from reel.core.finish.values import Finish, Source, SourceStream, StreamKind

__all__ = [
    "Fate",
    "Finish",
    "FinishPlan",
    "Source",
    "SourceStream",
    "StreamKind",
    "StreamPlan",
    "plan",
]
