"""Writing one part: H.264 and tracks of AAC into a file that stays readable when the writer is killed."""

from collections import deque
from pathlib import Path
from types import TracebackType

import av
from av.video.frame import PictureType

from reel.core.file import EFFORTS, Container, FilePlan, RateControl
from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.soundfile import SoundFilesBeside
from reel.core.media.soundgraph import LAYOUTS, sound_frame
from reel.core.signal import FloatArray, SoundFormat

# Fragments of a quarter and clusters of half a second, flushed at once: what a killed writer can lose. A fragment is
# written when it is whole, a cluster picture by picture.
_CONTAINER_OPTIONS = {
    Container.MKV: {"flush_packets": "1", "cluster_time_limit": "500"},
    Container.MP4: {
        "movflags": "+hybrid_fragmented",
        "frag_duration": "250000",
        "flush_packets": "1",
        "use_editlist": "1",
    },
}
_FORMAT_NAMES = {Container.MKV: "matroska", Container.MP4: "mp4"}
# ITU-T H.273: 1 is BT.709 for primaries, transfer and matrix; AVCOL_RANGE_MPEG (limited) is 1.
_BT709 = 1
_LIMITED = 1
# Samples of a block for an encoder that takes any number.
_BLOCK = 1024
# B-frames between two others; x264's default, which no effort that Reel has goes beyond.
_B_FRAMES = 3


class PartWriter:
    """Writes one part of a take, and the files of sound beside it. Use it with `with`: leaving closes the files.

    Pictures come in the order of their ticks (a tick may be left out), the samples of each track without a hole.
    """

    def __init__(self, path: Path, plan: FilePlan) -> None:
        """Open the file and the encoders; raises MediaError, and leaves nothing open, when either can't be."""
        self._path, self._plan, self._recipe = path, plan, plan.recipe
        self._tail: deque[tuple[av.VideoFrame, int]] = deque()
        self._closed = False
        self._files = SoundFilesBeside(path, plan)
        try:
            self._container = av.open(
                str(path),
                "w",
                format=_FORMAT_NAMES[self._recipe.container],
                options=_CONTAINER_OPTIONS[self._recipe.container],
            )
        except BROKEN as error:
            self._files.close()
            raise MediaError(path, f"could not be opened for writing ({reason_of(error)})") from error
        try:
            self._video = self._add_video()
            self._tracks = [_Track(self._add_track(name), self._recipe.sound) for name in plan.tracks]
            self._container.start_encoding()
        except BROKEN as error:
            self._container.close()
            self._files.close()
            raise MediaError(path, f"could not be begun: the encoder refuses it ({reason_of(error)})") from error

    def __enter__(self) -> "PartWriter":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def write_picture(self, frame: av.VideoFrame, tick: int) -> None:
        """Encode a frame of the recipe's size in yuv420p as the picture of `tick`; raises MediaError.

        The last few stay here until more come. libavformat's mov muxer takes the length that it writes into the edit
        list from the last fragment alone; where that holds one B-frame only, every player would leave out the picture
        that follows it. Closing encodes them without B-frames, so that the last packet is the last picture.
        """
        self._tail.append((frame, tick))
        if len(self._tail) > _B_FRAMES or self._recipe.container is not Container.MP4:
            self._encode(*self._tail.popleft(), PictureType.NONE)

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
            for frame, tick in self._tail:
                self._encode(frame, tick, PictureType.P)
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
            raise MediaError(self._path, f"could not be closed ({reason_of(error)})") from error

    def _encode(self, frame: av.VideoFrame, tick: int, kind: PictureType) -> None:
        frame.pts, frame.time_base, frame.pict_type = tick, 1 / self._plan.tick_rate, kind
        self._mux(self._video, frame)

    def _mux(self, stream: av.VideoStream | av.AudioStream, frame: av.VideoFrame | av.AudioFrame | None) -> None:
        try:
            for packet in stream.encode(frame):  # type: ignore[arg-type]  # the union is narrowed by the caller
                if stream is self._video and self._picture_ticks:
                    packet.duration = self._picture_ticks
                self._container.mux(packet)
        except BROKEN as error:
            raise MediaError(self._path, f"could not be written ({reason_of(error)})") from error

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
        recipe, plan = self._recipe, self._plan
        stream = self._container.add_stream("libx264", rate=plan.frame.rate)
        stream.width, stream.height, stream.pix_fmt = plan.frame.width_px, plan.frame.height_px, "yuv420p"
        context = stream.codec_context
        context.time_base = 1 / plan.tick_rate
        context.colorspace = context.color_primaries = context.color_trc = _BT709
        context.color_range = _LIMITED
        context.gop_size = plan.keyframe_ticks
        # what a picture that keeps its time lasts is known only when the next one comes: Matroska need not say it
        is_unknown = plan.as_it_comes and recipe.container is Container.MKV
        self._picture_ticks = 0 if is_unknown else max(1, round(plan.tick_rate / plan.frame.rate))
        effort = EFFORTS[recipe.effort]
        lookahead = min(effort.lookahead, round(plan.frame.rate / 3))
        options = {
            "preset": effort.preset,
            "profile": "high",
            "8x8dct": "1",  # what makes it High; ultrafast would leave it out
            "keyint_min": str(plan.keyframe_ticks),
            "sc_threshold": "0",
            "rc-lookahead": str(lookahead),
            "bf": "0" if effort.preset == "ultrafast" else str(_B_FRAMES),
        }
        if recipe.rate_control is RateControl.CBR:
            bits = str(recipe.bitrate_bps)
            options |= {"b": bits, "maxrate": bits, "minrate": bits, "bufsize": bits, "nal-hrd": "cbr"}
        else:
            options["crf"] = str(recipe.quality_crf)
        context.options = options
        return stream

    def _add_track(self, name: str) -> av.AudioStream:
        sound = self._recipe.sound
        stream = self._container.add_stream("aac", rate=sound.rate_hz, layout=LAYOUTS[sound.channels])
        stream.bit_rate = self._recipe.sound_bitrate_bps
        if len(self._plan.tracks) > 1:  # the default takes a tenth of a core for a track, this a third of that
            stream.codec_context.options = {"aac_coder": "fast"}
        # Matroska keeps it as the track's name; libavformat's mov muxer writes a title into its user data
        stream.metadata["title"] = name
        return stream


class _Track:
    """One sound track: samples that follow each other, cut into the blocks that the encoder takes."""

    def __init__(self, stream: av.AudioStream, sound: SoundFormat) -> None:
        self.stream, self._sound = stream, sound
        self._fifo = av.AudioFifo()
        self._position = 0

    def blocks(self, data: FloatArray | None) -> list[av.AudioFrame]:
        """Take more samples, or None for no more, and give the blocks that are complete."""
        if data is not None:
            self._fifo.write(sound_frame(data, self._sound.rate_hz, self._position))
            self._position += data.shape[1]
        size = self.stream.codec_context.frame_size or _BLOCK
        made = self._fifo.read_many(size, partial=data is None)
        return list(made)
