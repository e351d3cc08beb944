"""Real compression for stand-ins: motion JPEG as boxes do it, H.264 as a wireless link does it."""

from fractions import Fraction

import av

from reel.core.signal import Matrix, Mode, Range, Signal
from reel.standins.planes import tag

# libavcodec's quantisers for MJPEG, 2 (best) to 31: that of the boxes, and those that they fall back to.
JPEG_QS = (3, 5, 8, 12, 18, 26, 31)
_TIME_BASE = Fraction(1, 60)


class Mjpeg:
    """Compresses pictures of `mode` to JPEG and back, 4:2:2, BT.601 full range as JFIF has it."""

    def __init__(self, mode: Mode) -> None:
        self._signal = Signal(mode=mode, pixels="yuvj422p", matrix=Matrix.BT601, range=Range.FULL)
        self._encoders: dict[int, av.VideoCodecContext] = {}
        self._decoder = av.CodecContext.create("mjpeg", "r")
        self._place = self._count = 0

    def apply(self, frame: av.VideoFrame, room_bits: int | None = None) -> tuple[av.VideoFrame, int]:
        """Return what is left of a frame that has this codec's format, and the bits that it took.

        With `room_bits` a picture that takes more is compressed more coarsely, and so are those that follow it.
        """
        packets = self._packets(frame)
        while room_bits is not None and _bits(packets) > room_bits and self._place < len(JPEG_QS) - 1:
            self._place += 1
            packets = self._packets(frame)
        if room_bits is not None and self._place and _bits(packets) < room_bits // 3:
            self._place -= 1
        assert isinstance(self._decoder, av.VideoCodecContext)
        decoded = [picture for packet in packets for picture in self._decoder.decode(packet)]
        return tag(decoded[0], self._signal), _bits(packets)

    def _packets(self, frame: av.VideoFrame) -> "list[av.Packet[av.VideoStream]]":
        frame.pts, frame.time_base = self._count, _TIME_BASE
        self._count += 1
        return list(self._encoder(JPEG_QS[self._place]).encode(frame))

    def _encoder(self, quantiser: int) -> av.VideoCodecContext:
        if quantiser not in self._encoders:
            encoder = av.CodecContext.create("mjpeg", "w")
            assert isinstance(encoder, av.VideoCodecContext)
            encoder.width, encoder.height = self._signal.mode.width_px, self._signal.mode.height_px
            encoder.pix_fmt, encoder.time_base = "yuvj422p", _TIME_BASE
            encoder.qmin = encoder.qmax = quantiser
            encoder.options = {"strict": "-2"}
            self._encoders[quantiser] = encoder
        return self._encoders[quantiser]


def _bits(packets: "list[av.Packet[av.VideoStream]]") -> int:
    return sum(packet.size for packet in packets) * 8


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
        """Return what is left of a 4:2:0 frame; the one before when the decoder still waits."""
        assert isinstance(self._encoder, av.VideoCodecContext) and isinstance(self._decoder, av.VideoCodecContext)
        frame.pts, frame.time_base = self._count, _TIME_BASE
        self._count += 1
        decoded = [p for packet in self._encoder.encode(frame) for p in self._decoder.decode(packet)]
        return decoded[-1] if decoded else frame
