"""Colours of pages and pens as the code values of a picture."""

import numpy as np
import numpy.typing as npt

from reel.core.signal import Matrix, Range, Signal, pixel_format

# What red and blue weigh in luma: ITU-R BT.601-7, 2.5.1; BT.709-6, 3.2; BT.2020-2, table 4.
_WEIGHTS = {Matrix.BT601: (0.299, 0.114), Matrix.BT709: (0.2126, 0.0722), Matrix.BT2020: (0.2627, 0.0593)}

Floats = npt.NDArray[np.float32]


def coded(rgb: Floats, target: Signal) -> tuple[Floats, Floats, Floats]:
    """Give R′G′B′ (..., 3) from 0 to 1 as unrounded Y′, Cb, Cr of a target's matrix, range and depth."""
    weigh_red, weigh_blue = _WEIGHTS[target.matrix]
    red, green, blue = (rgb[..., place] for place in range(3))
    luma = weigh_red * red + (1 - weigh_red - weigh_blue) * green + weigh_blue * blue
    colours = ((blue - luma) / (2 - 2 * weigh_blue), (red - luma) / (2 - 2 * weigh_red))
    bits = pixel_format(target.pixels).depth_bits
    if target.range is Range.FULL:  # ITU-T H.273, 8.3
        most, middle = (1 << bits) - 1, 1 << (bits - 1)
        return most * luma, middle + most * colours[0], middle + most * colours[1]
    step = 1 << (bits - 8)
    return step * (16 + 219 * luma), step * (128 + 224 * colours[0]), step * (128 + 224 * colours[1])


def code_values(colour: str, target: Signal) -> tuple[int, int, int]:
    """Return a colour "#rrggbb" as Y′, Cb, Cr of a target."""
    rgb = np.array([int(colour[place : place + 2], 16) / 255 for place in (1, 3, 5)], dtype=np.float32)
    luma, blue, red = (round(float(value)) for value in coded(rgb, target))
    return luma, blue, red
