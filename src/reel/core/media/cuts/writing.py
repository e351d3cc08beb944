"""Cutting: what is kept of a take's files as one file, its packets untouched but for a few frames at its edges."""

import heapq
from collections.abc import Callable, Iterator, Sequence
from contextlib import ExitStack
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.stream import Disposition

from reel.core.file import CONTAINERS
from reel.core.finish import Fate, FinishPlan, PacketIndex, Source, StreamPlan, Stretch, TickRange
from reel.core.finish.packets import IntArray
from reel.core.media.cuts.joints import Joiner
from reel.core.media.cuts.reading import PictureReader, opened, read_samples
from reel.core.media.cuts.sound import Heard, TrackEncoder, gain_to, stretched, treated
from reel.core.media.digest import SentFacts, StreamSum, sums_of
from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.rewrap import add_like, options_of, tags_of

Tell = Callable[[float], None]


def cut(paths: Sequence[Path], sources: Sequence[Source], target: Path, plan: FinishPlan, tell: Tell) -> SentFacts:
    """Write what a plan keeps of files into one; returns what was written of each of its streams.

    `tell` is told the part that is done (0 to 1), and may raise to call the work off. Raises MediaError.
    """
    muxer = CONTAINERS[plan.finish.container].muxer
    try:
        with ExitStack() as stack:
            readers = [stack.enter_context(opened(path)) for path in paths]
            options = dict(options_of(muxer))
            writer = stack.enter_context(av.open(str(target), "w", format=muxer, options=options))
            return _Cut(paths, sources, plan, readers, writer, muxer, stack).write(tell)
    except BROKEN as error:
        raise MediaError(target, f"could not be written ({reason_of(error)})") from error


class _Cut:
    """One cut that is being written: its streams, each with where its packets come from."""

    def __init__(
        self, paths: Sequence[Path], sources: Sequence[Source], plan: FinishPlan, readers: Sequence[Any], writer: Any,
        muxer: str, stack: ExitStack,
    ) -> None:  # fmt: skip
        self._paths, self._plan, self._stack, self._writer = paths, plan, stack, writer
        self._indices: list[PacketIndex] = [source.packets for source in sources if source.packets is not None]
        self._sources, self._readers = sources, readers
        kept = [one for one in plan.streams if one.fate is not Fate.LEFT_OUT]
        picture = readers[0].streams[kept[0].stream.index]
        self._picture = add_like(writer, picture, muxer)
        self._unit, self._times = self._stamps()
        self._picture.time_base = Fraction(1, self._unit.denominator)  # MP4 and MOV count in it
        self._tracks = [(one, self._track(one, readers[0].streams[one.stream.index], muxer)) for one in kept[1:]]
        for planned, track in self._tracks:
            track.stream.metadata["title"] = planned.title
            if isinstance(track, TrackEncoder):
                track.stream.codec_context.open()
        for stream in (self._picture, *(track.stream for _, track in self._tracks[:1])):
            stream.disposition = Disposition.default
        writer.metadata.update(tags_of(readers[0].metadata))
        if chapters := list(self._chapters()):
            writer.set_chapters(chapters)
        self._sums = [
            StreamSum(stream.codec_context.codec.canonical_name, stream.codec_context.extradata or b"")
            for stream in (self._picture, *(track.stream for _, track in self._tracks))
        ]

    def _track(self, planned: StreamPlan, stream: Any, muxer: str) -> "TrackEncoder | _CopiedTrack":
        if planned.fate is Fate.UNTOUCHED:
            start_s = self._indices[0].start * self._indices[0].time_base
            return _CopiedTrack(add_like(self._writer, stream, muxer), self._paths[0], stream.index, start_s)
        return TrackEncoder(self._writer, planned.stream, stream)

    @property
    def _rate(self) -> Fraction:
        return self._indices[0].rate

    def write(self, tell: Tell) -> SentFacts:
        """Write all packets in the order of their times."""
        length = sum(one.kept.length for one in self._plan.stretches) / self._rate
        ways = [self._pictures(), *(self._sounds(number) for number in range(len(self._tracks)))]
        for at_s, place, packet in heapq.merge(*(_placed(way, place) for place, way in enumerate(ways))):
            if packet.size:  # FLAC's last one carries its header only
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
        before: bytes | None = self._stream(0).codec_context.extradata or b""
        for one in self._plan.stretches:
            stream, index = self._stream(one.place), self._indices[one.place]
            joiner = Joiner(stream)
            reader = PictureReader(self._paths[one.place], self._readers[one.place], stream, index)
            if one.pieces.head is not None:
                yield from joiner.encoded(reader.frames(one.pieces.head), self._rate)
                before = None
            start, stop = one.pieces.copied
            if stop > start:
                own = stream.codec_context.extradata or b""
                for number, data, is_key in _copied(reader, index, one):
                    yield (joiner.first(data) if number == 0 and before != own else data), is_key
                before = own
            if one.pieces.tail is not None:
                yield from joiner.encoded(reader.frames(one.pieces.tail), self._rate)
                before = None

    def _stream(self, place: int) -> Any:
        return self._readers[place].streams[self._sources[place].pictures[0].index]

    def _sounds(self, number: int) -> Iterator[Any]:
        """Return the packets of a track."""
        planned, track = self._tracks[number]
        if isinstance(track, _CopiedTrack):
            return track.packets()
        order, change = self._sources[0].sounds.index(planned.stream), planned.change
        if change is None or not change.is_treated:
            return track.packets(self._heard(order, 0))
        slide = change.slide(track.form.rate_hz)
        gain_db = gain_to(self._heard(order, slide), change, track.form) if change.loudness_lufs is not None else 0.0
        return track.packets(treated(self._heard(order, slide), change, track.form, gain_db))

    def _heard(self, order: int, slide: int) -> Iterator[Any]:
        """Return the samples of all stretches of a track, by its place among the sounds of each file, so much later."""
        for place, path in enumerate(self._paths):
            mine = [one for one in self._plan.stretches if one.place == place]
            if not mine:
                continue
            with opened(path) as reader:
                stream, index = reader.streams[self._sources[place].sounds[order].index], self._indices[place]
                rate_hz = stream.codec_context.sample_rate
                heard = [self._samples_of(one, rate_hz, slide) for one in mine]
                end_s = Fraction(heard[-1].end, rate_hz)
                blocks = read_samples(reader, stream, index.start * index.time_base, end_s)
                yield from stretched(blocks, heard, rate_hz, stream.codec_context.channels)

    def _samples_of(self, one: Stretch, rate_hz: int, slide: int) -> Heard:
        """Return the samples of a stretch: as many as lie between where it begins and ends in what is made."""
        first = round(one.kept.first / self._rate * rate_hz) - slide
        made, end = (round(tick / self._rate * rate_hz) for tick in (one.made, one.made + one.kept.length))
        return Heard(
            place=one.place, first=first, end=first + end - made, fades_in=one.is_cut_in, fades_out=one.is_cut_out
        )

    def _chapters(self) -> Iterator[dict[str, Any]]:
        """Return the chapters of the files that lie in what is kept, where they lie now."""
        for one in self._plan.stretches:
            index = self._indices[one.place]
            for chapter in self._readers[one.place].chapters():
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
