"""Making a finish of a file: what it is read from, the file that comes of it, and whether that is what was planned."""

from collections.abc import Callable
from pathlib import Path

import av
from av.stream import Disposition

from reel.core.finish import FinishPlan, Source, SourceStream, StreamKind
from reel.core.media.digest import read_sent
from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.rewrap import rewrap

_KINDS = {"video": StreamKind.PICTURE, "audio": StreamKind.SOUND}


def source_of(path: Path) -> Source:
    """Say what a file holds, by its header; raises MediaError."""
    try:
        with av.open(str(path)) as reader:
            return Source(streams=tuple(_stream(stream) for stream in reader.streams))
    except BROKEN as error:
        raise MediaError(path, f"can't be read as a media file ({reason_of(error)})") from error


def _stream(stream: "av.stream.Stream") -> SourceStream:
    kind = _KINDS.get(stream.type, StreamKind.OTHER)
    if stream.disposition & Disposition.attached_pic:
        kind = StreamKind.OTHER  # a cover
    context = stream.codec_context
    codec = context.codec.canonical_name if context is not None else ""
    title = stream.metadata.get("title") or stream.metadata.get("name") or ""
    return SourceStream(index=stream.index, kind=kind, codec=codec, title=title)


def finish_file(source: Path, target: Path, plan: FinishPlan, progress: Callable[[float], None]) -> None:
    """Make what a plan says of a file, and hold it against the plan; raises MediaError.

    Each packet of a stream that goes through untouched is read back and must carry the same.
    """
    rewrap(source, target, plan.kept, lambda part: progress(0.8 * part))
    there, here = read_sent(source, plan.kept), read_sent(target, range(len(plan.kept)))
    if (there.packets, there.digests) != (here.packets, here.digests):
        raise MediaError(target, "does not carry what the source does; it is not kept")
    progress(1.0)
