"""How pixels are stored: chroma subsampling, depth, colour matrix and range."""

from dataclasses import dataclass
from enum import StrEnum

from reel.core.errors import BadValueError


class Matrix(StrEnum):
    """The luma coefficients: ITU-R BT.601, BT.709 and BT.2020."""

    BT601 = "601"
    BT709 = "709"
    BT2020 = "2020"


class Transfer(StrEnum):
    """How light becomes code values: as ITU-R BT.709 has it, or for a high dynamic range as BT.2100 does (PQ, HLG)."""

    BT709 = "709"
    PQ = "PQ"
    HLG = "HLG"


class Range(StrEnum):
    """Limited is 16-235 in 8 bit, full is 0-255 (ITU-R BT.709, ITU-T H.273)."""

    LIMITED = "limited"
    FULL = "full"


@dataclass(frozen=True, slots=True, kw_only=True)
class PixelFormat:
    """One way to store a picture; `bits_per_pixel` is the average over luma and subsampled chroma."""

    name: str
    chroma: str
    depth_bits: int
    bits_per_pixel: int

    @property
    def label(self) -> str:
        """For people: `4:2:0 8-bit`."""
        return f"{self.chroma} {self.depth_bits}-bit"

    @property
    def subsampling(self) -> tuple[int, int]:
        """Luma samples for each chroma sample, across and down."""
        return {"4:2:0": (2, 2), "4:2:2": (2, 1)}.get(self.chroma, (1, 1))


# bits per pixel = depth × (1 + 2 × chroma samples per luma sample); 10-bit as the samples' own bits, unpadded, but for
# p010le, which capture drivers hand over in 16-bit words.
PIXEL_FORMATS = {
    fmt.name: fmt
    for fmt in (
        PixelFormat(name="yuv420p", chroma="4:2:0", depth_bits=8, bits_per_pixel=12),
        PixelFormat(name="yuvj420p", chroma="4:2:0", depth_bits=8, bits_per_pixel=12),
        PixelFormat(name="nv12", chroma="4:2:0", depth_bits=8, bits_per_pixel=12),
        PixelFormat(name="p010le", chroma="4:2:0", depth_bits=10, bits_per_pixel=24),
        PixelFormat(name="yuyv422", chroma="4:2:2", depth_bits=8, bits_per_pixel=16),
        PixelFormat(name="yuv422p", chroma="4:2:2", depth_bits=8, bits_per_pixel=16),
        PixelFormat(name="yuvj422p", chroma="4:2:2", depth_bits=8, bits_per_pixel=16),
        PixelFormat(name="yuv444p", chroma="4:4:4", depth_bits=8, bits_per_pixel=24),
        PixelFormat(name="yuvj444p", chroma="4:4:4", depth_bits=8, bits_per_pixel=24),
        PixelFormat(name="yuv420p10le", chroma="4:2:0", depth_bits=10, bits_per_pixel=15),
        PixelFormat(name="yuv422p10le", chroma="4:2:2", depth_bits=10, bits_per_pixel=20),
        PixelFormat(name="yuv444p10le", chroma="4:4:4", depth_bits=10, bits_per_pixel=30),
        PixelFormat(name="rgb24", chroma="RGB", depth_bits=8, bits_per_pixel=24),
        PixelFormat(name="gray", chroma="4:0:0", depth_bits=8, bits_per_pixel=8),
    )
}


def pixel_format(name: str) -> PixelFormat:
    """Look a pixel format up by its libavutil name; raises BadValueError for one that Reel does not take."""
    try:
        return PIXEL_FORMATS[name]
    except KeyError:
        raise BadValueError("Pixel format", name, "Reel takes " + ", ".join(PIXEL_FORMATS)) from None


def assumed_matrix(height_px: int) -> Matrix:
    """Return the matrix that an untagged signal is taken to have: 601 up to 576 lines, 709 above (trade practice)."""
    return Matrix.BT601 if height_px <= 576 else Matrix.BT709
