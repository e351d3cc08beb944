"""Decoded sound as arrays."""

from typing import Any

import av
import numpy as np
import numpy.typing as npt

from reel.core.signal import FloatArray
from reel.core.sound import FULL_SCALE

# A wave that is cut off stands at full scale for some samples; one that only touches it does so for one or two.
CLIP_RUN = 3


def rows(frame: av.AudioFrame) -> npt.NDArray[Any]:
    """Return a block's samples as they are stored, (channels, samples)."""
    data: npt.NDArray[Any] = frame.to_ndarray()
    return data if frame.format.is_planar else data.reshape(-1, frame.layout.nb_channels).T


def scaled(data: npt.NDArray[Any]) -> FloatArray:
    """Return samples of any kind of number as float32, full scale −1: as libswresample takes it back."""
    if np.issubdtype(data.dtype, np.floating):
        found: Any = data.astype(np.float32, copy=False)
    elif data.dtype == np.uint8:
        found = (data.astype(np.float32) - 128) / 128
    else:
        found = data.astype(np.float32) / np.float32(-float(np.iinfo(data.dtype).min))
    made: FloatArray = found
    return made


def clipped(data: FloatArray) -> int:
    """Count the samples of a block (channels, samples) at full scale that stand in a run of CLIP_RUN or more."""
    found = 0
    for channel in data:
        is_full = np.abs(channel) >= FULL_SCALE
        edges = np.flatnonzero(np.diff(np.concatenate(([False], is_full, [False])).astype(np.int8)))
        runs = edges[1::2] - edges[::2]
        found += int(runs[runs >= CLIP_RUN].sum())
    return found
