"""What a media file really holds, read from its packets and first frames."""

from dataclasses import dataclass, field
from fractions import Fraction
from pathlib import Path

import av
import numpy as np

from reel.core.media.errors import MediaError
from reel.core.media.framing import frame_matrix, frame_range
from reel.core.media.rate import RateFacts, measure_rate
from reel.core.signal import Matrix, Range


@dataclass(frozen=True, slots=True, kw_only=True)
class VideoFacts:
    """The picture of a file. `matrix` and `range` are None where the file does not say them.

    `keyframe_ticks` holds the distances between keyframes in frames, each once, without the last stretch.
    `start_s` is the presentation time of the first picture, `length_s` from there to the end of the last.
    """

    codec: str
    profile: str
    width_px: int
    height_px: int
    pixels: str
    matrix: Matrix | None
    range: Range | None
    rate: RateFacts | None
    frames: int
    keyframe_ticks: tuple[int, ...]
    start_s: Fraction
    length_s: Fraction
    bitrate_bps: int


@dataclass(frozen=True, slots=True, kw_only=True)
class SoundFacts:
    """One sound track of a file; `start_s` is the presentation time of its first sample."""

    codec: str
    profile: str
    rate_hz: int
    channels: int
    start_s: Fraction
    length_s: Fraction
    bitrate_bps: int


@dataclass(frozen=True, slots=True, kw_only=True)
class MediaFacts:
    """A media file: its container by libavformat's name, size, first picture stream (if any) and sound tracks."""

    container: str
    size_bytes: int
    video: VideoFacts | None
    sound: tuple[SoundFacts, ...]

    @property
    def length_s(self) -> Fraction:
        """The length of the picture, or of the longest track when there is none."""
        if self.video:
            return self.video.length_s
        return max((track.length_s for track in self.sound), default=Fraction(0))


@dataclass(slots=True)
class _Packets:
    """What is collected about one stream's packets: time stamps in presentation units, sizes, keyframes."""

    stamps: list[int] = field(default_factory=list)
    keys: list[int] = field(default_factory=list)
    size_bytes: int = 0
    end: int = 0

    def add(self, packet: "av.Packet[av.stream.Stream]") -> None:
        assert packet.pts is not None
        self.stamps.append(packet.pts)
        if packet.is_keyframe:
            self.keys.append(packet.pts)
        self.size_bytes += packet.size
        self.end = max(self.end, packet.pts + (packet.duration or 0))


def probe(path: Path) -> MediaFacts:
    """Read a whole file's packets and the first frame of each stream; raises MediaError."""
    try:
        first = _first_frames(path)
        with av.open(str(path)) as container:
            packets = {stream.index: _Packets() for stream in container.streams}
            for packet in container.demux():
                hidden = (
                    packet.is_discard and packet.stream.type == "video"
                )  # left out by an edit list: no player shows it
                if packet.pts is not None and packet.size and not hidden:
                    packets[packet.stream_index].add(packet)
            video = [_video(s, packets[s.index], first.get(s.index)) for s in container.streams.video[:1]]
            sound = [_sound(s, packets[s.index], first.get(s.index)) for s in container.streams.audio]
            return MediaFacts(
                container=container.format.name,
                size_bytes=path.stat().st_size,
                video=video[0] if video else None,
                sound=tuple(sound),
            )
    except (OSError, ValueError) as error:
        raise MediaError(path, f"can't be read as a media file ({_reason(error)})") from error


def _first_frames(path: Path) -> dict[int, av.VideoFrame | av.AudioFrame]:
    """Decode until every picture and sound stream has given a frame."""
    first: dict[int, av.VideoFrame | av.AudioFrame] = {}
    with av.open(str(path)) as container:
        streams = [s for s in container.streams if s.type in ("video", "audio")]
        for packet in container.demux(streams):
            for frame in packet.decode():
                if isinstance(frame, av.VideoFrame | av.AudioFrame):
                    first.setdefault(packet.stream_index, frame)
            if len(first) == len(streams):
                break
    return first


def _video(stream: av.VideoStream, packets: _Packets, frame: av.VideoFrame | av.AudioFrame | None) -> VideoFacts:
    time_base = stream.time_base or Fraction(1)
    stamps = np.array(sorted(packets.stamps), dtype=np.int64)
    declared = [Fraction(rate) for rate in (stream.base_rate, stream.average_rate) if rate]
    rate = measure_rate(stamps, time_base, declared)
    places = np.searchsorted(stamps, np.array(sorted(packets.keys), dtype=np.int64))
    first = int(stamps[0]) if len(stamps) else 0
    length = max((packets.end - first) * time_base, Fraction(0))
    assert frame is None or isinstance(frame, av.VideoFrame)
    tagged = stream.codec_context
    return VideoFacts(
        codec=stream.codec_context.name,
        profile=stream.profile or "",
        width_px=frame.width if frame else stream.width,
        height_px=frame.height if frame else stream.height,
        pixels=frame.format.name if frame else stream.pix_fmt or "",
        matrix=frame_matrix(frame) if frame and tagged.colorspace != 2 else None,  # 2: unspecified (H.273)
        range=frame_range(frame) if frame and tagged.color_range else None,
        rate=rate,
        frames=len(stamps),
        keyframe_ticks=tuple(sorted({int(step) for step in np.diff(places)})),
        start_s=first * time_base,
        length_s=length,
        bitrate_bps=_bitrate(packets.size_bytes, length),
    )


def _sound(stream: av.AudioStream, packets: _Packets, frame: av.VideoFrame | av.AudioFrame | None) -> SoundFacts:
    time_base = stream.time_base or Fraction(1)
    start = frame.pts * frame.time_base if frame and frame.pts is not None and frame.time_base else Fraction(0)
    length = packets.end * time_base - start
    return SoundFacts(
        codec=stream.codec_context.name,
        profile=stream.profile or "",
        rate_hz=stream.rate,
        channels=stream.channels,
        start_s=start,
        length_s=length,
        bitrate_bps=_bitrate(packets.size_bytes, length),
    )


def _bitrate(size_bytes: int, length: Fraction) -> int:
    return round(size_bytes * 8 / length) if length > 0 else 0


def _reason(error: Exception) -> str:
    return getattr(error, "strerror", None) or str(error)
