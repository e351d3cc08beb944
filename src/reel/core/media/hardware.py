"""Hardware encoders: found by opening each on this machine, never by its name being known."""

import subprocess
import sys
from dataclasses import dataclass
from fractions import Fraction

import av

from reel.core.errors import BadValueError
from reel.core.file import CODECS, VideoCodec
from reel.core.media.errors import BROKEN, reason_of
from reel.core.wire import from_json, to_json

TRY_S = 20.0

# libavcodec's encoders that work on a graphics chip or a board's own, by the codec.
_ENCODERS = {
    VideoCodec.H264: ("h264_nvenc", "h264_qsv", "h264_amf", "h264_vaapi", "h264_v4l2m2m", "h264_videotoolbox"),
    VideoCodec.HEVC: ("hevc_nvenc", "hevc_qsv", "hevc_amf", "hevc_vaapi", "hevc_v4l2m2m", "hevc_videotoolbox"),
    VideoCodec.AV1: ("av1_nvenc", "av1_qsv", "av1_amf", "av1_vaapi"),
}


@dataclass(frozen=True, slots=True, kw_only=True)
class HardwareEncoder:
    """An encoder as it was tried on this machine; `problem` is "" where it encoded, else why it did not."""

    codec: VideoCodec
    encoder: str
    problem: str

    @property
    def label(self) -> str:
        """The codec and libavcodec's name of the encoder."""
        return f"{CODECS[self.codec].label}, {self.encoder}"


def try_hardware() -> tuple[HardwareEncoder, ...]:
    """Open every hardware encoder, and have it encode a picture; takes up to some seconds.

    That is done in a process of its own: what a driver does there costs nobody else anything.
    """
    command = [sys.executable, "-m", "reel.core.media.hardware"]
    try:
        done = subprocess.run(command, capture_output=True, timeout=TRY_S, check=True)
        problems = from_json(done.stdout, dict[str, str])
    except (OSError, subprocess.SubprocessError, BadValueError):
        problems = {}
    unknown = "trying the encoders failed: a driver ended the process or did not answer"
    return tuple(
        HardwareEncoder(codec=codec, encoder=name, problem=problems.get(name, unknown))
        for codec, names in _ENCODERS.items()
        for name in names
    )


def _tried(name: str) -> str:
    try:
        context = av.CodecContext.create(name, "w")
    except (*BROKEN, ValueError):
        return "not part of the libraries that Reel is built on"
    assert isinstance(context, av.VideoCodecContext)
    taken = [form.name for form in context.codec.video_formats or ()]
    pixels = next((form for form in ("yuv420p", "nv12") if form in taken), "yuv420p")
    context.width, context.height, context.pix_fmt = 640, 360, pixels
    context.time_base, context.framerate = Fraction(1, 30), Fraction(30)
    try:
        frame = av.VideoFrame(640, 360, pixels)
        frame.pts = 0
        context.encode(frame)
        context.encode(None)
    except (*BROKEN, ValueError) as error:
        return f"not here: it can't be opened ({reason_of(error)})"
    return ""


if __name__ == "__main__":
    found = {name: _tried(name) for names in _ENCODERS.values() for name in names}
    sys.stdout.buffer.write(to_json(found))
