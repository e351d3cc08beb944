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
    put_back,
    split,
    together,
    without,
)
from reel.core.finish.pace import Pace
from reel.core.finish.packets import PacketIndex, Pieces
from reel.core.finish.picture import GRADE, NOISE, SHARPNESS, SPEED, Fields, Grade, PictureFinish
from reel.core.finish.plan import FinishPlan, file_plan_of, plan, why_not
from reel.core.finish.sounds import SPOKEN_HZ, sound_codec, sounds_of
from reel.core.finish.streams import Fate, Origin, StreamPlan
from reel.core.finish.stretches import Stretch
from reel.core.finish.track import LOUDNESS_LUFS, PULL_DB, SLIDE_MS, TrackFinish, Under
from reel.core.finish.values import COMMENTARY, MIX, TARGETS, Encoding, Finish, Source, SourceStream, StreamKind

__all__ = [
    "COMMENTARY",
    "GRADE",
    "LOUDNESS_LUFS",
    "MAX_RANGES",
    "MIX",
    "NOISE",
    "PULL_DB",
    "SHARPNESS",
    "SLIDE_MS",
    "SPEED",
    "SPOKEN_HZ",
    "TARGETS",
    "Edges",
    "Encoding",
    "Fate",
    "Fields",
    "Finish",
    "FinishPlan",
    "Grade",
    "Keep",
    "Origin",
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
    "Under",
    "archive_recipe",
    "file_plan_of",
    "joined",
    "left_out",
    "moved",
    "plan",
    "put_back",
    "sound_codec",
    "sounds_of",
    "split",
    "together",
    "why_not",
    "without",
]
