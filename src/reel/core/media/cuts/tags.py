"""Colour tags put right in packets that go through: in the parameter sets of the stream, and in its container.

What libavcodec's filters are told was tried with the libraries that ship in PyAV 18.1: no sample changes by it. Codecs
that are not named here have no colours in their packets: there the container alone says them.
"""

from collections.abc import Mapping
from typing import Any

import av
from av.bitstream import BitStreamFilterContext

from reel.core.finish import PictureFinish
from reel.core.media.cuts.joints import has_lengths, header_with, with_lengths
from reel.core.media.digest import units_of
from reel.core.media.framing import MATRIX_CODES, RANGE_CODES
from reel.core.signal import Matrix, Range

_FLAGS = {Range.LIMITED: "0", Range.FULL: "1"}
_NAMES = {Range.LIMITED: "tv", Range.FULL: "pc"}
# The VP9 bitstream specification, 7.2: color_space.
_VP9 = {Matrix.BT601: "bt601", Matrix.BT709: "bt709", Matrix.BT2020: "bt2020"}
_PRORES = {Matrix.BT601: "smpte170m", Matrix.BT709: "bt709", Matrix.BT2020: "bt2020nc"}
_CODES = {matrix: str(code) for matrix, code in MATRIX_CODES.items()}
# Of each codec's filter: its option for the matrix with its values, and that for the range.
_FILTERS: Mapping[str, tuple[str, tuple[str, Mapping[Matrix, str]], tuple[str, Mapping[Range, str]] | None]] = {
    "h264": ("h264_metadata", ("matrix_coefficients", _CODES), ("video_full_range_flag", _FLAGS)),
    "hevc": ("hevc_metadata", ("matrix_coefficients", _CODES), ("video_full_range_flag", _FLAGS)),
    "av1": ("av1_metadata", ("matrix_coefficients", _CODES), ("color_range", _NAMES)),
    "vp9": ("vp9_metadata", ("color_space", _VP9), ("color_range", _NAMES)),
    "mpeg2video": ("mpeg2_metadata", ("matrix_coefficients", _CODES), None),
    "prores": ("prores_metadata", ("colorspace", _PRORES), None),
}


class Tagger:
    """Puts right what the packets of a stream say of colours, one by one and in their order."""

    def __init__(self, source: Any, picture: PictureFinish, stream: Any = None) -> None:
        """`stream` is one that is written like `source`: its header, and what its container says, are put right too."""
        header = source.codec_context.extradata or b""
        self._codec = codec = source.codec_context.codec.canonical_name
        self._has_lengths = has_lengths(codec, header)
        told, name = self._told(codec, picture)
        self._filter = BitStreamFilterContext(f"{name}={told}", source, stream) if told else None
        if stream is not None and self._filter is not None and self._has_lengths:
            # it gives a header with start codes, and muxers would take packets to have them too
            sets = list(units_of(codec, b"", stream.codec_context.extradata or b""))
            stream.codec_context.extradata = header_with(codec, header, sets)
        if stream is not None and picture.range is not None:
            stream.codec_context.color_range = RANGE_CODES[picture.range]
        if stream is not None and picture.matrix is not None:
            stream.codec_context.colorspace = MATRIX_CODES[picture.matrix]

    @staticmethod
    def _told(codec: str, picture: PictureFinish) -> tuple[str, str]:
        if codec not in _FILTERS:
            return "", ""
        name, (matrix_option, matrices), ranges = _FILTERS[codec]
        told = [f"{matrix_option}={matrices[picture.matrix]}"] if picture.matrix is not None else []
        if picture.range is not None and ranges is not None:
            told.append(f"{ranges[0]}={ranges[1][picture.range]}")
        return ":".join(told), name

    def tagged(self, data: bytes) -> bytes:
        """Return what a packet carries, with its colours put right."""
        if self._filter is None:
            return data
        made = b"".join(bytes(one) for one in self._filter.filter(av.Packet(data)))
        return with_lengths(self._codec, made) if self._has_lengths else made  # it gives start codes in any case
