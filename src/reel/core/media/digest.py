"""What the packets of a file carry, summed up: whether they are still those that were written."""

import hashlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import zip_longest
from pathlib import Path
from typing import Any

from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.streams import open_to_read, pictures_of, sounds_of

# ITU-T H.264, table 7-1, and H.265, table 7-1: parameter sets and delimiters, which containers hold apart or repeat.
_APART = {"h264": {7, 8, 9}, "hevc": {32, 33, 34, 35}}
# H.265, tables 7-1 and D.1: a text of the encoder about itself, which some containers keep with the parameter sets.
_SEI, _UNREGISTERED = 39, b"\x05"
_ADTS = 0xFFF0
# AV1 bitstream specification, 6.2.2: a temporal delimiter, which containers leave out.
_TEMPORAL_DELIMITER = 2


@dataclass(frozen=True, slots=True, kw_only=True)
class SentFacts:
    """What was written of each stream, or lies in a file: packets, and the SHA-256 of what they carry, in hex.

    That is the pictures and the samples: start codes, parameter sets and headers are each container's own.
    `begins_with_key` says that the first packet of the picture needs none before it, `begins_anew` that the sender's
    stamps jumped just before, and `left_out` how many of its pictures came before a keyframe and can't be kept.
    """

    packets: tuple[int, ...] = ()
    digests: tuple[str, ...] = ()
    begins_with_key: bool = True
    begins_anew: bool = False
    left_out: int = 0


class StreamSum:
    """Counts the packets of a stream and sums up what they carry."""

    def __init__(self, codec: str, extradata: bytes) -> None:
        self._codec, self._extradata = codec, extradata
        self._digest, self.count = hashlib.sha256(), 0

    def add(self, data: bytes) -> None:
        if not data:  # FLAC's last packet carries its header only
            return
        self.count += 1
        for part in _carried(self._codec, self._extradata, data):
            self._digest.update(part)

    @property
    def hex(self) -> str:
        """The SHA-256 of all that it was given."""
        return self._digest.hexdigest()


def sum_of(stream: Any) -> StreamSum:
    """Return what sums up the packets of a stream of a file."""
    return StreamSum(stream.codec_context.codec.canonical_name, stream.codec_context.extradata or b"")


def sums_of(sums: Sequence[StreamSum]) -> SentFacts:
    """Return the facts of streams, in their order."""
    return SentFacts(packets=tuple(one.count for one in sums), digests=tuple(one.hex for one in sums))


def read_sent(path: Path, indices: Sequence[int] | None = None) -> SentFacts:
    """Say what the packets of a file carry, stream by stream; raises MediaError.

    `indices` are the streams that are looked at: its first picture and its sounds by default.
    """
    try:
        with open_to_read(path) as container:
            every = [*pictures_of(container)[:1], *sounds_of(container)]
            streams = every if indices is None else [container.streams[index] for index in indices]
            sums = {stream.index: sum_of(stream) for stream in streams}
            begins = None
            for packet in container.demux(streams):
                if packet.size:
                    if begins is None and packet.stream.type == "video":
                        begins = packet.is_keyframe
                    sums[packet.stream_index].add(bytes(packet))
            return replace(sums_of(list(sums.values())), begins_with_key=bool(begins))
    except BROKEN as error:
        raise MediaError(path, f"can't be read as a media file ({reason_of(error)})") from error


def carry_alike(path: Path, indices: Sequence[int], other: Path) -> bool:
    """Return whether some streams of a file carry what all of another file do, in their order; raises MediaError.

    Both are read beside each other, stream by stream: that takes less than summing either up.
    """
    for place, index in enumerate(indices):
        parts = zip_longest(_parts_of(path, index), _parts_of(other, place))
        if any(one != there for one, there in parts):
            return False
    return True


def _parts_of(path: Path, index: int) -> Iterator[bytes]:
    """Return what the packets of a stream carry."""
    try:
        with open_to_read(path) as container:
            stream: Any = container.streams[index]
            codec, extradata = stream.codec_context.codec.canonical_name, stream.codec_context.extradata or b""
            for packet in container.demux(stream):
                if packet.size:
                    yield from _carried(codec, extradata, bytes(packet))
    except BROKEN as error:
        raise MediaError(path, f"can't be read as a media file ({reason_of(error)})") from error


def _carried(codec: str, extradata: bytes, data: bytes) -> Iterator[bytes]:
    """Return what a packet carries, without what containers write in ways of their own."""
    if codec in _APART:
        for unit in units_of(codec, extradata, data):
            kind = unit[0] & 0x1F if codec == "h264" else (unit[0] >> 1) & 0x3F
            if kind not in _APART[codec] and not (codec == "hevc" and kind == _SEI and unit[2:3] == _UNREGISTERED):
                yield len(unit).to_bytes(4, "big")
                yield unit
    elif codec == "aac" and len(data) > 7 and (int.from_bytes(data[:2], "big") & 0xFFF6) == _ADTS:
        yield data[7 if data[1] & 1 else 9 :]  # ISO/IEC 13818-7, 6.2: a header, with a checksum where it says so
    elif codec == "av1":
        yield from (unit for kind, unit in _open_units(data) if kind != _TEMPORAL_DELIMITER)
    else:
        yield data


def units_of(codec: str, extradata: bytes, data: bytes) -> Iterator[bytes]:
    """The units of a packet of H.264 or HEVC: behind their lengths (ISO/IEC 14496-15), or between start codes."""
    if extradata[:1] == b"\x01":
        size = (extradata[4 if codec == "h264" else 21] & 3) + 1
        at = 0
        while at + size <= len(data):
            length = int.from_bytes(data[at : at + size], "big")
            if unit := data[at + size : at + size + length].rstrip(b"\x00"):
                yield unit
            at += size + length
        return
    for part in data.replace(b"\x00\x00\x00\x01", b"\x00\x00\x01").split(b"\x00\x00\x01"):
        if unit := part.rstrip(b"\x00"):
            yield unit


def _open_units(data: bytes) -> Iterator[tuple[int, bytes]]:
    """Return the open bitstream units of an AV1 packet with their kinds (AV1 bitstream specification, 5.3)."""
    at = 0
    while at < len(data):
        kind, has_extension, has_size = data[at] >> 3 & 15, data[at] >> 2 & 1, data[at] >> 1 & 1
        head = at + 1 + has_extension
        size, shift = 0, 0
        while has_size and head < len(data):
            byte = data[head]
            size, shift, head = size | (byte & 127) << shift, shift + 7, head + 1
            if not byte & 128:
                break
        end = head + size if has_size else len(data)
        yield kind, data[head:end]
        at = end
