"""What feeds from files and from the network share: what may be opened, and what a decoded frame says of the signal."""

from fractions import Fraction

import av

from reel.core.media.framing import frame_matrix, frame_range
from reel.core.signal import Mode, Scan, Signal, SoundFormat

RATE_HZ = 48_000
# Containers that hold their own pictures and sound; playlists and concatenations, which point elsewhere, do not.
FORMATS = "mov,mp4,m4a,3gp,3g2,mj2,matroska,webm,mpegts,mpeg,flv,live_flv,rtsp,avi,ogg,mxf,nut,h264,hevc,m4v,dv"
_UNKNOWN_RATE = Fraction(30)


def open_options(protocols: str) -> dict[str, str]:
    """Give libavformat's options that keep a source to these protocols and to FORMATS."""
    return {"protocol_whitelist": protocols, "format_whitelist": FORMATS}


def frame_signal(frame: av.VideoFrame, stream: av.VideoStream) -> Signal:
    """Say what a decoded frame and its stream tell of the signal; raises BadValueError beyond Mode's limits."""
    rate = Fraction(stream.guessed_rate or stream.average_rate or _UNKNOWN_RATE)
    return Signal(
        mode=Mode(
            width_px=frame.width // 2 * 2,
            height_px=frame.height // 2 * 2,
            rate=min(max(rate, Fraction(1)), Fraction(240)),
            scan=Scan.INTERLACED if frame.interlaced_frame else Scan.PROGRESSIVE,
        ),
        pixels=frame.format.name,
        matrix=frame_matrix(frame),
        range=frame_range(frame),
        pixel_aspect=Fraction(stream.codec_context.sample_aspect_ratio or 1),
    )


def sound_format(container: av.container.InputContainer) -> SoundFormat | None:
    """Give the format that a container's first sound track is converted to; None when it has none."""
    return SoundFormat(rate_hz=RATE_HZ) if container.streams.audio else None
