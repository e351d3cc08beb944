"""Cutting: what is kept of a take's files as one file, its packets untouched but for a few frames at its edges."""

import heapq
from collections.abc import Callable, Iterator
from contextlib import ExitStack
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.stream import Disposition

from reel.core.file import CONTAINERS
from reel.core.finish import Fate, FinishPlan, Origin, PacketIndex, StreamPlan, Stretch, TickRange
from reel.core.finish.packets import IntArray
from reel.core.media.cuts.joints import Joiner
from reel.core.media.cuts.material import Files, Material
from reel.core.media.cuts.reading import PictureReader, opened
from reel.core.media.cuts.sound import TrackEncoder
from reel.core.media.cuts.tags import Tagger
from reel.core.media.digest import SentFacts, sum_of, sums_of
from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.rewrap import INDEXED, add_like, options_of, tags_of
from reel.core.media.soundgraph import LAYOUTS

Tell = Callable[[float], None]


def cut(files: Files, target: Path, plan: FinishPlan, tell: Tell) -> SentFacts:
    """Write what a plan keeps of files into one; returns what was written of each of its streams.

    `tell` is told the part that is done (0 to 1), and may raise to call the work off. Raises MediaError.
    """
    muxer = CONTAINERS[plan.finish.container].muxer
    try:
        with ExitStack() as stack:
            readers = [stack.enter_context(opened(path)) for path in files.paths]
            options = dict(options_of(muxer)) | _timescale(plan, muxer)
            writer = stack.enter_context(av.open(str(target), "w", format=muxer, options=options))
            return _Cut(Material(files, plan, readers), writer, muxer).write(tell)
    except MediaError:
        raise
    except BROKEN as error:
        raise MediaError(target, f"could not be written ({reason_of(error)})") from error


def _timescale(plan: FinishPlan, muxer: str) -> dict[str, str]:
    """Return the units in which an MP4 or MOV says how long its tracks are shown: samples, where they have one rate. By
    milliseconds, as libavformat has it, the last packet of a track may lie behind its end."""
    rates_hz = {one.stream.rate_hz for one in plan.sounds if one.fate is not Fate.LEFT_OUT}
    is_one = muxer in INDEXED and len(rates_hz) == 1 and 0 not in rates_hz
    return {"movie_timescale": str(rates_hz.pop())} if is_one else {}


class _Cut:
    """One cut that is being written: its streams, each with where its packets come from."""

    def __init__(self, material: Material, writer: Any, muxer: str) -> None:
        self._material, self._plan, self._writer = material, material.plan, writer
        self._paths, self._indices, self._rate = material.paths, material.indices, material.rate
        kept = [one for one in self._plan.streams if one.fate is not Fate.LEFT_OUT]
        self._picture = add_like(writer, material.stream(0), muxer)
        if self._has_joints and muxer in INDEXED and material.sources[0].pictures[0].codec == "hevc":
            # ISO/IEC 14496-15, 8.3.2: parameter sets may stand between packets there; in hvc1 muxers leave them out
            self._picture.codec_context.codec_tag = "hev1"
        picture = self._plan.finish.picture
        if picture.is_tagged:
            Tagger(material.stream(0), picture, self._picture)
        self._unit, self._times = self._stamps()
        self._picture.time_base = Fraction(1, self._unit.denominator)  # MP4 and MOV count in it
        self._tracks = [(one, self._track(one, muxer)) for one in kept[1:]]
        for planned, track in self._tracks:
            track.stream.metadata["title"] = planned.title
            if isinstance(track, TrackEncoder):
                track.stream.codec_context.open()
        for stream in (self._picture, *(track.stream for _, track in self._tracks[:1])):
            stream.disposition = Disposition.default
        writer.metadata.update(tags_of(material.readers[0].metadata))
        if chapters := list(self._chapters()):
            writer.set_chapters(chapters)
        self._sums = [sum_of(stream) for stream in (self._picture, *(track.stream for _, track in self._tracks))]

    @property
    def _has_joints(self) -> bool:
        """Whether packets stand beside others that were encoded with other parameter sets."""
        return self._plan.encoded > 0 or len(self._paths) > 1

    def _track(self, planned: StreamPlan, muxer: str) -> "TrackEncoder | _CopiedTrack":
        if planned.origin is not Origin.TAKE:
            form = self._material.form(planned)
            return TrackEncoder(self._writer, planned.stream, form.rate_hz, LAYOUTS[form.channels])
        stream = self._material.sound_stream(planned)
        source = stream.codec_context
        if planned.fate is Fate.UNTOUCHED:
            start_s = self._indices[0].start * self._indices[0].time_base
            return _CopiedTrack(add_like(self._writer, stream, muxer), self._paths[0], stream.index, start_s)
        return TrackEncoder(self._writer, planned.stream, source.sample_rate, source.layout.name, source.format.name)

    def write(self, tell: Tell) -> SentFacts:
        """Write all packets in the order of their times."""
        length = self._material.length_s
        ways = [self._pictures(), *(self._sounds(number) for number in range(len(self._tracks)))]
        for at_s, place, packet in heapq.merge(*(_placed(way, place) for place, way in enumerate(ways))):
            self._sums[place].add(bytes(packet))
            if place == 0 and packet.is_keyframe:
                tell(min(1.0, max(0.0, float(at_s / length))))
            self._writer.mux(packet)
        return sums_of(self._sums)

    def _pictures(self) -> Iterator[Any]:
        """Return the picture's packets, in the order of decoding, with their new stamps."""
        unit, stamps = self._unit, self._times
        ordered = np.sort(stamps)
        # as many pictures as are ever shown behind one that is decoded after them: so much earlier decoding begins
        late = max(0, int((np.arange(len(stamps)) - np.searchsorted(ordered, stamps)).max(initial=0)))
        step = max(1, round(1 / self._rate / unit))
        count = 0
        for data, is_key in self._carried():
            if count == len(stamps):
                raise MediaError(self._paths[0], "has other frames than when it was looked at")
            packet = av.Packet(data)
            packet.stream, packet.time_base, packet.is_keyframe = self._picture, unit, is_key
            packet.pts, packet.duration = int(stamps[count]), step
            packet.dts = int(ordered[count - late]) if count >= late else int(ordered[0]) - (late - count) * step
            count += 1
            yield packet
        if count != len(stamps):
            raise MediaError(self._paths[0], f"gave {count} of {len(stamps)} frames: some of it can't be decoded")

    def _stamps(self) -> tuple[Fraction, IntArray]:
        """Return when each packet is shown, in the order of decoding, and the unit of that: ticks where every picture
        lies on one, else the unit of the first file."""
        is_fixed = all(index.is_fixed for index in self._indices)
        unit = 1 / self._rate if is_fixed else self._indices[0].time_base
        found = []
        for one in self._plan.stretches:
            index = self._indices[one.place]
            shift = one.made - one.kept.first
            if is_fixed:
                times = index.ticks + shift
            else:
                step = index.time_base / unit
                moved = round(shift / self._rate / unit)
                times = (index.stamps - index.start) * step.numerator // step.denominator + moved
            found += [times[places] for places in _places(index, one)]
        return unit, np.concatenate(found)

    def _carried(self) -> Iterator[tuple[bytes, bool]]:
        """Return what the picture's packets carry, and whether each is a keyframe."""
        before: bytes | None = self._material.stream(0).codec_context.extradata or b""
        for one in self._plan.stretches:
            stream, index = self._material.stream(one.place), self._indices[one.place]
            tags = self._plan.finish.picture
            joiner, reader = Joiner(stream, tags), self._material.picture(one.place)
            tagger = Tagger(stream, tags) if tags.is_tagged else None
            if one.pieces.head is not None:
                yield from joiner.encoded(reader.frames(one.pieces.head), self._rate)
                before = None
            start, stop = one.pieces.copied
            if stop > start:
                own = stream.codec_context.extradata or b""
                for number, data, is_key in _copied(reader, index, one):
                    dressed = joiner.first(data) if number == 0 and before != own else data
                    yield (dressed if tagger is None else tagger.tagged(dressed)), is_key
                before = own
            if one.pieces.tail is not None:
                yield from joiner.encoded(reader.frames(one.pieces.tail), self._rate)
                before = None

    def _sounds(self, number: int) -> Iterator[Any]:
        """Return the packets of a track."""
        planned, track = self._tracks[number]
        return track.packets() if isinstance(track, _CopiedTrack) else track.packets(self._material.samples(planned))

    def _chapters(self) -> Iterator[dict[str, Any]]:
        """Return the chapters of the files that lie in what is kept, where they lie now."""
        for one in self._plan.stretches:
            index = self._indices[one.place]
            for chapter in self._material.readers[one.place].chapters():
                at_s = chapter["start"] * chapter["time_base"] - index.start * index.time_base
                tick = round(at_s * self._rate)
                if one.kept.first <= tick < one.kept.end:
                    made_s = Fraction(one.made + tick - one.kept.first) / self._rate
                    end_s = Fraction(one.made + one.kept.length) / self._rate
                    own_s = made_s + (chapter["end"] - chapter["start"]) * chapter["time_base"]
                    yield {
                        "id": chapter["id"],
                        "start": round(made_s * 1000),
                        "end": round(min(own_s, end_s) * 1000),
                        "time_base": Fraction(1, 1000),
                        "metadata": chapter["metadata"],
                    }


class _CopiedTrack:
    """A sound track whose packets go through, from where the picture begins on."""

    def __init__(self, stream: Any, path: Path, index: int, start_s: Fraction) -> None:
        self.stream, self._path, self._index, self._start_s = stream, path, index, start_s

    def packets(self) -> Iterator[Any]:
        with opened(self._path) as reader:
            source = reader.streams[self._index]
            step = round(self._start_s / source.time_base)
            for packet in reader.demux(source):
                if packet.size and packet.pts is not None:
                    packet.pts, packet.dts = (
                        packet.pts - step,
                        (packet.pts if packet.dts is None else packet.dts) - step,
                    )
                    packet.stream = self.stream
                    yield packet


def _placed(packets: Iterator[Any], place: int) -> Iterator[tuple[Fraction, int, Any]]:
    for packet in packets:
        yield packet.dts * packet.time_base, place, packet


def _places(index: PacketIndex, one: Stretch) -> Iterator[IntArray]:
    """Return where the packets of a stretch lie in an index, in the order in which they are written."""
    pieces = one.pieces
    start, stop = pieces.copied
    yield _shown(index, pieces.head)
    yield start + np.flatnonzero(index.ticks[start:stop] >= pieces.begin)
    yield _shown(index, pieces.tail)


def _shown(index: PacketIndex, piece: TickRange | None) -> IntArray:
    """Return where the pictures of a piece lie, in the order in which they are shown."""
    if piece is None:
        return np.zeros(0, dtype=np.int64)
    inside = np.flatnonzero((index.ticks >= piece.first) & (index.ticks < piece.end))
    return inside[np.argsort(index.stamps[inside], kind="stable")]


def _copied(reader: PictureReader, index: PacketIndex, one: Stretch) -> Iterator[tuple[int, bytes, bool]]:
    """Return the packets of a stretch that go through, counted from 0."""
    start, stop = one.pieces.copied
    number = 0
    for place, (tick, packet) in enumerate(reader.packets(one.pieces.begin), start=start):
        if place == stop:
            return
        if tick >= one.pieces.begin:
            yield number, bytes(packet), packet.is_keyframe
            number += 1
