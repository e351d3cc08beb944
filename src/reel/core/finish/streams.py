"""What becomes of each stream of a take's files."""

from dataclasses import dataclass
from enum import StrEnum

from reel.core.finish.track import TrackFinish
from reel.core.finish.values import SourceStream


class Fate(StrEnum):
    """What becomes of a stream: its packets go through untouched; some of its frames are encoded anew; its samples stay
    the same in new packets; all of it is encoded anew; or it is not in the file."""

    UNTOUCHED = "untouched"
    JOINED = "joined"
    SAME_SAMPLES = "same samples"
    ENCODED = "encoded"
    LEFT_OUT = "left out"


class Origin(StrEnum):
    """Where a stream of what is made is from: the take's files, what was spoken over it, or other tracks, mixed."""

    TAKE = "take"
    SPOKEN = "spoken"
    MIX = "mix"


@dataclass(frozen=True, slots=True, kw_only=True)
class StreamPlan:
    """What becomes of a stream, and `why` where that is not what was asked; `change` is what is done to a track.

    A mix has the plans of the tracks that are in it as `parts`; a track that is pulled down has the one of the `voice`
    under which it is.
    """

    stream: SourceStream
    fate: Fate
    why: str = ""
    change: TrackFinish | None = None
    origin: Origin = Origin.TAKE
    parts: tuple["StreamPlan", ...] = ()
    voice: "StreamPlan | None" = None

    @property
    def title(self) -> str:
        """What it is called in what is made."""
        return (self.change.title if self.change is not None else "") or self.stream.title
