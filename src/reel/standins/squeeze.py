"""Real compression for stand-ins: motion JPEG as boxes do it, H.264 as a wireless link does it."""

from fractions import Fraction

import av

from reel.core.signal import Matrix, Mode, Range, Signal
from reel.standins.planes import tag

# libavcodec's quantiser for MJPEG, 2 (best) to 31; that of the boxes.
JPEG_Q = 3
_TIME_BASE = Fraction(1, 60)


class Mjpeg:
    """Compresses pictures of `mode` to JPEG and back, 4:2:2, BT.601 full range as JFIF has it."""

    def __init__(self, mode: Mode) -> None:
        self._signal = Signal(mode=mode, pixels="yuvj422p", matrix=Matrix.BT601, range=Range.FULL)
        self._encoder = av.CodecContext.create("mjpeg", "w")
        assert isinstance(self._encoder, av.VideoCodecContext)
        self._encoder.width, self._encoder.height = mode.width_px, mode.height_px
        self._encoder.pix_fmt, self._encoder.time_base = "yuvj422p", _TIME_BASE
        self._encoder.qmin = self._encoder.qmax = JPEG_Q
        self._encoder.options = {"strict": "-2"}
        self._decoder = av.CodecContext.create("mjpeg", "r")
        self._count = 0

    def apply(self, frame: av.VideoFrame) -> tuple[av.VideoFrame, int]:
        """Give what is left of a frame that has this codec's format, and the bits that it took."""
        assert isinstance(self._encoder, av.VideoCodecContext) and isinstance(self._decoder, av.VideoCodecContext)
        frame.pts, frame.time_base = self._count, _TIME_BASE
        self._count += 1
        packets = list(self._encoder.encode(frame))
        decoded = [picture for packet in packets for picture in self._decoder.decode(packet)]
        return tag(decoded[0], self._signal), sum(packet.size for packet in packets) * 8


class H264:
    """Compresses pictures to H.264 at a wireless link's quality and back, each at once."""

    def __init__(self, width: int, height: int) -> None:
        self._encoder = av.CodecContext.create("libx264", "w")
        assert isinstance(self._encoder, av.VideoCodecContext)
        self._encoder.width, self._encoder.height = width, height
        self._encoder.pix_fmt, self._encoder.time_base = "yuv420p", _TIME_BASE
        self._encoder.options = {"preset": "ultrafast", "tune": "zerolatency", "crf": "29"}
        self._decoder = av.CodecContext.create("h264", "r")
        self._decoder.options = {"flags": "low_delay"}
        self._decoder.thread_count = 1
        self._count = 0

    def apply(self, frame: av.VideoFrame) -> av.VideoFrame:
        """Give what is left of a 4:2:0 frame; the one before when the decoder still waits."""
        assert isinstance(self._encoder, av.VideoCodecContext) and isinstance(self._decoder, av.VideoCodecContext)
        frame.pts, frame.time_base = self._count, _TIME_BASE
        self._count += 1
        decoded = [p for packet in self._encoder.encode(frame) for p in self._decoder.decode(packet)]
        return decoded[-1] if decoded else frame
