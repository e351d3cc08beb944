"""How bright the frames of a file really are: what its range tag can be held against."""

from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import numpy.typing as npt

from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.planes import luma_of
from reel.core.media.streams import pictures_of
from reel.core.signal import PIXEL_FORMATS, Range

# So many frames are looked at, evenly over the file.
FRAMES = 12
# ITU-R BT.709, 3.4: code values of black and white at 8 bits in limited range.
BLACK, WHITE = 16, 235
# What lies outside of limited range by more than this part of all samples is no overshoot of an encoder's.
OUTSIDE = Fraction(1, 200)
# The darkest and brightest of so many are left out: single samples say nothing.
_TAIL = 0.001


@dataclass(frozen=True, slots=True, kw_only=True)
class Levels:
    """Luma code values as at 8 bits: how often each of 256 is there, and from where to where nearly all lie."""

    histogram: tuple[int, ...]
    low: int
    high: int

    @property
    def outside(self) -> Fraction:
        """The part of samples that limited range has no place for."""
        total = sum(self.histogram)
        found = sum(self.histogram[: BLACK - 1]) + sum(self.histogram[WHITE + 2 :])
        return Fraction(found, total) if total else Fraction(0)

    def range_by_looking(self, tagged: Range) -> Range | None:
        """Return what range the samples have where that is another one than the tag says; None where it may be right.

        Samples outside of limited range are full. That limited ones are tagged as full can't be told for sure: a
        picture may have neither black nor white.
        """
        return Range.FULL if tagged is Range.LIMITED and self.outside > OUTSIDE else None


def luma_levels(path: Path) -> Levels:
    """Look at some frames of a file, evenly over its length; raises MediaError."""
    counts = np.zeros(256, dtype=np.int64)
    try:
        with av.open(str(path)) as reader:
            stream = next(iter(pictures_of(reader)), None)
            if stream is None:
                raise MediaError(path, "has no picture")
            stream.thread_type = "AUTO"
            length = (reader.duration or 0) / av.time_base
            for number in range(FRAMES):
                if number:
                    reader.seek(round(length * number / FRAMES * av.time_base))
                frame = next(reader.decode(stream), None)
                if frame is not None:
                    counts += _histogram(frame)
    except BROKEN as error:
        raise MediaError(path, f"can't be looked at ({reason_of(error)})") from error
    if not counts.any():
        raise MediaError(path, "has no frame that can be decoded")
    share = np.cumsum(counts) / counts.sum()
    low, high = int(np.searchsorted(share, _TAIL)), int(np.searchsorted(share, 1 - _TAIL))
    return Levels(histogram=tuple(int(one) for one in counts), low=low, high=high)


def _histogram(frame: av.VideoFrame) -> npt.NDArray[np.int64]:
    """Count the luma code values of a frame, as at 8 bits; none of a frame that is not coded as luma and chroma."""
    if frame.format.name not in PIXEL_FORMATS or frame.format.name.startswith(("rgb", "bgr", "gbr")):
        return np.zeros(256, dtype=np.int64)
    return np.bincount(luma_of(frame).ravel(), minlength=256).astype(np.int64)
