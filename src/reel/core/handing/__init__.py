"""Handing takes on: their marks, losses and facts in the open forms that editors, players and tables read."""

from reel.core.handing.chapters import Chapter, chapters_of, webvtt
from reel.core.handing.tables import moments_table, table
from reel.core.handing.timeline import HandedPart, HandedTake, timeline
from reel.core.handing.values import Moment, MomentKind

__all__ = [
    "Chapter",
    "HandedPart",
    "HandedTake",
    "Moment",
    "MomentKind",
    "chapters_of",
    "moments_table",
    "table",
    "timeline",
    "webvtt",
]
