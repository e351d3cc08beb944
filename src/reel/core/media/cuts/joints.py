"""Frames that are encoded anew so that they may stand in a stream between its own packets.

What encoders are told here was tried with the libraries that ship in PyAV 18.1 (FFmpeg 8), and what they gave decoded
by those and by FFmpeg 5.1 without a warning, in MKV, MP4 and MPEG-TS.
"""

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

import av
from av.video.frame import PictureType

from reel.core.file import CODECS
from reel.core.finish import PictureFinish
from reel.core.media.digest import units_of
from reel.core.media.framing import MATRIX_CODES, RANGE_CODES

# Pictures come out in the order in which they are shown, each keyframe with its parameter sets, at a quality that can't
# be told from what they are made from.
_TOLD: Mapping[str, Mapping[str, str]] = {
    "h264": {"preset": "fast", "crf": "12", "bf": "0"},
    "hevc": {"preset": "fast", "crf": "14", "x265-params": "log-level=error:bframes=0:repeat-headers=1"},
    "mpeg2video": {"bf": "0", "flags": "+qscale", "global_quality": "236"},  # a quantiser of 2, by 118 each
    "vp9": {"deadline": "good", "cpu-used": "4", "lag-in-frames": "0", "auto-alt-ref": "0", "crf": "10", "b": "0"},
    "av1": {"preset": "8", "crf": "15", "svtav1-params": "pred-struct=1:lookahead=0"},
}
_ENCODERS = {facts.reads_as: facts.encoder for facts in CODECS.values()}
_PIXELS = {facts.reads_as: {one.pixels for one in facts.stored.values()} for facts in CODECS.values()}
# ISO/IEC 14496-15, 5.3.3.1 and 8.3.3.1: where the header has its parameter sets, and what a unit's length takes.
_SETS_AT = {"h264": 5, "hevc": 22}
_LENGTH_AT = {"h264": 4, "hevc": 21}
# Frames from one keyframe to the next where a whole range is encoded anew, since its source has none.
_KEYFRAMES = 250


def is_joinable(stream: Any) -> bool:
    """Return whether frames that are encoded anew may stand in a stream: it has a codec that was tried, and its header
    gives units a length that holds them."""
    context = stream.codec_context
    codec, extradata = context.codec.canonical_name, context.extradata or b""
    if codec not in _TOLD or (context.pix_fmt or "").replace("yuvj", "yuv") not in _PIXELS[codec]:
        return False
    return not has_lengths(codec, extradata) or extradata[_LENGTH_AT[codec]] & 3 == 3


def has_lengths(codec: str, extradata: bytes) -> bool:
    """Return whether the units of a stream lie behind their lengths, as MP4 and MKV have them."""
    return codec in _SETS_AT and len(extradata) > 23 and extradata[0] == 1


@dataclass(frozen=True, slots=True)
class Joiner:
    """Dresses packets for the stream that they come to stand in: one that is like `stream`, its `tags` put right."""

    stream: Any
    tags: PictureFinish

    @property
    def codec(self) -> str:
        return str(self.stream.codec_context.codec.canonical_name)

    @property
    def _extradata(self) -> bytes:
        return self.stream.codec_context.extradata or b""

    def first(self, data: bytes) -> bytes:
        """Return the first of the stream's own packets behind others: with its parameter sets in front."""
        if has_lengths(self.codec, self._extradata):
            return b"".join(_with_length(unit) for unit in parameter_sets(self.codec, self._extradata)) + data
        return self._extradata + data if self.codec in _SETS_AT else data

    def encoded(self, frames: Iterator[av.VideoFrame], rate: Fraction) -> Iterator[tuple[bytes, bool]]:
        """Encode frames that follow each other: what each packet carries, and whether it is a keyframe."""
        context: av.VideoCodecContext | None = None
        for place, frame in enumerate(frames):
            context = context or self._encoder(frame, rate)
            frame.pts, frame.time_base, frame.pict_type = place, 1 / rate, PictureType.NONE
            for packet in context.encode(frame):
                yield self._dressed(bytes(packet)), packet.is_keyframe
        for packet in context.encode(None) if context is not None else ():
            yield self._dressed(bytes(packet)), packet.is_keyframe

    def _dressed(self, data: bytes) -> bytes:
        return with_lengths(self.codec, data) if has_lengths(self.codec, self._extradata) else data

    def _encoder(self, frame: av.VideoFrame, rate: Fraction) -> av.VideoCodecContext:
        source = self.stream.codec_context
        context = av.CodecContext.create(_ENCODERS[self.codec], "w")
        assert isinstance(context, av.VideoCodecContext)
        context.width, context.height, context.pix_fmt = frame.width, frame.height, source.pix_fmt
        context.time_base, context.framerate, context.gop_size = 1 / rate, rate, _KEYFRAMES
        context.sample_aspect_ratio = self.stream.sample_aspect_ratio or Fraction(1)
        for name in ("color_range", "colorspace", "color_primaries", "color_trc"):
            setattr(context, name, getattr(source, name))
        if self.tags.range is not None:
            context.color_range = RANGE_CODES[self.tags.range]
        if self.tags.matrix is not None:
            context.colorspace = MATRIX_CODES[self.tags.matrix]
        options = dict(_TOLD[self.codec])
        if frame.interlaced_frame:
            options |= _interlaced(self.codec, is_top_first=_is_top_first(frame), options=options)
        context.options = options
        return context


def _is_top_first(frame: Any) -> bool:
    return bool(getattr(frame, "top_field_first", True))


def _interlaced(codec: str, *, is_top_first: bool, options: Mapping[str, str]) -> dict[str, str]:
    """Return what tells an encoder that pictures are coded as fields; nothing for codecs whose encoder has no way."""
    if codec == "h264":
        return {"x264-params": "tff=1" if is_top_first else "bff=1"}
    if codec == "mpeg2video":
        return {"flags": f"{options['flags']}+ildct+ilme", "field_order": "tt" if is_top_first else "bb"}
    return {}


def with_lengths(codec: str, data: bytes) -> bytes:
    """Return a packet whose units lie between start codes with a length of four bytes before each."""
    return b"".join(_with_length(unit) for unit in units_of(codec, b"", data))


def header_with(codec: str, header: bytes, sets: Sequence[bytes]) -> bytes:
    """Return a header as MP4 and MKV have it with other parameter sets, as many as it has and in their order."""
    made = bytearray(header)
    for was, now in reversed(list(zip(parameter_sets(codec, header), sets, strict=True))):
        at = made.rindex(len(was).to_bytes(2, "big") + was)
        made[at : at + 2 + len(was)] = len(now).to_bytes(2, "big") + now
    return bytes(made)


def _with_length(unit: bytes) -> bytes:
    return len(unit).to_bytes(4, "big") + unit


def parameter_sets(codec: str, header: bytes) -> list[bytes]:
    """Return the parameter sets of a header as MP4 and MKV have it (ISO/IEC 14496-15, 5.3.3.1 and 8.3.3.1)."""
    found, at = list[bytes](), _SETS_AT[codec]

    def read(count: int, at: int) -> int:
        for _ in range(count):
            length = int.from_bytes(header[at : at + 2], "big")
            found.append(header[at + 2 : at + 2 + length])
            at += 2 + length
        return at

    if codec == "h264":
        at = read(header[at] & 31, at + 1)
        read(header[at], at + 1)
    else:
        arrays, at = header[at], at + 1
        for _ in range(arrays):
            at = read(int.from_bytes(header[at + 1 : at + 3], "big"), at + 3)
    return found
