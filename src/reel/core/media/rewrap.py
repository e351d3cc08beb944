"""Rewrapping: the same encoded picture and sound in another container, or in a whole one."""

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import ExitStack
from fractions import Fraction
from pathlib import Path
from typing import Any

import av

from reel.core.file import CONTAINERS
from reel.core.media.boxes import address_of
from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.streams import open_to_read

# A file's name has at most so many bytes, on every file system of ours.
MAX_NAME = 255
# What the name of a repaired file has beyond the original's.
RESCUED = "_rescued"
# What a file is repaired into whose own container Reel does not write.
_OTHERS = "mkv"
# What a container writes of itself, and not of what it holds.
_OWN_TAGS = {"major_brand", "minor_version", "compatible_brands", "encoder", "handler_name", "vendor_id", "duration"}
# What a codec is called there, "" for as it was: HEVC whose parameter sets stand in the header only, which more players
# open; the profile of ProRes, which is nowhere else.
_CALLED = {"hevc": "hvc1", "prores": ""}
# Matroska and WebM hold the encoder's delay apart: sound that begins by that before 0 is no reason to shift all.
_AS_IT_BEGINS = {"avoid_negative_ts": "disabled"}
# The muxers whose files have an index, which may stand in front.
INDEXED, _IN_FRONT = ("mp4", "mov"), {"movflags": "+faststart"}
# ISO/IEC 14496-12, 8.6 and 8.7: what the index has of a packet at most (its times, size, chunk and whether it is a
# keyframe), and of a whole file; packets are counted by the rate where the file does not say how many there are.
_INDEX_BYTES_A_PACKET, _INDEX_BYTES, _MARGIN = 48, 16_384, 1.1
# What a file is written with: libavformat's options, for what is read, its streams and the muxer.
Options = Callable[[Any, Sequence[Any], str], Mapping[str, str]]
_MUXERS = {facts.suffix: facts.muxer for facts in CONTAINERS.values()}


def rewrap_to_mp4(source: Path, target: Path, progress: Callable[[float], None]) -> None:
    """Copy every packet of `source` into a new MP4 whose index stands in front, ready to be played over HTTP.

    `progress` is told the part that is done (0 to 1); it may raise to call the work off. Raises MediaError.
    """
    try:
        _copy(source, target, "mp4", progress, to_its_end=True)
    except BROKEN as error:
        raise MediaError(source, f"can't be rewrapped ({reason_of(error)})") from error


def copy_packets(
    source: Path,
    target: Path,
    progress: Callable[[float], None],
    *,
    chapters: Sequence[tuple[Fraction, Fraction, str]] = (),
) -> None:
    """Copy every packet of a file into a new one of the target's container, with chapters; raises what av raises."""
    _copy(source, target, _MUXERS[target.suffix.lstrip(".").lower()], progress, to_its_end=True, chapters=chapters)


def rescued_path(source: Path) -> Path:
    """Return where a file is repaired to: beside it."""
    suffix = source.suffix.lstrip(".").lower()
    ending = f"{RESCUED}.{suffix if suffix in _MUXERS else _OTHERS}"
    stem = source.stem.encode()[: MAX_NAME - len(ending)].decode(errors="ignore")
    return source.with_name(stem + ending)


def rescue(
    source: Path, target: Path, progress: Callable[[float], None] = lambda part: None, *, titles: Sequence[str] = ()
) -> None:
    """Copy every packet of `source` that can be read into a new, whole file; the source stays as it is.

    What follows the first thing that can't be read is left out. `titles` are the names of its sound tracks, which an
    MP4 gets only when it is closed. Raises MediaError, and leaves no file, when nothing can
    be: a plain MP4 that was not closed has no index.
    """
    try:
        muxer = _MUXERS[target.suffix.lstrip(".")]
        if not _copy(source, target, muxer, progress, to_its_end=False, titles=titles):
            raise MediaError(source, "holds nothing that can be read")
    except BROKEN as error:
        target.unlink(missing_ok=True)
        raise MediaError(source, f"can't be repaired ({reason_of(error)})") from error
    except BaseException:
        target.unlink(missing_ok=True)
        raise


def rewrap(source: Path, target: Path, kept: Sequence[int], progress: Callable[[float], None]) -> None:
    """Copy the packets of the `kept` streams of `source`, by their index, into a new file of the target's container.

    Names, tags, chapters, colour and the shape of pixels go with them; MP4 and MOV have their index in front. What
    begins later than 0 in MPEG-TS begins at 0, all streams by the same step. `progress` is told the part that is done
    (0 to 1); it may raise to call the work off. Raises MediaError.
    """
    muxer = _MUXERS[target.suffix.lstrip(".").lower()]

    def copy(options: Options) -> None:
        _copy(source, target, muxer, progress, to_its_end=True, kept=kept, options=options)

    try:
        try:
            copy(_in_one_pass)
        except av.error.ArgumentError:  # also where the index needs more room than was reserved
            if muxer not in INDEXED:
                raise
            copy(_usual)
    except BROKEN as error:
        raise MediaError(source, f"can't be rewrapped ({reason_of(error)})") from error


def _usual(reader: Any, streams: Sequence[Any], muxer: str) -> Mapping[str, str]:
    """Return how a file is written: an MP4 has its index moved to the front once it is whole."""
    return _IN_FRONT if muxer in INDEXED else {}


def options_of(muxer: str) -> Mapping[str, str]:
    """Return how a new file is written: the index in front, sound that begins before 0 as it does."""
    return _AS_IT_BEGINS if muxer in ("matroska", "webm") else _IN_FRONT if muxer in INDEXED else {}


def _in_one_pass(reader: Any, streams: Sequence[Any], muxer: str) -> Mapping[str, str]:
    """Return how a file is written in one pass: room for the index is reserved, and each stream begins as it does."""
    if muxer in ("matroska", "webm") and reader.format.name != "mpegts":
        return _AS_IT_BEGINS
    reserved = _index_bytes(reader, streams) if muxer in INDEXED else 0
    return {"moov_size": str(reserved)} if reserved else _usual(reader, streams, muxer)


def _index_bytes(reader: Any, streams: Sequence[Any]) -> int:
    """Return the room that the index of an MP4 of some streams needs at most; 0 where that can't be told."""
    count, length_s = 0, (reader.duration or 0) / av.time_base
    for stream in streams:
        if stream.type == "video":
            estimated = length_s * float(stream.average_rate or 0)
        else:
            estimated = length_s * (stream.rate or 0) / max(1, stream.codec_context.frame_size or 1024)
        if not (stream.frames or estimated):
            return 0
        count += max(stream.frames, math.ceil(estimated * _MARGIN))
    return count * _INDEX_BYTES_A_PACKET + _INDEX_BYTES


def _copy(
    source: Path,
    target: Path,
    muxer: str,
    progress: Callable[[float], None],
    *,
    to_its_end: bool,
    titles: Sequence[str] = (),
    chapters: Sequence[tuple[Fraction, Fraction, str]] = (),
    kept: Sequence[int] | None = None,
    options: Options = _usual,
) -> int:
    """Copy packets; returns how many. Where reading fails before the end that is an error only `to_its_end`."""
    count = 0
    with ExitStack() as opened:
        reader = opened.enter_context(open_to_read(source if to_its_end else address_of(source)))
        every = [stream for stream in reader.streams if stream.type in ("video", "audio")]
        read: list[Any] = every if kept is None else [reader.streams[index] for index in kept]
        told = dict(options(reader, read, muxer))
        writer = opened.enter_context(av.open(str(target), "w", format=muxer, options=told))
        streams = {stream.index: add_like(writer, stream, muxer) for stream in read}
        writer.metadata.update(tags_of(reader.metadata))
        sounds = [streams[stream.index] for stream in read if stream.type == "audio"]
        for track, title in zip(sounds, titles, strict=False):
            track.metadata["title"] = title
        writer.set_chapters([_chapter(number, *one) for number, one in enumerate(chapters)] or reader.chapters())
        length, begin_s = (reader.duration or 0) / av.time_base, _begin_s(reader, read)
        for packet in _packets(reader, to_its_end=to_its_end):
            if packet.size == 0 or packet.stream_index not in streams:
                continue
            if length and packet.pts is not None and packet.is_keyframe and packet.stream.type == "video":
                progress(min(1.0, max(0.0, float(packet.pts * packet.time_base - begin_s)) / length))
            if begin_s and packet.pts is not None and packet.dts is not None:
                step = round(begin_s / packet.time_base)
                packet.pts, packet.dts = packet.pts - step, packet.dts - step
            packet.stream = streams[packet.stream_index]
            writer.mux(packet)
            count += 1
    return count


def add_like(writer: Any, stream: Any, muxer: str) -> Any:
    """Add a stream like one that is read, with its name, its tags, and what its codec is called in MP4 and MOV."""
    added = writer.add_stream_from_template(stream, opaque=True)
    tags = tags_of(stream.metadata)
    if title := tags.get("title") or tags.pop("name", ""):  # MP4 calls it so
        tags["title"] = title
    added.metadata.update(tags)
    codec = stream.codec_context.codec.canonical_name
    if muxer in INDEXED and codec in _CALLED:
        added.codec_context.codec_tag = _CALLED[codec] or stream.codec_context.codec_tag
    return added


def tags_of(metadata: Mapping[str, str]) -> dict[str, str]:
    """Return what a file or a stream is tagged with, without what its container says of itself."""
    return {key: value for key, value in metadata.items() if key.lower() not in _OWN_TAGS}


def _begin_s(reader: Any, streams: Sequence[Any]) -> Fraction:
    """Return the second at which the picture of MPEG-TS begins, or its sound where there is none: it counts on from
    anywhere. Other containers begin at 0."""
    if reader.format.name != "mpegts":
        return Fraction(0)
    known = [stream for stream in streams if stream.start_time is not None]
    pictures = [stream for stream in known if stream.type == "video"] or known
    return min((stream.start_time * stream.time_base for stream in pictures), default=Fraction(0))


def _chapter(number: int, begin_s: Fraction, end_s: Fraction, title: str) -> Any:
    return {
        "id": number,
        "start": round(begin_s * 1000),
        "end": round(end_s * 1000),
        "time_base": Fraction(1, 1000),
        "metadata": {"title": title},
    }


def _packets(reader: Any, *, to_its_end: bool) -> Iterator[Any]:
    try:
        for packet in reader.demux():
            if not to_its_end and packet.is_corrupt:
                continue
            yield packet
    except BROKEN:
        if to_its_end:
            raise


def claimed_length(path: Path) -> Fraction | None:
    """Return how many seconds long a file says that it is; None where it does not. Raises MediaError.

    One that was not closed may say less than was recorded.
    """
    try:
        with open_to_read(address_of(path)) as container:
            return Fraction(container.duration, av.time_base) if container.duration else None
    except BROKEN as error:
        raise MediaError(path, f"can't be read as a media file ({reason_of(error)})") from error
