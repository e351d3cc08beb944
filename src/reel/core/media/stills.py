"""Single pictures of a file, and where it is hardest to encode."""

import io
from collections import Counter
from fractions import Fraction
from pathlib import Path

from PIL import Image

from reel.core.media.errors import BROKEN, MediaError
from reel.core.media.frames import shown_at
from reel.core.media.picture import POSTER_WIDTH_PX, JpegEncoder
from reel.core.media.streams import open_to_read, pictures_of
from reel.core.media.upright import Upright


def still(path: Path, at_s: Fraction) -> bytes:
    """Return the picture that is shown at a second of a file, or its last one, as a JPEG; raises MediaError."""
    return JpegEncoder(POSTER_WIDTH_PX).encode(Upright().apply(shown_at(path, at_s).frame))


def frame_png(path: Path, at_s: Fraction) -> bytes:
    """Return the frame that is shown at a second of a file as a PNG of its own size; raises MediaError."""
    written = io.BytesIO()
    Image.fromarray(Upright().apply(shown_at(path, at_s).frame).to_ndarray(format="rgb24")).save(written, "PNG")
    return written.getvalue()


def hardest_second(path: Path) -> tuple[int, int]:
    """Return the whole second whose pictures take the most bits, and the bits; raises MediaError.

    Keyframes take many: with one in every so many seconds that holds one counts as it is.
    """
    sizes: Counter[int] = Counter()
    try:
        with open_to_read(path) as container:
            stream = pictures_of(container)[0]
            base, start = stream.time_base or Fraction(1), stream.start_time or 0
            for packet in container.demux(stream):
                if packet.pts is not None and packet.size:
                    sizes[int((packet.pts - start) * base)] += packet.size
    except (*BROKEN, IndexError) as error:
        raise MediaError(path, "has no picture that can be read") from error
    if not sizes:
        raise MediaError(path, "has no picture that can be read")
    second = max(sizes, key=lambda one: sizes[one])
    return second, sizes[second] * 8
