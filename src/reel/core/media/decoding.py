"""What feeds from files and from the network share: what may be opened, and how it becomes pictures and samples."""

import stat
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
from av.audio.resampler import AudioResampler
from av.stream import Disposition

from reel.core.errors import BadValueError
from reel.core.media.errors import BROKEN, reason_of
from reel.core.media.framing import frame_matrix, frame_range, frame_transfer
from reel.core.media.normal import Normal
from reel.core.media.streams import open_to_read, pictures_of, sounds_of
from reel.core.signal import NS, Arrived, FloatArray, InputError, Mode, Samples, Scan, Signal, SoundFormat
from reel.core.signal.mode import MAX_RATE

RATE_HZ = 48_000
# Containers that hold their own pictures and sound; playlists and concatenations, which point elsewhere, do not.
FORMATS = "mov,mp4,m4a,3gp,3g2,mj2,matroska,webm,mpegts,mpeg,flv,live_flv,rtsp,avi,ogg,mxf,nut,h264,hevc,m4v,dv"
_UNKNOWN_RATE = Fraction(30)
# As many packets in a row may be broken before the whole is taken for rubbish.
MAX_BROKEN_PACKETS = 200

Container = av.container.InputContainer


@dataclass(frozen=True, slots=True)
class Decoded:
    """A picture as Reel takes it, with the second at which its source shows it, or a block of float32 stereo.

    `lost` pictures before it could not be decoded. `lasts_s` is how long it is shown, None where that is not said.
    """

    shown_s: Fraction
    frame: av.VideoFrame | None = None
    data: FloatArray | None = None
    lost: int = 0
    lasts_s: Fraction | None = None


def open_options(protocols: str) -> dict[str, str]:
    """Return libavformat's options that keep a source to these protocols and to FORMATS."""
    return {"protocol_whitelist": protocols, "format_whitelist": FORMATS}


def open_file(path: Path) -> Container:
    """Open a media file that holds its own picture; raises InputError. What is no plain file is not opened at all."""
    try:
        if not stat.S_ISREG(path.stat().st_mode):
            raise InputError(path.name, "is no plain file and is not played")
        return open_to_read(path, options=open_options("file"))
    except InputError:
        raise
    except BROKEN as error:
        raise InputError(
            path.name, "can't be opened as a feed: it is missing, or not a media file that holds its own picture"
        ) from error


def picture_stream(container: Container, name: str) -> av.VideoStream:
    """Return the stream that moves, no cover picture; raises InputError."""
    for stream in pictures_of(container):
        if not stream.disposition & Disposition.attached_pic:
            stream.thread_type = "AUTO"
            return stream
    raise InputError(name, "has no picture; a feed needs one")


def frame_signal(frame: av.VideoFrame, stream: av.VideoStream, name: str) -> Signal:
    """Say what a decoded frame and its stream tell of the signal; raises InputError beyond Mode's limits."""
    turned = frame.width != stream.width and frame.width == stream.height // 2 * 2
    aspect = Fraction(stream.sample_aspect_ratio or 1)
    try:
        mode = Mode(
            width_px=frame.width,
            height_px=frame.height,
            rate=_rate(stream),
            scan=Scan.INTERLACED if frame.interlaced_frame else Scan.PROGRESSIVE,
        )
    except BadValueError as error:
        raise InputError(name, f"can't be played as a feed: {str(error).rstrip('.')}") from error
    return Signal(
        mode=mode,
        pixels=frame.format.name,
        matrix=frame_matrix(frame),
        range=frame_range(frame),
        transfer=frame_transfer(frame),
        pixel_aspect=1 / aspect if turned else aspect,
    )


def _rate(stream: av.VideoStream) -> Fraction:
    """Return the rate that a stream says, where it says a sensible one."""
    for rate in (stream.guessed_rate, stream.average_rate):
        if rate and 1 <= rate <= MAX_RATE:
            return Fraction(rate)
    return _UNKNOWN_RATE


def sound_format(container: Container) -> SoundFormat | None:
    """Return the format that a container's first sound track is converted to; None when it has none."""
    return SoundFormat(rate_hz=RATE_HZ) if sounds_of(container) else None


def complete_ns(arrival: Arrived) -> int:
    """Return when a picture is shown, or a block of sound at RATE_HZ is complete."""
    length = int(arrival.data.shape[1]) * NS // RATE_HZ if isinstance(arrival, Samples) else 0
    return arrival.at_ns + length


class Decoder:
    """Decodes a container's picture and its first sound track, whatever becomes of them on the way.

    A packet that can't be decoded is left out and counted; MAX_BROKEN_PACKETS in a row end it. Pixel formats, turned
    and odd pictures are brought to what Reel takes; sound that changes its format goes on as 48 kHz stereo.
    """

    def __init__(
        self,
        container: Container,
        name: str,
        packet: Callable[[int, "av.Packet[av.stream.Stream]"], None] = lambda stream, packet: None,
    ) -> None:
        """Raises InputError when there is no picture. `packet` is given each packet with its stream's place."""
        self._container, self._name, self._packet = container, name, packet
        self.stream = picture_stream(container, name)
        self.streams: list[av.VideoStream | av.AudioStream] = [self.stream, *sounds_of(container)[:1]]
        self._normal = Normal()
        self._resampler: AudioResampler | None = None
        self._sound_key: object = None
        self._broken = self._lost = self._pictures = 0

    def run(self) -> Iterator[Decoded]:
        """Return what is decoded, in the order of the container; raises InputError when it is broken."""
        places = {stream.index: place for place, stream in enumerate(self.streams)}
        packets = self._container.demux(self.streams)
        while True:
            try:
                packet = next(packets, None)
            except BROKEN as error:
                raise InputError(self._name, f"can't be read any further ({reason_of(error)})") from error
            if packet is None:
                return
            self._packet(places[packet.stream.index], packet)
            yield from self._decode(packet)

    def _decode(self, packet: "av.Packet[av.stream.Stream]") -> Iterator[Decoded]:
        try:
            frames = packet.decode()
        except BROKEN as error:
            self._broken += 1
            self._lost += packet.stream is self.stream
            if self._broken > MAX_BROKEN_PACKETS:
                raise InputError(self._name, "sends data that can't be decoded") from error
            return
        for frame in frames:
            self._broken = 0
            if isinstance(frame, av.VideoFrame):
                yield self._picture(frame)
            elif isinstance(frame, av.AudioFrame):
                yield from self._sound(frame)

    def _picture(self, frame: av.VideoFrame) -> Decoded:
        if frame.pts is not None and frame.time_base is not None:
            shown_s = frame.pts * frame.time_base
        else:  # a bare stream says no times: its pictures follow at its rate
            shown_s = self._pictures / _rate(self.stream)
        self._pictures += 1
        lasts = frame.duration * frame.time_base if frame.duration and frame.time_base else None
        lost, self._lost = self._lost, 0
        try:
            made = self._normal.apply(frame)
        except BROKEN as error:
            raise InputError(
                self._name, f"can't be played as a feed: its pictures in {frame.format.name} can't be converted"
            ) from error
        return Decoded(shown_s, frame=made, lost=lost, lasts_s=lasts)

    def _sound(self, frame: av.AudioFrame) -> Iterator[Decoded]:
        if frame.pts is None or frame.time_base is None:
            return
        key = (frame.format.name, frame.layout.name, frame.sample_rate)
        shown_s = frame.pts * frame.time_base
        try:
            if key != self._sound_key:
                self._resampler, self._sound_key = AudioResampler(format="fltp", layout="stereo", rate=RATE_HZ), key
            assert self._resampler is not None
            blocks = self._resampler.resample(frame)
        except BROKEN:
            self._sound_key = None
            return
        for block in blocks:
            yield Decoded(shown_s, data=block.to_ndarray().astype(np.float32, copy=False))


def feed_files(folder: Path) -> list[str]:
    """Return the names of the files of a feeds folder that can be written down; none when the folder is gone."""
    try:
        names = [entry.name for entry in folder.iterdir() if entry.is_file()]
    except OSError:
        return []
    return sorted(name for name in names if name.isprintable() and not name.startswith("."))


def feed_signal(path: Path) -> Signal:
    """Say what a media file would send as a feed; raises InputError when it can't be one."""
    with open_file(path) as container:
        decoder = Decoder(container, path.name)
        for decoded in decoder.run():
            if decoded.frame is not None:
                return frame_signal(decoded.frame, decoder.stream, path.name)
    raise InputError(path.name, "can't be played as a feed: nothing in it could be decoded")
