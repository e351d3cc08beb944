"""Frames as arrays: views of the planes of any format that Reel takes."""

from typing import Any, cast

import av
import numpy as np
import numpy.typing as npt

from reel.core.signal import pixel_format

Plane = npt.NDArray[np.uint8] | npt.NDArray[np.uint16]


def planes_of(frame: av.VideoFrame) -> list[Plane]:
    """Return views of a planar frame's planes, without the padding of their lines; 16-bit for deeper ones."""
    bits = pixel_format(frame.format.name).depth_bits
    dtype: Any = np.uint16 if bits > 8 else np.uint8
    views: list[Plane] = []
    for plane in frame.planes:
        samples: Plane = np.frombuffer(cast(Any, plane), dtype=dtype)
        lines = samples.reshape(-1, plane.line_size // samples.itemsize)
        views.append(lines[: plane.height, : plane.width])
    return views


def luma_of(frame: av.VideoFrame) -> npt.NDArray[np.uint8]:
    """Return a frame's luma in 8 bits, (height, width), whatever its format."""
    if frame.format.name == "yuyv422":
        packed: npt.NDArray[np.uint8] = np.frombuffer(cast(Any, frame.planes[0]), dtype=np.uint8)
        return packed.reshape(-1, frame.planes[0].line_size)[: frame.height, : frame.width * 2 : 2]
    luma = planes_of(frame)[0]
    depth = pixel_format(frame.format.name).depth_bits
    if frame.format.name == "p010le":  # the bits stand at the upper end of each word
        depth = 16
    return (luma >> (depth - 8)).astype(np.uint8) if depth > 8 else luma.astype(np.uint8, copy=False)


def chroma_of(frame: av.VideoFrame) -> npt.NDArray[np.uint8] | None:
    """Return a frame's Cb beside its Cr in 8 bits; None where it has none, or in another order than Reel knows."""
    if frame.format.name in ("yuyv422", "nv12"):
        plane, first = (frame.planes[0], 1) if frame.format.name == "yuyv422" else (frame.planes[1], 0)
        step, width = (4, 2 * frame.width) if first else (2, frame.width)
        samples: npt.NDArray[np.uint8] = np.frombuffer(cast(Any, plane), dtype=np.uint8)
        lines = samples.reshape(-1, plane.line_size)[:, :width]
        return np.concatenate((lines[:, first::step], lines[:, first + step // 2 :: step]), axis=1)
    if len(frame.planes) != 3 or not frame.format.name.startswith("yuv"):
        return None
    depth = pixel_format(frame.format.name).depth_bits
    both: Any = np.concatenate(planes_of(frame)[1:], axis=1)
    shifted: npt.NDArray[np.uint8] = (both >> (depth - 8)).astype(np.uint8, copy=False)
    return shifted
