"""Pictures as JPEG: what a page shows of a signal, and a take's poster."""

from fractions import Fraction
from pathlib import Path

import av

from reel.core.frame import fit
from reel.core.media.errors import BROKEN, MediaError
from reel.core.media.streams import open_to_read
from reel.core.media.upright import Upright

POSTER_WIDTH_PX = 1280


class JpegEncoder:
    """Encodes frames as JPEG of at most `width_px`, by libavcodec's mjpeg; `quality` is its scale, 2 (best) to 31."""

    def __init__(self, width_px: int, quality: int = 4) -> None:
        self._width_px = width_px
        self._quality = quality
        self._context: av.VideoCodecContext | None = None
        self._size = (0, 0)

    def encode(self, frame: av.VideoFrame) -> bytes:
        """Return the frame as a JPEG file, never larger than it is."""
        width = min(self._width_px, frame.width)
        placed = fit((frame.width, frame.height), (width, frame.height))
        small = frame.reformat(
            width=placed.width_px, height=placed.height_px, format="yuvj420p", dst_color_range="JPEG"
        )
        if self._context is None or self._size != (small.width, small.height):
            self._context, self._size = self._open(small.width, small.height), (small.width, small.height)
        if small is frame:  # nothing was to be done; it may be just being recorded, and keeps its time
            small = frame.reformat(format="yuvj422p").reformat(format="yuvj420p")
        small.pts, small.time_base = None, Fraction(1, 25)
        return b"".join(bytes(packet) for packet in self._context.encode(small))

    def _open(self, width_px: int, height_px: int) -> av.VideoCodecContext:
        context = av.CodecContext.create("mjpeg", "w")
        assert isinstance(context, av.VideoCodecContext)
        context.width, context.height, context.pix_fmt = width_px, height_px, "yuvj420p"
        context.time_base, context.color_range = Fraction(1, 25), 2
        context.qmin = context.qmax = self._quality
        context.thread_count = 1
        return context


def poster(path: Path, at: Fraction = Fraction(1, 3)) -> bytes:
    """Return the keyframe at or before part `at` of a file's length as a JPEG; raises MediaError."""
    try:
        with open_to_read(path) as container:
            if container.duration:
                container.seek(int(container.duration * at))
            for frame in container.decode(video=0):
                return JpegEncoder(POSTER_WIDTH_PX).encode(Upright().apply(frame))
    except (*BROKEN, IndexError) as error:
        raise MediaError(path, "has no picture that can be decoded") from error
    raise MediaError(path, "has no picture that can be decoded")
