"""The plan of a finish: what goes through untouched, what is left out and why, before anything is made."""

from dataclasses import dataclass
from enum import StrEnum

from reel.core.errors import BadValueError
from reel.core.file import CODECS, CONTAINERS, SOUND_CODECS, Container, SoundCodec, VideoCodec
from reel.core.finish.values import Finish, Source, SourceStream, StreamKind

_PICTURES = {facts.reads_as: codec for codec, facts in CODECS.items()}
_SOUNDS = {facts.reads_as: codec for codec, facts in SOUND_CODECS.items()}


class Fate(StrEnum):
    """What becomes of a stream: its packets go through untouched, or it is not in the file."""

    UNTOUCHED = "untouched"
    LEFT_OUT = "left out"


@dataclass(frozen=True, slots=True, kw_only=True)
class StreamPlan:
    """What becomes of a stream, and `why` where that is not what was asked."""

    stream: SourceStream
    fate: Fate
    why: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class FinishPlan:
    """What a finish does with a source, stream by stream; `notes` are what the container changes by itself."""

    finish: Finish
    streams: tuple[StreamPlan, ...]
    notes: tuple[str, ...] = ()

    @property
    def kept(self) -> tuple[int, ...]:
        """The indices of the streams that the file holds, in its order."""
        return tuple(one.stream.index for one in self.streams if one.fate is not Fate.LEFT_OUT)

    @property
    def left_out(self) -> tuple[StreamPlan, ...]:
        """The streams that are not in the file although nobody chose that."""
        return tuple(one for one in self.streams if one.fate is Fate.LEFT_OUT and one.why)


def plan(finish: Finish, source: Source) -> FinishPlan:
    """Say what a finish does; raises BadValueError, with what would do instead, where it can't be made at all."""
    pictures = [stream for stream in source.streams if stream.kind is StreamKind.PICTURE]
    held = [stream for stream in pictures if why_not(finish.container, stream.codec) is None]
    if pictures and not held:
        name, reason = CONTAINERS[finish.container].name, why_not(finish.container, pictures[0].codec)
        holding = [CONTAINERS[one].name for one in Container if why_not(one, pictures[0].codec) is None]
        others = ", ".join(dict.fromkeys(holding)) or "no other"
        raise BadValueError("Container", name, f"it does not hold {_label(pictures[0])}: {reason}. What does: {others}")
    if not pictures and not source.sounds:
        raise BadValueError("File", "nothing", "it holds neither a picture nor sound")
    chosen = range(1, len(source.sounds) + 1) if finish.tracks is None else finish.tracks
    if beyond := [track for track in chosen if track > len(source.sounds)]:
        raise BadValueError("Track", beyond[0], f"the file has {len(source.sounds)}")
    wanted = [source.sounds[track - 1] for track in chosen]
    streams = [_planned(finish.container, stream) for stream in (*pictures, *wanted)]
    streams += [
        StreamPlan(
            stream=stream, fate=Fate.LEFT_OUT, why="" if stream in source.sounds else "it is no picture or sound"
        )
        for stream in source.streams
        if stream not in pictures and stream not in wanted
    ]
    return FinishPlan(finish=finish, streams=tuple(streams), notes=_notes(finish.container, wanted))


def _planned(container: Container, stream: SourceStream) -> StreamPlan:
    reason = why_not(container, stream.codec)
    if reason is None:
        return StreamPlan(stream=stream, fate=Fate.UNTOUCHED)
    why = f"{CONTAINERS[container].name} does not hold {_label(stream)}: {reason}"
    return StreamPlan(stream=stream, fate=Fate.LEFT_OUT, why=why)


def why_not(container: Container, codec: str) -> str | None:
    """Return why a container does not hold a codec, by libavcodec's name; None where it does.

    MKV holds whatever libavcodec has a name for, except what is known not to go into it.
    """
    facts = CONTAINERS[container]
    known: VideoCodec | SoundCodec | None = _PICTURES.get(codec) or _SOUNDS.get(codec)
    if known is None:
        return None if container is Container.MKV and codec else "Reel does not know that it may stand there"
    held = known in facts.video if isinstance(known, VideoCodec) else known in facts.sound
    return None if held else facts.reason(known)


def _label(stream: SourceStream) -> str:
    known = _PICTURES.get(stream.codec)
    if known is not None:
        return CODECS[known].label
    sound = _SOUNDS.get(stream.codec)
    return SOUND_CODECS[sound].label if sound is not None else stream.codec or "a stream without a name"


def _notes(container: Container, sounds: list[SourceStream]) -> tuple[str, ...]:
    """Say what a container can't keep of any file."""
    notes = []
    if container in (Container.MKV, Container.WEBM):
        notes.append("Times are kept to the millisecond: it has no finer ones.")
    if not CONTAINERS[container].names_tracks and any(stream.title for stream in sounds):
        notes.append("The names of tracks are left out: it has no place for them.")
    return tuple(notes)
