"""What becomes of the sound of a take: its tracks, what was spoken over it, a mix of them."""

from collections.abc import Iterator, Sequence
from dataclasses import replace
from fractions import Fraction

from reel.core.errors import BadValueError
from reel.core.file import CONTAINERS, SOUND_CODECS, SoundCodec
from reel.core.finish.streams import Fate, Origin, StreamPlan
from reel.core.finish.track import TrackFinish
from reel.core.finish.values import COMMENTARY, MIX, Finish, Source, SourceStream, StreamKind

_BY_NAME = {facts.reads_as: codec for codec, facts in SOUND_CODECS.items()}
# What is spoken over a take is recorded so.
SPOKEN_HZ = 48_000
# What is made of one or two channels takes so many bits a second, where its codec has a bitrate.
_BITS_PER_S = (96_000, 192_000)


def sound_codec(name: str) -> SoundCodec | None:
    """Return the sound codec that libavcodec names so, None for one that Reel does not write."""
    return _BY_NAME.get(name)


def sounds_of(finish: Finish, source: Source) -> tuple[SourceStream, ...]:
    """Return the tracks that a finish has, those that tracks are counted by: a file's, then what was spoken over it."""
    return (*source.sounds, _beside(finish, source, COMMENTARY)) if finish.commentary else source.sounds


def _beside(finish: Finish, source: Source, title: str) -> SourceStream:
    """Return a track that the take does not have, like its first one where that can be written."""
    container, first = CONTAINERS[finish.container], source.sounds[0] if source.sounds else None
    known = sound_codec(first.codec) if first is not None else None
    codec = known if known is not None and known in container.sound else next(iter(container.sound))
    channels = first.channels if first is not None and first.channels in (1, 2) else 2
    return SourceStream(
        index=len(source.streams) + (title == MIX),
        kind=StreamKind.SOUND,
        codec=SOUND_CODECS[codec].reads_as,
        title=title,
        channels=channels,
        rate_hz=first.rate_hz if first is not None and first.rate_hz in SOUND_CODECS[codec].rates_hz else SPOKEN_HZ,
        bitrate_bps=_BITS_PER_S[channels - 1],
    )


def changes_of(finish: Finish, sources: Sequence[Source]) -> dict[int, TrackFinish]:
    """Return what is done to tracks, by the index of their streams; raises BadValueError for what can't be."""
    sounds, found = sounds_of(finish, sources[0]), dict[int, TrackFinish]()
    for one in finish.sound:
        for track in (one.track, one.under.track if one.under is not None else one.track):
            if track > len(sounds):
                raise BadValueError("Track", track, f"the file has {len(sounds)}")
        stream = sounds[one.track - 1]
        if one.is_treated and stream.channels > 2:
            raise BadValueError("Track", one.track, f"it has {stream.channels} channels; one or two can be treated")
        one.drift(_length_s(sources))  # refuses what no clock is off by
        found[stream.index] = one
    return found


def _length_s(sources: Sequence[Source]) -> Fraction:
    return sum((one.packets.length / one.packets.rate for one in sources if one.packets is not None), Fraction(0))


def sound_plans(
    finish: Finish, sources: Sequence[Source], held: Sequence[StreamPlan], *, is_cut: bool
) -> Iterator[StreamPlan]:
    """Return what becomes of each track of a finish that keeps a part: a mix first, then what of the take's own is
    `held`, then what was spoken over it. Raises BadValueError for what can't be."""
    changes = changes_of(finish, sources)
    own = [_of_take(finish, one, changes.get(one.stream.index), is_cut=is_cut) for one in held]
    everything = [*own]
    if finish.commentary:
        stream = sounds_of(finish, sources[0])[-1]
        why = "spoken over it"
        everything.append(
            StreamPlan(
                stream=stream, fate=Fate.ENCODED, why=why, change=changes.get(stream.index), origin=Origin.SPOKEN
            )
        )
    voiced = [_with_voice(one, finish, sources[0], everything) for one in everything]
    if finish.mixdown:
        yield _mix(finish, sources[0], voiced)
    yield from voiced


def _with_voice(one: StreamPlan, finish: Finish, source: Source, everything: Sequence[StreamPlan]) -> StreamPlan:
    """Return a track with the one under which it is pulled down; that one may be left out of the file."""
    under = one.change.under if one.change is not None else None
    if under is None or one.fate is Fate.LEFT_OUT:
        return one
    stream = sounds_of(finish, source)[under.track - 1]
    voice = next((other for other in everything if other.stream.index == stream.index), None)
    if voice is None or not 0 < stream.channels <= 2:
        raise BadValueError("Track", under.track, "nothing can be pulled down under it: it is not read")
    return replace(one, voice=voice)


def _mix(finish: Finish, source: Source, everything: Sequence[StreamPlan]) -> StreamPlan:
    sounds = sounds_of(finish, source)
    if beyond := [track for track in finish.mixdown if track > len(sounds)]:
        raise BadValueError("Mix", beyond[0], f"the file has {len(sounds)} tracks")
    wanted = [sounds[track - 1].index for track in finish.mixdown]
    parts = tuple(one for one in everything if one.stream.index in wanted)
    for one in parts:
        if not 0 < one.stream.channels <= 2:
            raise BadValueError("Mix", one.title, f"it has {one.stream.channels} channels; one or two can be mixed")
    stream = _beside(finish, source, MIX)
    return StreamPlan(
        stream=stream, fate=Fate.ENCODED, why=f"{len(parts)} tracks in one", origin=Origin.MIX, parts=parts
    )


def _of_take(finish: Finish, planned: StreamPlan, change: TrackFinish | None, *, is_cut: bool) -> StreamPlan:
    """Return what becomes of a track of the take: where it is cut, samples, not packets, are where that is."""
    if planned.fate is Fate.LEFT_OUT:
        return replace(planned, change=change)
    if finish.encoding is not None:
        facts, channels = finish.encoding.recipe.sound_facts, planned.stream.channels
        if not 0 < channels <= 2:
            why = f"it has {channels} channels; one or two can be encoded"
            return StreamPlan(stream=planned.stream, fate=Fate.LEFT_OUT, why=why)
        return StreamPlan(stream=planned.stream, fate=Fate.ENCODED, why=facts.label, change=change)
    is_treated = change is not None and change.is_treated
    if not is_cut and not is_treated:
        return replace(planned, change=change)
    known = sound_codec(planned.stream.codec)
    if known is None:
        why = f"Reel can't write {planned.stream.codec}, which a cut to the sample takes"
        return StreamPlan(stream=planned.stream, fate=Fate.LEFT_OUT, why=why)
    if is_treated:
        return StreamPlan(stream=planned.stream, fate=Fate.ENCODED, why="its samples are changed", change=change)
    if SOUND_CODECS[known].bits:
        return StreamPlan(stream=planned.stream, fate=Fate.SAME_SAMPLES, change=change)
    why = f"{SOUND_CODECS[known].label} can't be cut to the sample otherwise"
    return StreamPlan(stream=planned.stream, fate=Fate.ENCODED, why=why, change=change)
