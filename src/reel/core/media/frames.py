"""One frame of a file: its number, how it is coded, and whether it shows something new."""

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.video.frame import PictureType

from reel.core.media.errors import BROKEN, MediaError
from reel.core.media.planes import luma_of

# A frame that lies further from a keyframe than this is not looked for: it would take longer than somebody waits.
MAX_DECODED = 1500


@dataclass(frozen=True, slots=True, kw_only=True)
class FrameFacts:
    """The frame that is shown at a second. `number` counts ticks from the first picture on, where the rate is fixed.

    `kind` is I, P or B as it is coded; `size_bytes` are those of its packet. It `is_new` where any of its luma differs
    from the frame before; None where that is not known.
    """

    number: int
    at_s: Fraction
    kind: str
    size_bytes: int
    is_key: bool
    is_new: bool | None


def frame_at(path: Path, at_s: Fraction, rate: Fraction) -> FrameFacts:
    """Return the frame of a file that is shown at a second from its first picture on; raises MediaError."""
    try:
        with av.open(str(path)) as container:
            stream = container.streams.video[0]
            base, start = stream.time_base or Fraction(1), stream.start_time or 0
            if at_s > 0:
                container.seek(start + int(at_s / base), stream=stream)
            return _shown(container, stream, start, start + at_s / base, rate)
    except (*BROKEN, IndexError) as error:
        raise MediaError(path, "has no picture that can be decoded there") from error


def _shown(
    container: "av.container.InputContainer", stream: "av.VideoStream", start: int, until: Fraction, rate: Fraction
) -> FrameFacts:
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
            if shown is not None and (frame.pts > until or decoded > MAX_DECODED):
                return _facts(before, shown, sizes, start, stream, rate)
            before, shown = shown, frame
    if shown is None:
        raise IndexError
    return _facts(before, shown, sizes, start, stream, rate)


def _facts(
    before: "av.VideoFrame | None",
    shown: "av.VideoFrame",
    sizes: dict[int, int],
    start: int,
    stream: "av.VideoStream",
    rate: Fraction,
) -> FrameFacts:
    pts = shown.pts or 0
    at_s = (pts - start) * (stream.time_base or Fraction(1))
    return FrameFacts(
        number=round(at_s * rate),
        at_s=at_s,
        kind=PictureType(shown.pict_type).name,
        size_bytes=sizes.get(pts, 0),
        is_key=bool(shown.key_frame),
        is_new=None if before is None else not np.array_equal(luma_of(before), luma_of(shown)),
    )
