"""Making pictures of two fields, by libavfilter's bwdif, which looks one frame ahead and one back."""

from av.filter import Graph
from av.filter.context import FilterContext

from reel.core.signal import pixel_format

# bwdif takes planar formats; packed and half-packed ones are unpacked without loss.
_PLANAR = {"yuyv422": "yuv422p", "nv12": "yuv420p", "p010le": "yuv420p10le"}


def planar_step(graph: Graph, pixels: str) -> FilterContext:
    """Add the step that unpacks a pixel format; raises BadValueError for one that Reel does not know."""
    return graph.add("format", _PLANAR.get(pixels, pixel_format(pixels).name))


def bwdif_step(graph: Graph, *, each: bool, top_first: bool | None, only_combed: bool = False) -> FilterContext:
    """Add the step that makes one picture of each pair of fields, or of `each` field; `top_first` None takes what is
    tagged. `only_combed` leaves frames as they are that are not tagged as interlaced."""
    parity = {None: "auto", True: "tff", False: "bff"}[top_first]
    mode, deint = "send_field" if each else "send_frame", "interlaced" if only_combed else "all"
    return graph.add("bwdif", f"mode={mode}:parity={parity}:deint={deint}")
