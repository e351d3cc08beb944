"""Making a finish of a file: what it is read from, the file that comes of it, and whether that is what was planned."""

from collections.abc import Callable, Sequence
from dataclasses import replace
from pathlib import Path
from typing import Any

from av.stream import Disposition

from reel.core.finish import FinishPlan, Source, SourceStream, StreamKind
from reel.core.frame import turned
from reel.core.media.cuts import Files, cut, encode, is_joinable, kept_hashes, opened, read_packets
from reel.core.media.digest import SentFacts, carry_alike, read_sent
from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.framing import stream_matrix, stream_range
from reel.core.media.hashes import NAME, read_hashes, write_hashes
from reel.core.media.rewrap import rewrap
from reel.core.media.shelf import sidecar_folder
from reel.core.media.streams import open_to_read
from reel.core.media.upright import aspect_of, first_turn

_KINDS = {"video": StreamKind.PICTURE, "audio": StreamKind.SOUND}


def source_of(path: Path) -> Source:
    """Say what a file holds, by its header and its first frame; raises MediaError."""
    try:
        with open_to_read(path) as reader:
            found = Source(streams=tuple(_stream(stream) for stream in reader.streams))
            return _as_shown(found, first_turn(reader))
    except BROKEN as error:
        raise MediaError(path, f"can't be read as a media file ({reason_of(error)})") from error


def source_to_cut(path: Path) -> Source:
    """Say what a file holds, by all its packets and the ticks that its pictures follow; raises MediaError."""
    found = source_of(path)
    if not found.pictures:
        return found
    with opened(path) as reader:
        picture = reader.streams[found.pictures[0].index]
        packets, held = read_packets(reader, picture)
        if packets is None:
            return found
        length_s = packets.length / packets.rate
        streams = tuple(
            replace(stream, bitrate_bps=round(held.get(stream.index, 0) * 8 / length_s)) for stream in found.streams
        )
        return Source(streams=streams, packets=packets, is_joinable=is_joinable(picture))


def _as_shown(source: Source, turn: int) -> Source:
    """Return a source whose picture is as a player turns it."""
    if not turn:
        return source
    first = source.pictures[0]
    width_px, height_px, aspect = turned(first.width_px, first.height_px, first.aspect, turn)
    shown = replace(
        first,
        width_px=width_px,
        height_px=height_px,
        aspect=aspect,
        turned_deg=turn,
        form=f"{first.form} turned by {turn}°",
    )
    return replace(source, streams=tuple(shown if one is first else one for one in source.streams))


def _stream(stream: Any) -> SourceStream:
    kind = _KINDS.get(stream.type, StreamKind.OTHER)
    if stream.disposition & Disposition.attached_pic:
        kind = StreamKind.OTHER  # a cover
    context = stream.codec_context
    if context is None:
        return SourceStream(index=stream.index, kind=kind, codec="")
    facts: dict[str, Any] = {}
    if kind is StreamKind.PICTURE:
        facts = {
            "form": f"{context.width}×{context.height} {context.pix_fmt}",
            "width_px": context.width,
            "height_px": context.height,
            "pixels": context.pix_fmt or "",
            "aspect": aspect_of(stream),
            "matrix": stream_matrix(context),
            "range": stream_range(context),
        }
    elif kind is StreamKind.SOUND:
        form = f"{context.sample_rate} Hz {context.layout.name} {context.format and context.format.name}"
        facts = {"form": form, "channels": context.channels, "rate_hz": context.sample_rate}
    title = stream.metadata.get("title") or stream.metadata.get("name") or ""
    return SourceStream(index=stream.index, kind=kind, codec=context.codec.canonical_name, title=title, **facts)


def finish_file(source: Path, target: Path, plan: FinishPlan, progress: Callable[[float], None]) -> None:
    """Make what a plan says of a file, and hold it against the plan; raises MediaError.

    Each packet of a stream that goes through untouched is read back and must carry the same.
    """
    rewrap(source, target, plan.kept, lambda part: progress(0.8 * part))
    if not carry_alike(source, plan.kept, target):
        raise MediaError(target, "does not carry what the source does; it is not kept")
    progress(1.0)


def cut_files(
    paths: Sequence[Path],
    sources: Sequence[Source],
    target: Path,
    plan: FinishPlan,
    progress: Callable[[float], None],
    spoken: Path | None = None,
) -> SentFacts:
    """Make one file of what a plan keeps of files, and hold it against what was written, which it returns.

    `spoken` is the file of what was spoken over them. Raises MediaError.

    Each packet is read back and must carry what was written, and as many frames must be there as the plan says.
    """
    write = cut if plan.finish.encoding is None else encode
    files = Files(paths=paths, sources=sources, spoken=spoken)
    written = write(files, target, plan, lambda part: progress(0.8 * part))
    found = read_sent(target)
    if (found.packets, found.digests) != (written.packets, written.digests) or found.packets[0] != plan.frames:
        raise MediaError(target, "does not carry what was written; it is not kept")
    progress(1.0)
    return written


def hash_archive(paths: Sequence[Path], sources: Sequence[Source], target: Path, plan: FinishPlan) -> None:
    """Write the hashes of an archive copy's frames beside it, and hold them against those of what it was made from.

    Raises MediaError where any frame is another.
    """
    text = sidecar_folder(target) / NAME
    text.parent.mkdir(exist_ok=True)
    write_hashes(target, text)
    if read_hashes(text) != list(kept_hashes(Files(paths=paths, sources=sources), plan)):
        raise MediaError(target, "does not decode to the same frames as what it was made from; it is not kept")
