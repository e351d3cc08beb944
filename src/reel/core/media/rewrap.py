"""Rewrapping: the same encoded picture and sound in another container, or in a whole one."""

from collections.abc import Callable, Iterator, Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

import av

from reel.core.file import CONTAINERS
from reel.core.media.errors import BROKEN, MediaError, reason_of

# A file's name has at most so many bytes, on every file system of ours.
MAX_NAME = 255
# What the name of a repaired file has beyond the original's.
RESCUED = "_rescued"
# What a file is repaired into whose own container Reel does not write.
_OTHERS = "mkv"
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


def _copy(
    source: Path,
    target: Path,
    muxer: str,
    progress: Callable[[float], None],
    *,
    to_its_end: bool,
    titles: Sequence[str] = (),
    chapters: Sequence[tuple[Fraction, Fraction, str]] = (),
) -> int:
    """Copy packets; returns how many. Where reading fails before the end that is an error only `to_its_end`."""
    options = {"movflags": "+faststart"} if muxer in ("mp4", "mov") else {}
    count = 0
    with av.open(str(source)) as reader, av.open(str(target), "w", format=muxer, options=options) as writer:
        kept = [stream for stream in reader.streams if stream.type in ("video", "audio")]
        streams = {stream.index: writer.add_stream_from_template(stream, opaque=True) for stream in kept}
        for before, after in ((stream, streams[stream.index]) for stream in kept):
            after.metadata.update({key: value for key, value in before.metadata.items() if key in ("title", "name")})
        sounds = [streams[stream.index] for stream in kept if stream.type == "audio"]
        for track, title in zip(sounds, titles, strict=False):
            track.metadata["title"] = title
        if chapters:
            writer.set_chapters([_chapter(number, *one) for number, one in enumerate(chapters)])
        length = (reader.duration or 0) / av.time_base
        for packet in _packets(reader, to_its_end=to_its_end):
            if packet.size == 0 or packet.stream_index not in streams:
                continue
            if length and packet.pts is not None and packet.is_keyframe and packet.stream.type == "video":
                progress(min(1.0, float(packet.pts * packet.time_base) / length))
            packet.stream = streams[packet.stream_index]
            writer.mux(packet)
            count += 1
    return count


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
        with av.open(str(path)) as container:
            return Fraction(container.duration, av.time_base) if container.duration else None
    except BROKEN as error:
        raise MediaError(path, f"can't be read as a media file ({reason_of(error)})") from error
