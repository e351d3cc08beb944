"""Writing one part: H.264 and AAC into a file that stays readable when the writer is killed."""

from collections import deque
from fractions import Fraction
from pathlib import Path
from types import TracebackType

import av
import numpy as np
from av.video.frame import PictureType

from reel.core.file import EFFORTS, Container, RateControl, Recipe
from reel.core.media.errors import BROKEN, MediaError, reason_of
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
# B-frames between two others; x264's default, which no effort that Reel has goes beyond.
_B_FRAMES = 3


class PartWriter:
    """Writes one part of a take. Use it with `with`: leaving closes the file.

    Pictures come in the order of their ticks (a tick may be left out), samples in the order of their positions.
    """

    def __init__(self, path: Path, recipe: Recipe, sound: SoundFormat | None) -> None:
        """Open the file and the encoders; raises MediaError, and leaves nothing open, when either can't be."""
        self._path, self._recipe, self._sound_format = path, recipe, sound
        self._tail: deque[tuple[av.VideoFrame, int]] = deque()
        self._sound: av.AudioStream | None = None
        self._closed = False
        try:
            self._container = av.open(
                str(path),
                "w",
                format=_FORMAT_NAMES[recipe.container],
                options=_CONTAINER_OPTIONS[recipe.container],
            )
        except BROKEN as error:
            raise MediaError(path, f"could not be opened for writing ({reason_of(error)})") from error
        try:
            self._video = self._add_video()
            if sound is not None:
                self._add_sound(sound)
            self._container.start_encoding()
        except BROKEN as error:
            self._container.close()
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

    def write_samples(self, data: FloatArray, position: int) -> None:
        """Encode float32 (channels, samples) that start at sample `position` of the take; raises MediaError.

        Positions that drift against the samples are followed by stretching a little, gaps are filled with silence.
        """
        if self._sound is None or self._sound_format is None or data.shape[1] == 0:
            return
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(data), format="fltp", layout=self._layout)
        frame.sample_rate = self._sound_format.rate_hz
        frame.pts, frame.time_base = position, Fraction(1, self._sound_format.rate_hz)
        self._follow(frame)

    def close(self) -> None:
        """Drain the encoders and close the file; raises MediaError. A second call does nothing."""
        if self._closed:
            return
        self._closed = True
        try:
            if self._sound is not None:
                self._follow(None)
                self._mux(self._sound, None)
            for frame, tick in self._tail:
                self._encode(frame, tick, PictureType.P)
            self._mux(self._video, None)
        finally:
            self._tail.clear()
            self._close_container()

    def _close_container(self) -> None:
        try:
            self._container.close()
        except BROKEN as error:
            raise MediaError(self._path, f"could not be closed ({reason_of(error)})") from error

    def _encode(self, frame: av.VideoFrame, tick: int, kind: PictureType) -> None:
        frame.pts, frame.time_base, frame.pict_type = tick, 1 / self._recipe.tick_rate, kind
        self._mux(self._video, frame)

    def _mux(self, stream: av.VideoStream | av.AudioStream, frame: av.VideoFrame | av.AudioFrame | None) -> None:
        try:
            for packet in stream.encode(frame):  # type: ignore[arg-type]  # the union is narrowed by the caller
                if stream is self._video and self._picture_ticks:
                    packet.duration = self._picture_ticks
                self._container.mux(packet)
        except BROKEN as error:
            raise MediaError(self._path, f"could not be written ({reason_of(error)})") from error

    def _follow(self, frame: av.AudioFrame | None) -> None:
        """Send a block through the drift-following filter into the encoder; None drains it."""
        assert self._sound is not None
        try:
            self._graph.push(frame)
        except BROKEN as error:
            raise MediaError(self._path, f"could not be written: its sound ({reason_of(error)})") from error
        while True:
            try:
                followed = self._graph.pull()
            except (BlockingIOError, EOFError):
                return
            assert isinstance(followed, av.AudioFrame)
            self._mux(self._sound, followed)

    def _add_video(self) -> av.VideoStream:
        recipe = self._recipe
        stream = self._container.add_stream("libx264", rate=recipe.frame.rate)
        stream.width, stream.height, stream.pix_fmt = recipe.frame.width_px, recipe.frame.height_px, "yuv420p"
        context = stream.codec_context
        context.time_base = 1 / recipe.tick_rate
        context.colorspace = context.color_primaries = context.color_trc = _BT709
        context.color_range = _LIMITED
        context.gop_size = recipe.keyframe_ticks
        # what a picture that keeps its time lasts is known only when the next one comes: Matroska need not say it
        is_unknown = recipe.as_it_comes and recipe.container is Container.MKV
        self._picture_ticks = 0 if is_unknown else max(1, round(recipe.tick_rate / recipe.frame.rate))
        effort = EFFORTS[recipe.effort]
        lookahead = min(effort.lookahead, round(recipe.frame.rate / 3))
        options = {
            "preset": effort.preset,
            "profile": "high",
            "8x8dct": "1",  # what makes it High; ultrafast would leave it out
            "keyint_min": str(recipe.keyframe_ticks),
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

    def _add_sound(self, sound: SoundFormat) -> None:
        self._layout = {1: "mono", 2: "stereo"}[sound.channels]
        self._sound = self._container.add_stream("aac", rate=sound.rate_hz, layout=self._layout)
        self._sound.bit_rate = self._recipe.sound_bitrate_bps
        self._graph = av.filter.Graph()
        self._graph.link_nodes(
            self._graph.add_abuffer(
                sample_rate=sound.rate_hz,
                format="fltp",
                layout=self._layout,
                time_base=Fraction(1, sound.rate_hz),
            ),
            self._graph.add("aresample", "async=1000:first_pts=0"),
            self._graph.add("asetnsamples", "n=1024:p=0"),
            self._graph.add("abuffersink"),
        ).configure()
