"""The waveform of a picture: for each place from left to right how often each luma value is there."""

import io

import numpy as np
import numpy.typing as npt
from PIL import Image

COLUMNS, VALUES = 320, 256
# What is drawn where most of a column has one value; seen on light paper and on dark.
_INK = (63, 130, 152)


def luma_wave(luma: npt.NDArray[np.uint8]) -> npt.NDArray[np.float64]:
    """Return the part of each column (VALUES, COLUMNS) that has each luma value; `luma` is (height, width), 8 bits."""
    height, width = luma.shape
    places = np.broadcast_to(np.arange(width) * COLUMNS // width, luma.shape)
    counts = np.bincount((luma.astype(np.int64) * COLUMNS + places).ravel(), minlength=VALUES * COLUMNS)
    wide = np.bincount(np.arange(width) * COLUMNS // width, minlength=COLUMNS)
    found: npt.NDArray[np.float64] = counts.reshape(VALUES, COLUMNS) / np.maximum(1, wide * height)
    return found


def waveform_png(luma: npt.NDArray[np.uint8]) -> bytes:
    """Draw a waveform as a PNG, COLUMNS × VALUES with white at its top, see-through where nothing is."""
    shown = np.zeros((VALUES, COLUMNS, 4), dtype=np.uint8)
    shown[..., :3] = _INK
    shown[..., 3] = np.minimum(255, np.sqrt(luma_wave(luma)[::-1]) * 1200).astype(np.uint8)
    written = io.BytesIO()
    Image.fromarray(shown).save(written, "PNG")
    return written.getvalue()
