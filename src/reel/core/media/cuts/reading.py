"""Reading what is to be cut: the packets of its picture, frames and samples from one instant to another."""

import errno
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
import numpy.typing as npt

from reel.core.finish import PacketIndex, TickRange
from reel.core.media.digest import units_of
from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.probe import HOLE_S
from reel.core.media.rate import measure_rate
from reel.core.media.samples import rows
from reel.core.media.streams import open_to_read

# ITU-T H.264, table 7-1, and H.265, table 7-1: a picture from which decoding may begin, whatever comes behind it. From
# other keyframes on some of what is shown may need pictures before them.
_CLEAN = {"h264": {5}, "hevc": {16, 17, 18, 19, 20}}
# Sound behind what is wanted is read no further than this: containers interleave it within a second or so.
_BEHIND_S = 5

SampleArray = npt.NDArray[Any]


@contextmanager
def opened(path: Path) -> Iterator[Any]:
    """Open a file to be read; what libav raises while it is becomes a MediaError, but for what has one already and for
    a drive that is full, which says something of what is written meanwhile."""
    try:
        with open_to_read(path) as reader:
            yield reader
    except MediaError:
        raise
    except BROKEN as error:
        if getattr(error, "errno", None) == errno.ENOSPC:
            raise
        raise MediaError(path, f"can't be read to be cut ({reason_of(error)})") from error


def is_shown(packet: Any) -> bool:
    """Return whether players show a packet of the picture: it has a time, and no edit list leaves it out."""
    return bool(packet.size) and packet.pts is not None and not packet.is_discard


def read_packets(reader: Any, stream: Any) -> tuple[PacketIndex | None, dict[int, int]]:
    """Read all packets of an open file: those of its picture `stream`, by the ticks that its stamps follow or come
    nearest to, None where there is no picture; and how many bytes each stream has."""
    stamps, keys, sizes, held = list[int](), list[bool](), list[int](), dict[int, int]()
    codec, extradata = stream.codec_context.codec.canonical_name, stream.codec_context.extradata or b""
    for packet in reader.demux():
        held[packet.stream_index] = held.get(packet.stream_index, 0) + packet.size
        if packet.stream_index == stream.index and is_shown(packet):
            stamps.append(packet.pts)
            keys.append(packet.is_keyframe and _is_clean(codec, extradata, packet))
            sizes.append(packet.size)
    if not stamps:
        return None, held
    shown = np.array(stamps, dtype=np.int64)
    declared = [Fraction(one) for one in (stream.base_rate, stream.average_rate) if one]
    measured = measure_rate(np.sort(shown), stream.time_base, declared)
    index = PacketIndex(
        stamps=shown,
        keys=np.array(keys, dtype=np.bool_),
        sizes=np.array(sizes, dtype=np.int64),
        time_base=stream.time_base,
        rate=measured.even if measured else Fraction(30),
    )
    return index, held


def _is_clean(codec: str, extradata: bytes, packet: Any) -> bool:
    if codec not in _CLEAN:
        return True
    kinds = {
        unit[0] & 31 if codec == "h264" else unit[0] >> 1 & 63 for unit in units_of(codec, extradata, bytes(packet))
    }
    return bool(kinds & _CLEAN[codec])


class PictureReader:
    """Reads packets and frames of a file's picture from given ticks on."""

    def __init__(self, path: Path, reader: Any, stream: Any, index: PacketIndex) -> None:
        self._path, self._reader, self._stream, self._index = path, reader, stream, index

    def packets(self, first: int) -> Iterator[tuple[int, Any]]:
        """Return packets with their ticks, in the order of decoding, from the last keyframe on that is not behind
        `first`; raises MediaError where there is none."""
        keys = self._index.key_ticks
        before = keys[keys <= first]
        if not len(before):
            raise MediaError(
                self._path, "begins with frames that can't be decoded; keep what follows its first keyframe"
            )
        key = int(before[-1])
        stamp = int(self._index.stamps[(self._index.ticks == key) & self._index.keys][0])
        for rewound in (False, True):
            self._reader.seek(0 if rewound else stamp, stream=self._stream)
            shown = (packet for packet in self._reader.demux(self._stream) if is_shown(packet))
            packet = next(shown, None)
            if packet is None or (self._tick(packet.pts) > key and not rewound):
                continue  # a container without an index seeks where it can
            while packet is not None and not (packet.is_keyframe and packet.pts == stamp):
                packet = next(shown, None)
            if packet is not None:
                yield key, packet
                yield from ((self._tick(one.pts), one) for one in shown)
                return
        raise MediaError(self._path, "changed while it was read")

    def frames(self, kept: TickRange) -> Iterator[av.VideoFrame]:
        """Return the frames of a range, in the order in which they are shown."""
        return (frame for _, frame in self.placed_frames(kept))

    def placed_frames(self, kept: TickRange) -> Iterator[tuple[int, av.VideoFrame]]:
        """Return the frames of a range with their ticks, in the order in which they are shown."""
        there = self._stream.codec_context
        context = av.CodecContext.create(there.codec.name, "r")
        assert isinstance(context, av.VideoCodecContext)
        context.extradata, context.codec_tag = there.extradata, there.codec_tag
        context.width, context.height = there.width, there.height  # not every codec's packets say them
        context.thread_type = "AUTO"
        beyond = 0
        for tick, packet in self.packets(kept.first):
            try:
                frames = context.decode(packet)
            except BROKEN as error:
                raise MediaError(self._path, f"can't be decoded at its frame {tick} ({reason_of(error)})") from error
            yield from self._within(frames, kept)
            beyond = beyond + 1 if tick >= kept.end else 0
            if beyond > _REORDERED:
                break
        yield from self._within(context.decode(None), kept)

    def _within(self, frames: Sequence[av.VideoFrame], kept: TickRange) -> Iterator[tuple[int, av.VideoFrame]]:
        for frame in frames:
            if frame.pts is not None and kept.first <= (tick := self._tick(frame.pts)) < kept.end:
                yield tick, frame

    def _tick(self, stamp: int) -> int:
        return int(self._index.ticks_of(np.array([stamp], dtype=np.int64))[0])


# So many packets behind a range are decoded: what is shown before them may come behind them (ITU-T H.264, A.3.1: 16).
_REORDERED = 17


def read_samples(reader: Any, stream: Any, start_s: Fraction, end_s: Fraction) -> Iterator[SampleArray]:
    """Decode a sound track, its first sample at the second `start_s`, until `end_s`: blocks (channels, samples) of its
    own kind of number that follow each other. What its stamps leave out is silence, what they repeat is left out, what
    can't be decoded is silence too."""
    context, position = stream.codec_context, 0
    for packet in reader.demux(stream):
        for frame in _decoded(packet):
            data = rows(frame)
            at_s = frame.pts * frame.time_base - start_s if frame.pts is not None else None
            if at_s is not None and abs(at_s - Fraction(position, frame.sample_rate)) > HOLE_S:
                step = round(min(at_s, end_s + _BEHIND_S) * frame.sample_rate) - position
                if step > 0:
                    yield silence(data, step)
                    position += step
                else:
                    data = data[:, min(-step, data.shape[1]) :]
            elif not position and at_s:  # it begins by less than a hole before or behind the picture
                lead = round(at_s * frame.sample_rate)
                data = np.concatenate((silence(data, lead), data), axis=1) if lead > 0 else data[:, -lead:]
            position += data.shape[1]
            if data.shape[1]:
                yield data
        if context.sample_rate and position > (end_s + _BEHIND_S) * context.sample_rate:
            return


def _decoded(packet: Any) -> list[Any]:
    """Decode a packet of sound; one that can't be has nothing, which its stamps leave out."""
    try:
        return list(packet.decode())
    except BROKEN:
        return []


def silence(like: SampleArray, count: int) -> SampleArray:
    """Return so many samples without sound, of the same channels and kind of number."""
    return np.full((like.shape[0], count), 128 if like.dtype == np.uint8 else 0, dtype=like.dtype)
