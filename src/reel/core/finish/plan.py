"""The plan of a finish: what goes through untouched, what is left out and why, before anything is made."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.file import CODECS, CONTAINERS, SOUND_CODECS, Container, FilePlan, SoundCodec, VideoCodec
from reel.core.finish.pace import Pace
from reel.core.finish.picture import Fields
from reel.core.finish.sounds import sound_codec, sound_plans
from reel.core.finish.streams import Fate, StreamPlan
from reel.core.finish.stretches import Stretch, laid_over
from reel.core.finish.values import Finish, Source, SourceStream, StreamKind
from reel.core.signal import PIXEL_FORMATS, Mode

_PICTURES = {facts.reads_as: codec for codec, facts in CODECS.items()}


@dataclass(frozen=True, slots=True, kw_only=True)
class FinishPlan:
    """What a finish does with its sources, stream by stream; `notes` are what the container changes by itself.

    `stretches` are what is kept, one behind the other; none where each file is taken as it is. The finish is the one
    that was asked, its edges where they come to lie. `frame` is the size and rate of a picture that is encoded anew, by
    its `pace`; None of one that goes through.
    """

    finish: Finish
    streams: tuple[StreamPlan, ...]
    stretches: tuple[Stretch, ...] = ()
    notes: tuple[str, ...] = ()
    frame: Mode | None = None
    pace: Pace | None = None

    @property
    def kept(self) -> tuple[int, ...]:
        """The indices of the streams that the file holds, in its order."""
        return tuple(one.stream.index for one in self.streams if one.fate is not Fate.LEFT_OUT)

    @property
    def left_out(self) -> tuple[StreamPlan, ...]:
        """The streams that are not in the file although nobody chose that."""
        return tuple(one for one in self.streams if one.fate is Fate.LEFT_OUT and one.why)

    @property
    def sounds(self) -> tuple[StreamPlan, ...]:
        """What becomes of each sound track."""
        return tuple(one for one in self.streams if one.stream.kind is StreamKind.SOUND)

    @property
    def frames(self) -> int:
        """Frames that the file holds, of a finish that keeps a part."""
        there = sum(one.pieces.frames for one in self.stretches)
        if self.pace is None:
            return there
        return there * self.pace.per_tick.numerator if self.pace.shows_each else self.ticks

    @property
    def ticks(self) -> int:
        """Ticks that the file has, of a finish that keeps a part; a tick has a frame, unless the take had none."""
        kept = sum(one.kept.length for one in self.stretches)
        return kept if self.pace is None else self.pace.frames(kept)

    @property
    def encoded(self) -> int:
        """Frames that are encoded anew."""
        if self.finish.encoding is not None:
            return self.frames
        return sum(one.pieces.encoded for one in self.stretches)

    @property
    def speed(self) -> Fraction:
        """How many times as fast as the take it runs."""
        return self.pace.speed if self.pace is not None else Fraction(1)

    @property
    def length_s(self) -> Fraction:
        """Seconds of what is made, of a finish that keeps a part."""
        keep = self.finish.keep
        if self.pace is not None:
            return self.ticks / self.pace.frames_per_s
        return keep.length / keep.rate if keep is not None else Fraction(0)


def plan(finish: Finish, source: Source, *more: Source) -> FinishPlan:
    """Say what a finish does; raises BadValueError, with what would do instead, where it can't be made at all.

    What keeps a part of a take is made of all its files, `source` and `more`, one behind the other.
    """
    if finish.keep is None:
        if more or not finish.is_plain:
            raise BadValueError("Finish", "all of it", "anything but container and tracks is said with what is kept")
        return _whole(finish, source)
    fills = finish.encoding is not None and _varies((source, *more))
    keep, stretches = laid_over(finish.keep, (source, *more), joins=finish.encoding is None, fills=fills)
    if finish.encoding is not None:
        return _encoded(replace(finish, keep=keep), (source, *more), stretches, fills=fills)
    if finish.picture.is_drawn:
        limit = "these take that it is encoded anew: choose how under File"
        raise BadValueError("Picture", "other pixels or times", limit)
    whole = _whole(finish, source)
    first, *others = [one for one in whole.streams if one.stream.kind is StreamKind.PICTURE]
    streams = [
        StreamPlan(
            stream=first.stream, fate=Fate.JOINED if any(one.pieces.encoded for one in stretches) else Fate.UNTOUCHED
        )
    ]
    streams += [StreamPlan(stream=one.stream, fate=Fate.LEFT_OUT, why="a cut carries one picture") for one in others]
    is_cut = len(more) > 0 or len(stretches) > 1 or stretches[0].is_cut_in or stretches[0].is_cut_out
    held = [one for one in whole.streams if one.stream.kind is StreamKind.SOUND]
    streams += sound_plans(finish, (source, *more), held, is_cut=is_cut)
    streams += [one for one in whole.streams if one.stream.kind is StreamKind.OTHER]
    return FinishPlan(finish=replace(finish, keep=keep), streams=tuple(streams), stretches=stretches, notes=whole.notes)


def _encoded(finish: Finish, sources: Sequence[Source], stretches: tuple[Stretch, ...], *, fills: bool) -> FinishPlan:
    """Return the plan of a finish that encodes all anew; raises BadValueError for what its recipe can't hold.

    `fills` says that a tick without a picture shows the one before.
    """
    assert finish.encoding is not None
    pixels = PIXEL_FORMATS.get(sources[0].pictures[0].pixels)
    if finish.picture.fields is Fields.FILM and (pixels is None or pixels.depth_bits > 8):
        raise BadValueError("Fields", sources[0].pictures[0].pixels, "pull-down can be undone at 8 bits only")
    pictures, sounds, chosen = sources[0].pictures, sources[0].sounds, _chosen(finish, sources[0])
    streams = [StreamPlan(stream=pictures[0], fate=Fate.ENCODED, why=finish.encoding.recipe.codec_facts.label)]
    streams += [StreamPlan(stream=one, fate=Fate.LEFT_OUT, why="one picture is encoded") for one in pictures[1:]]
    held = [
        StreamPlan(stream=one, fate=Fate.UNTOUCHED if number in chosen else Fate.LEFT_OUT)
        for number, one in enumerate(sounds, start=1)
    ]
    streams += sound_plans(finish, sources, held, is_cut=True)
    pace = replace(finish.picture.pace(_rate(sources[0])), fills=fills)
    frame = _frame(finish, sources[0], pace)
    made = FinishPlan(finish=finish, streams=tuple(streams), stretches=stretches, frame=frame, pace=pace)
    file_plan_of(made).check()
    return made


def _rate(source: Source) -> Fraction:
    assert source.packets is not None, "what has no picture is refused before"
    return source.packets.rate


def _varies(sources: Sequence[Source]) -> bool:
    """Return whether pictures come at times of their own."""
    return any(one.packets is not None and not one.packets.is_fixed for one in sources)


def _frame(finish: Finish, source: Source, pace: Pace) -> Mode:
    """Return the size and rate of a picture that is encoded anew."""
    picture = source.pictures[0]
    if finish.keeps_frames:
        width_px, height_px, _ = picture.coded
    else:
        width_px, height_px = finish.picture.size_of(picture.width_px, picture.height_px, picture.aspect)
    return Mode(width_px=width_px, height_px=height_px, rate=pace.frames_per_s)


def file_plan_of(made: FinishPlan) -> FilePlan:
    """Return what the file of a plan that encodes all anew is to hold."""
    assert made.finish.encoding is not None and made.frame is not None
    sounds = [one for one in made.sounds if one.fate is Fate.ENCODED]
    tracks = tuple(one.title or f"Track {number}" for number, one in enumerate(sounds, start=1))
    return FilePlan(recipe=made.finish.encoding.recipe, frame=made.frame, tracks=tracks)


def _whole(finish: Finish, source: Source) -> FinishPlan:
    pictures = list(source.pictures)
    held = [stream for stream in pictures if why_not(finish.container, stream.codec) is None]
    if pictures and not held:
        name, reason = CONTAINERS[finish.container].name, why_not(finish.container, pictures[0].codec)
        holding = [CONTAINERS[one].name for one in Container if why_not(one, pictures[0].codec) is None]
        others = ", ".join(dict.fromkeys(holding)) or "no other"
        raise BadValueError("Container", name, f"it does not hold {_label(pictures[0])}: {reason}. What does: {others}")
    if not pictures and not source.sounds:
        raise BadValueError("File", "nothing", "it holds neither a picture nor sound")
    wanted = [source.sounds[track - 1] for track in _chosen(finish, source)]
    streams = [_planned(finish.container, stream) for stream in (*pictures, *wanted)]
    streams += [
        StreamPlan(
            stream=stream, fate=Fate.LEFT_OUT, why="" if stream in source.sounds else "it is no picture or sound"
        )
        for stream in source.streams
        if stream not in pictures and stream not in wanted
    ]
    return FinishPlan(finish=finish, streams=tuple(streams), notes=_notes(finish.container, wanted, pictures))


def _chosen(finish: Finish, source: Source) -> Sequence[int]:
    """Return the tracks that are chosen, counted from 1; raises BadValueError for one that a file does not have."""
    count = len(source.sounds)
    chosen = range(1, count + 1) if finish.tracks is None else finish.tracks
    if beyond := [track for track in chosen if track > count]:
        raise BadValueError("Track", beyond[0], f"the file has {count}")
    return chosen


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
    known: VideoCodec | SoundCodec | None = _PICTURES.get(codec) or sound_codec(codec)
    if known is None:
        return None if container is Container.MKV and codec else "Reel does not know that it may stand there"
    held = known in facts.video if isinstance(known, VideoCodec) else known in facts.sound
    return None if held else facts.reason(known)


def _label(stream: SourceStream) -> str:
    known = _PICTURES.get(stream.codec)
    if known is not None:
        return CODECS[known].label
    sound = sound_codec(stream.codec)
    return SOUND_CODECS[sound].label if sound is not None else stream.codec or "a stream without a name"


def _notes(container: Container, sounds: list[SourceStream], pictures: Sequence[SourceStream]) -> tuple[str, ...]:
    """Say what a container can't keep of any file."""
    notes = []
    if container in (Container.MKV, Container.WEBM):
        notes.append("Times are kept to the millisecond: it has no finer ones.")
    if not CONTAINERS[container].names_tracks and any(stream.title for stream in sounds):
        notes.append("The names of tracks are left out: it has no place for them.")
    if container is Container.TS and (turned := [one.turned_deg for one in pictures if one.turned_deg]):
        degrees = abs(turned[0])
        notes.append(f"The picture lies as it was coded: MPEG-TS can't say that it is shown turned by {degrees}°.")
    return tuple(notes)
