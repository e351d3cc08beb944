"""Finishes: what is made of a take, as a value; what each stream goes through, before anything is made."""

from reel.core.finish.archive import archive_recipe
from reel.core.finish.keep import (
    MAX_RANGES,
    Edges,
    Keep,
    Ranges,
    TickRange,
    joined,
    left_out,
    moved,
    split,
    together,
    without,
)
from reel.core.finish.pace import Pace
from reel.core.finish.packets import PacketIndex, Pieces
from reel.core.finish.picture import GRADE, NOISE, SHARPNESS, SPEED, Fields, Grade, PictureFinish
from reel.core.finish.plan import Fate, FinishPlan, StreamPlan, file_plan_of, plan, sound_codec, why_not
from reel.core.finish.stretches import Stretch
from reel.core.finish.track import LOUDNESS_LUFS, SLIDE_MS, TrackFinish
from reel.core.finish.values import TARGETS, Encoding, Finish, Source, SourceStream, StreamKind

__all__ = [
    "GRADE",
    "LOUDNESS_LUFS",
    "MAX_RANGES",
    "NOISE",
    "SHARPNESS",
    "SLIDE_MS",
    "SPEED",
    "TARGETS",
    "Edges",
    "Encoding",
    "Fate",
    "Fields",
    "Finish",
    "FinishPlan",
    "Grade",
    "Keep",
    "Pace",
    "PacketIndex",
    "PictureFinish",
    "Pieces",
    "Ranges",
    "Source",
    "SourceStream",
    "StreamKind",
    "StreamPlan",
    "Stretch",
    "TickRange",
    "TrackFinish",
    "archive_recipe",
    "file_plan_of",
    "joined",
    "left_out",
    "moved",
    "plan",
    "sound_codec",
    "split",
    "together",
    "why_not",
    "without",
]
