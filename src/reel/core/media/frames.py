"""One frame of a file: its number, how it is coded, whether it shows something new; when those around it begin."""

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.video.frame import PictureType

from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.planes import luma_of
from reel.core.media.streams import open_to_read, pictures_of

# A frame that lies further from a keyframe than this is not looked for: it would take longer than somebody waits.
MAX_DECODED = 1500
# A file is entered at the moment, and where that was behind it so many seconds earlier, at last at its beginning.
EARLIER_S = (0, 3, 12, None)


@dataclass(frozen=True, slots=True, kw_only=True)
class FrameFacts:
    """The frame that is shown at a second. `number` counts ticks from the first picture on; None at a variable rate.

    `kind` is I, P or B as it is coded; `size_bytes` are those of its packet. It `is_new` where any of its luma differs
    from the frame before; None where that is not known.
    """

    number: int | None
    at_s: Fraction
    kind: str
    size_bytes: int
    is_key: bool
    is_new: bool | None


@dataclass(frozen=True, slots=True, kw_only=True)
class Shown:
    """A frame that is shown at a moment, the one before it where that was decoded too, and the bytes of its packet.

    It begins `at_s` after the first picture of its file.
    """

    frame: av.VideoFrame
    before: av.VideoFrame | None
    at_s: Fraction
    size_bytes: int


def shown_at(path: Path, at_s: Fraction, *, needs_before: bool = False) -> Shown:
    """Return what is shown at a second of a file from its first picture on, or its last frame; raises MediaError.

    A container without an index, as MPEG-TS, may be entered behind the moment: then it is entered earlier. So it is
    where the frame itself is the keyframe that it was entered at, and the one before is needed.
    """
    best: Shown | None = None
    try:
        for back_s in EARLIER_S:
            with open_to_read(path) as container:
                best = _decoded(container, at_s, back_s) or best
            if best is not None and (best.before is not None or best.at_s == 0 or not needs_before):
                break
    except (*BROKEN, IndexError) as error:
        raise MediaError(path, "has no picture that can be decoded there") from error
    if best is None:
        raise MediaError(path, "has no picture that can be decoded there")
    return best


def _entered(
    container: "av.container.InputContainer", at_s: Fraction, back_s: int | Fraction | None
) -> tuple[av.VideoStream, Fraction, int, bool]:
    """Go to a keyframe `back_s` before a moment, or to the beginning where None.

    Returns the picture's stream, its time base, the stamp that it begins with, and whether it is read from there on.
    """
    stream = pictures_of(container)[0]
    base, start = stream.time_base or Fraction(1), stream.start_time or 0
    if back_s is None or at_s <= back_s:
        return stream, base, start, True
    container.seek(start + int((at_s - back_s) / base), stream=stream)
    return stream, base, start, False


def _decoded(container: "av.container.InputContainer", at_s: Fraction, back_s: int | None) -> Shown | None:
    """Decode from a keyframe before a moment up to it; None where it was entered behind it, or too far before it."""
    stream, base, start, is_from_begin = _entered(container, at_s, back_s)
    until = start + at_s / base
    sizes: dict[int, int] = {}
    before: av.VideoFrame | None = None
    shown: av.VideoFrame | None = None
    decoded = 0
    for packet in container.demux(stream):
        if packet.pts is not None:
            sizes[packet.pts] = packet.size
        for frame in packet.decode():
            decoded += 1
            if frame.pts is None:
                continue
            if shown is not None and frame.pts > until:
                return _shown(shown, before, sizes, start, base)
            if decoded > MAX_DECODED:
                return None
            if shown is None and frame.pts > until and not is_from_begin:
                return None
            before, shown = shown, frame
    return _shown(shown, before, sizes, start, base) if shown is not None else None


def _shown(
    frame: av.VideoFrame, before: av.VideoFrame | None, sizes: dict[int, int], start: int, base: Fraction
) -> Shown:
    pts = frame.pts or 0
    return Shown(frame=frame, before=before, at_s=(pts - start) * base, size_bytes=sizes.get(pts, 0))


def frame_times(path: Path, at_s: Fraction, around_s: Fraction = Fraction(2)) -> tuple[Fraction, ...]:
    """Return when the frames around a moment begin, in seconds from the first picture on; raises MediaError.

    They are those from a keyframe before it on, to `around_s` behind it, or to the next one where that is later.
    Nothing is decoded.
    """
    try:
        for back_s in EARLIER_S:
            with open_to_read(path) as container:
                found = _times(container, at_s, at_s + around_s, None if back_s is None else back_s + around_s)
            if found and (found[0] <= at_s or back_s is None):
                return found
    except (*BROKEN, IndexError) as error:
        raise MediaError(path, "has no picture that can be read there") from error
    raise MediaError(path, "has no picture that can be read there")


def reorders(path: Path) -> bool:
    """Return whether frames of a file are coded after some that they are shown before, as B-frames are.

    Raises MediaError.
    """
    try:
        with open_to_read(path) as container:
            return any(stream.codec_context.has_b_frames for stream in pictures_of(container)[:1])
    except BROKEN as error:
        raise MediaError(path, f"can't be read as a media file ({reason_of(error)})") from error


def _times(
    container: "av.container.InputContainer", at_s: Fraction, until_s: Fraction, back_s: Fraction | None
) -> tuple[Fraction, ...]:
    """Read the times of frames from the keyframe on that a file is entered at; those before it are not known."""
    stream, base, start, _ = _entered(container, at_s, back_s)
    at, last = start + at_s / base, start + until_s / base
    found: list[int] = []
    follows: Fraction | None = None  # the frame after the moment
    for packet in container.demux(stream):
        if packet.pts is None:
            continue
        found.append(packet.pts)
        if packet.pts > at:
            follows = min(Fraction(packet.pts), follows or Fraction(packet.pts))
        # what is decoded later is shown later too: no frame up to there is missing
        if packet.dts is not None and follows is not None and packet.dts > max(last, follows):
            break
    upto = last if follows is None else max(last, follows)
    return tuple((pts - start) * base for pts in sorted(found) if found[0] <= pts <= upto)


def frame_at(path: Path, at_s: Fraction, rate: Fraction | None) -> FrameFacts:
    """Return the facts of the frame that is shown at a second of a file, at a fixed rate or none; raises MediaError."""
    shown = shown_at(path, at_s, needs_before=True)
    is_new = None if shown.before is None else not np.array_equal(luma_of(shown.before), luma_of(shown.frame))
    return FrameFacts(
        number=None if rate is None else round(shown.at_s * rate),
        at_s=shown.at_s,
        kind=PictureType(shown.frame.pict_type).name,
        size_bytes=shown.size_bytes,
        is_key=bool(shown.frame.key_frame),
        is_new=is_new,
    )
