"""Writing one part: picture and tracks into a file, as its recipe says."""

import os
import time
from collections import deque
from contextlib import suppress
from dataclasses import dataclass
from fractions import Fraction
from pathlib import Path
from types import TracebackType

import av
import av.filter
import numpy as np
from av.stream import Disposition
from av.video.frame import PictureType

from reel.core.file import EncoderSettings, FilePlan, SoundFacts, encoder_settings
from reel.core.media.boxes import trim
from reel.core.media.digest import SentFacts, StreamSum, sums_of
from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.framing import MATRIX_CODES, RANGE_CODES
from reel.core.media.soundfile import SoundFilesBeside
from reel.core.media.soundgraph import LAYOUTS, sound_frame
from reel.core.signal import FloatArray, SoundFormat

# SVT-AV1 writes to the console by itself; 1 is errors only.
os.environ.setdefault("SVT_LOG", "1")
# ITU-T H.273: 1 is BT.709 for primaries and transfer, which pictures of every matrix here are shown by.
_BT709 = 1
# No picture waits longer in the muxer for sound that is late, in µs: until it is written a crash costs it.
_LATE_SOUND = {"max_interleave_delta": "250000"}
# An MPEG-TS begins so many seconds after 0, and as many pictures as its first one is kept back for. Its stamps have no
# sign: what is written second and begins before the first would be stamped 26 hours later.
_TS_BEGINS_S = 0.5
# libavcodec's quick AAC coder takes a third of the work. Up to this it keeps 1 to 5 dB more of an ambience than the
# usual one, 17 dB more of a tone, 1.5 dB less of white noise; at 320 kb/s it keeps 10 dB less of noise.
_FAST_AAC_BPS = 192_000
# Samples of a block for an encoder that takes any number.
_BLOCK = 1024


@dataclass(frozen=True, slots=True, kw_only=True)
class Shape:
    """How frames are shown: with pixels of an `aspect` of width ÷ height, `turned_deg` against the clock."""

    aspect: Fraction = Fraction(1)
    turned_deg: int = 0


_SQUARE = Shape()


class PartWriter:
    """Writes one part of a take, and the files of sound beside it. Use it with `with`: leaving closes the files.

    Pictures come in the order of their ticks (a tick may be left out), the samples of each track without a hole.
    `disk_s` is how long it waited for the drive so far, in seconds.
    """

    def __init__(self, path: Path, plan: FilePlan, shape: Shape = _SQUARE) -> None:
        """Open the file and the encoders; raises MediaError, and leaves nothing open, when either can't be."""
        self._path, self._plan, self._recipe = path, plan, plan.recipe
        self._settings, self._shape = encoder_settings(plan), shape
        container = self._recipe.container_facts
        # where a fragment's last picture may be a B-frame, so many are kept back: see `write_picture`
        self._is_mov = container.muxer in ("mp4", "mov")
        self._kept = self._settings.b_frames if self._is_mov else 0
        self._before: av.Packet[av.VideoStream] | None = None
        self._tail: deque[tuple[av.VideoFrame, int]] = deque()
        self._encoded = 0
        self._shapes: av.filter.Graph | None = None
        self._closed = False
        self.disk_s = 0.0
        self._files = SoundFilesBeside(path, plan)
        try:
            options = {**container.options, **(_LATE_SOUND if container.survives else {})}
            if container.muxer == "mpegts":
                options["output_ts_offset"] = f"{_TS_BEGINS_S + (self._settings.b_frames + 1) / plan.frame.rate:.3f}"
            self._container = av.open(str(path), "w", format=container.muxer, options=options)
        except BROKEN as error:
            self._files.close()
            raise MediaError(path, f"could not be opened for writing ({reason_of(error)})") from error
        try:
            self._video = self._add_video()
            self._tracks = [
                _Track(self._add_track(name), self._recipe.sound_facts, self._recipe.sound) for name in plan.tracks
            ]
            # the header is written with the first packet: libavformat's mov muxer crashes on closing a file without any
            for stream in (self._video, *(track.stream for track in self._tracks)):
                stream.codec_context.open()
            # what a player takes where nobody chooses
            for stream in (self._video, *(track.stream for track in self._tracks[:1])):
                stream.disposition = Disposition.default
            self._sums = [
                StreamSum(stream.codec_context.codec.canonical_name, stream.codec_context.extradata or b"")
                for stream in (self._video, *(track.stream for track in self._tracks))
            ]
        except BROKEN as error:
            self._container.close()
            self._files.close()
            raise MediaError(path, f"could not be begun: the encoder refuses it ({reason_of(error)})") from error

    @property
    def facts(self) -> SentFacts:
        """What was written of each stream."""
        return sums_of(self._sums)

    def __enter__(self) -> "PartWriter":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def write_picture(self, frame: av.VideoFrame, tick: int) -> None:
        """Encode a frame, coded as the plan's signal is, as the picture of `tick`; raises MediaError.

        The last few stay here until more come. libavformat's mov muxer takes the length that it writes into the edit
        list from the last fragment alone; where that holds one B-frame only, every player would leave out the picture
        that follows it. Closing encodes them without B-frames, so that the last packet is the last picture.
        """
        self._tail.append((frame, tick))
        if len(self._tail) > self._kept:
            self._encode(*self._tail.popleft(), PictureType.NONE)
            self._encoded += 1

    def write_samples(self, track: int, data: FloatArray) -> None:
        """Encode float32 (channels, samples) that follow on those before on a track (from 0); raises MediaError."""
        if data.shape[1]:
            self._write_track(self._tracks[track], data)
            self._files.write(track, data)

    def close(self) -> None:
        """Drain the encoders and close the file; raises MediaError. A second call does nothing."""
        if self._closed:
            return
        self._closed = True
        try:
            for track in self._tracks:
                self._write_track(track, None)
            for place, (frame, tick) in enumerate(self._tail, start=self._encoded):
                # a keyframe that is due stays one: where it could not be, the encoder would set it earlier
                is_due = place % self._settings.keyframe_ticks == 0
                self._encode(frame, tick, PictureType.NONE if is_due else PictureType.P)
            self._mux(self._video, None)
        finally:
            self._tail.clear()
            try:
                self._files.close()
            finally:
                self._close_container()

    def _close_container(self) -> None:
        try:
            self._container.close()
        except BROKEN as error:
            if self._is_mov:
                with suppress(OSError):
                    trim(self._path)
            raise MediaError(self._path, f"could not be closed ({reason_of(error)})") from error

    def _encode(self, frame: av.VideoFrame, tick: int, kind: PictureType) -> None:
        if self._shape.aspect != 1:
            frame = self._shaped(frame)
        frame.pts, frame.time_base, frame.pict_type = tick, 1 / self._plan.tick_rate, kind
        frame.color_primaries = frame.color_trc = _BT709
        self._mux(self._video, frame)

    def _shaped(self, frame: av.VideoFrame) -> av.VideoFrame:
        """Return a frame that says itself what shape its pixels have, as FFV1 keeps it with each."""
        if self._shapes is None:
            self._shapes = av.filter.Graph()
            buffer = self._shapes.add_buffer(
                width=frame.width, height=frame.height, format=frame.format, time_base=1 / self._plan.tick_rate
            )
            steps = buffer, self._shapes.add("setsar", str(self._shape.aspect)), self._shapes.add("buffersink")
            self._shapes.link_nodes(*steps).configure()
        self._shapes.push(frame)
        made = self._shapes.vpull()
        made.colorspace, made.color_range = frame.colorspace, frame.color_range
        return made

    def _mux(self, stream: av.VideoStream | av.AudioStream, frame: av.VideoFrame | av.AudioFrame | None) -> None:
        try:
            for packet in stream.encode(frame):  # type: ignore[arg-type]  # the union is narrowed by the caller
                self._sums[stream.index].add(bytes(packet))
                if stream is not self._video:
                    self._write(packet)
                else:
                    self._write_picture_packet(packet)
            if frame is None and stream is self._video and self._before is not None:
                self._write(self._before)
        except BROKEN as error:
            raise MediaError(self._path, f"could not be written ({reason_of(error)})") from error

    def _write_picture_packet(self, packet: "av.Packet[av.VideoStream]") -> None:
        """Write a picture's packet, in MP4 and MOV the one before it.

        libavformat's mov muxer takes the length of a fragment's last packet as the packet says it, and where a picture
        is missing behind it that is longer than a picture's: it is known when the next one comes.
        """
        if self._picture_ticks:
            packet.duration = self._picture_ticks
        if not self._is_mov:
            self._write(packet)
            return
        before, self._before = self._before, packet
        if before is not None:
            if packet.dts is not None and before.dts is not None:
                before.duration = max(1, packet.dts - before.dts)
            self._write(before)

    def _write(self, packet: "av.Packet[av.VideoStream] | av.Packet[av.AudioStream]") -> None:
        began_s = time.perf_counter()
        self._container.mux(packet)
        self.disk_s += time.perf_counter() - began_s

    def _write_track(self, track: "_Track", data: FloatArray | None) -> None:
        """Encode what fills blocks of the encoder's size; None encodes the rest and drains it."""
        try:
            blocks = track.blocks(data)
        except BROKEN as error:
            raise MediaError(self._path, f"could not be written: its sound ({reason_of(error)})") from error
        for block in blocks:
            self._mux(track.stream, block)
        if data is None:
            self._mux(track.stream, None)

    def _add_video(self) -> av.VideoStream:
        plan, told = self._plan, self._settings
        stream = self._container.add_stream(told.encoder, rate=plan.frame.rate)
        assert isinstance(stream, av.VideoStream)
        context = stream.codec_context
        tell(context, plan, told)
        if told.tag:
            context.codec_tag = told.tag
        if self._shape.aspect != 1:
            context.sample_aspect_ratio = self._shape.aspect
        if self._shape.turned_deg:
            stream.set_display_rotation(self._shape.turned_deg)
        # what a picture that keeps its time lasts is known only when the next one comes: Matroska need not say it
        is_unknown = plan.as_it_comes and self._recipe.container_facts.muxer in ("matroska", "webm")
        self._picture_ticks = 0 if is_unknown else max(1, round(plan.tick_rate / plan.frame.rate))
        return stream

    def _add_track(self, name: str) -> av.AudioStream:
        recipe, codec = self._recipe, self._recipe.sound_facts
        stream = self._container.add_stream(
            codec.encoder, rate=recipe.sound.rate_hz, layout=LAYOUTS[recipe.sound.channels]
        )
        assert isinstance(stream, av.AudioStream)
        context = stream.codec_context
        context.format = av.AudioFormat(codec.samples)
        if codec.bitrates_bps:
            stream.bit_rate = recipe.sound_bitrate_bps
        context.options = dict(codec.options)
        if codec.encoder == "aac" and (len(self._plan.tracks) > 1 or self._recipe.sound_bitrate_bps <= _FAST_AAC_BPS):
            context.options = {"aac_coder": "fast"}
        # Matroska keeps it as the track's name; libavformat's mov muxer writes a title into its user data
        stream.metadata["title"] = name
        return stream


def tell(context: av.VideoCodecContext, plan: FilePlan, told: EncoderSettings) -> None:
    """Set up an encoder that is not open yet."""
    context.width, context.height, context.pix_fmt = plan.frame.width_px, plan.frame.height_px, told.pixels
    context.time_base = 1 / plan.tick_rate
    context.colorspace, context.color_range = MATRIX_CODES[plan.recipe.matrix], RANGE_CODES[plan.recipe.range]
    context.color_primaries = context.color_trc = _BT709
    context.gop_size = told.keyframe_ticks
    if told.bitrate_bps is not None:
        context.bit_rate = told.bitrate_bps
    context.options = dict(told.options)


class _Track:
    """One sound track: samples that follow each other, cut into the blocks that the encoder takes."""

    def __init__(self, stream: av.AudioStream, facts: SoundFacts, sound: SoundFormat) -> None:
        self.stream, self._sound, self._kept_back = stream, sound, facts.kept_back
        self._fifo = av.AudioFifo()
        self._form = av.AudioResampler(format=facts.samples, layout=LAYOUTS[sound.channels], rate=sound.rate_hz)
        self._position = 0

    def blocks(self, data: FloatArray | None) -> list[av.AudioFrame]:
        """Take more samples, or None for no more, and give the blocks that are complete."""
        if data is not None:
            self._take(data)
        elif self._kept_back and self._position:
            self._take(np.zeros((self._sound.channels, self._kept_back), dtype=np.float32))
        size = self.stream.codec_context.frame_size or _BLOCK
        made = self._fifo.read_many(size, partial=data is None)
        return list(made)

    def _take(self, data: FloatArray) -> None:
        for frame in self._form.resample(sound_frame(data, self._sound.rate_hz, self._position)):
            self._fifo.write(frame)
        self._position += data.shape[1]
