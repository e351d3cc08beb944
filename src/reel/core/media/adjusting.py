"""What changes the pixels of a frame where they are: less noise, a grade, sharper edges, by libavfilter."""

from fractions import Fraction

import av
import av.filter
import numpy as np

from reel.core.finish import Grade, PictureFinish
from reel.core.signal import Range, Signal, pixel_format

# ITU-R BT.709, 3.4: code values of black, white and the reach of chroma at 8 bits; full range has all of them.
_LUMA = {Range.LIMITED: (16, 219), Range.FULL: (0, 255)}
_BASE = Fraction(1, 1000)
_BINOMIAL = (1, 4, 6, 4, 1)


class Adjuster:
    """Changes frames of `signal`, each on its own: nothing of one is in another. Used from one thread."""

    def __init__(self, asked: PictureFinish, signal: Signal) -> None:
        self._steps, self._signal = adjustments(asked, signal), signal
        self._graph: av.filter.Graph | None = None

    def apply(self, frame: av.VideoFrame) -> av.VideoFrame:
        """Return the frame as it is to be, its time stamp unset; the same one where nothing is to be done."""
        if not self._steps:
            return frame
        if self._graph is None:
            self._graph = graph = av.filter.Graph()
            source = graph.add_buffer(width=frame.width, height=frame.height, format=frame.format, time_base=_BASE)
            steps = [graph.add(name, options) for name, options in self._steps]
            graph.link_nodes(
                source, *steps, graph.add("format", frame.format.name), graph.add("buffersink")
            ).configure()
        frame.pts, frame.time_base = 0, _BASE
        self._graph.push(frame)
        made = self._graph.vpull()
        made.colorspace, made.color_range = frame.colorspace, frame.color_range
        return made


def adjustments(asked: PictureFinish, signal: Signal) -> list[tuple[str, str]]:
    """Return libavfilter's steps, (name, options), that make of frames of a signal what is asked."""
    steps = []
    if asked.denoise:
        # its previous and next frame count stay at 0: what moves leaves nothing behind
        steps.append(("fftdnoiz", f"sigma={asked.denoise}"))
    if asked.grade != Grade():
        steps.append(("lutyuv", _table(asked.grade, signal)))
    if asked.sharpness:
        steps.append(("convolution", _sharpening(asked.sharpness)))
    return steps


def _sharpening(amount: float) -> str:
    """Return the matrix that raises luma by so many times what a binomial blur of 5×5 takes from it (unsharp masking);
    libavfilter's own unsharp does next to nothing at 10 bits."""
    blur = np.outer(_BINOMIAL, _BINOMIAL)
    matrix = -np.rint(blur * amount * 100).astype(int)
    whole = 100 * int(blur.sum())
    matrix[2, 2] += whole - matrix.sum()
    return f"0m={' '.join(map(str, matrix.ravel()))}:0rdiv={1 / whole:.12g}"


def _table(grade: Grade, signal: Signal) -> str:
    """Return a grade as lutyuv's expressions of a code value; what is beyond full scale is held at it."""
    scale = 1 << (pixel_format(signal.pixels).depth_bits - 8)
    black, reach = (one * scale for one in _LUMA[signal.range])
    middle = 128 * scale
    part = f"((val-{black})/{reach}-0.5)*{grade.contrast:g}+0.5+{grade.brightness:g}"
    luma = f"{black}+{reach}*pow(max(0\\,{part})\\,{1 / grade.gamma:.9g})"
    chroma = f"{middle}+(val-{middle})*{grade.saturation:g}"
    made = {"y": luma, "u": chroma, "v": chroma}
    return ":".join(f"{plane}=clip(round({text})\\,0\\,maxval)" for plane, text in made.items())
