"""Writing one part: H.264 and AAC into a file that stays readable when the writer is killed."""

from fractions import Fraction
from pathlib import Path
from types import TracebackType

import av
import numpy as np
from av.video.frame import PictureType

from reel.core.file import EFFORTS, Container, RateControl, Recipe
from reel.core.media.errors import MediaError
from reel.core.signal import FloatArray, SoundFormat

# Fragments and clusters of half a second, flushed at once: what a killed writer can lose.
_CONTAINER_OPTIONS = {
    Container.MKV: {"flush_packets": "1", "cluster_time_limit": "500"},
    Container.MP4: {
        "movflags": "+hybrid_fragmented",
        "frag_duration": "500000",
        "flush_packets": "1",
        "use_editlist": "1",
    },
}
_FORMAT_NAMES = {Container.MKV: "matroska", Container.MP4: "mp4"}
# ITU-T H.273: 1 is BT.709 for primaries, transfer and matrix; AVCOL_RANGE_MPEG (limited) is 1.
_BT709 = 1
_LIMITED = 1


class PartWriter:
    """Writes one part of a take. Use it with `with`: leaving closes the file.

    Pictures come in the order of their ticks (a tick may be left out), samples in the order of their positions.
    """

    def __init__(self, path: Path, recipe: Recipe, sound: SoundFormat | None) -> None:
        self._path, self._recipe, self._sound_format = path, recipe, sound
        try:
            self._container = av.open(
                str(path),
                "w",
                format=_FORMAT_NAMES[recipe.container],
                options=_CONTAINER_OPTIONS[recipe.container],
            )
        except OSError as error:
            raise MediaError(path, f"could not be opened for writing ({error.strerror})") from error
        self._video = self._add_video()
        self._sound: av.AudioStream | None = None
        if sound is not None:
            self._add_sound(sound)
        self._closed = False
        self._end = 0

    def __enter__(self) -> "PartWriter":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    def write_picture(self, frame: av.VideoFrame, tick: int) -> None:
        """Encode a frame of the recipe's size in yuv420p as the picture of `tick`; raises MediaError."""
        frame.pts, frame.time_base = tick, 1 / self._recipe.tick_rate
        frame.pict_type = PictureType.NONE
        self._mux(self._video, frame)

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
            self._mux(self._video, None)
        finally:
            self._close_container()

    def _close_container(self) -> None:
        try:
            self._container.close()
        except OSError as error:
            raise MediaError(self._path, f"could not be closed ({error.strerror})") from error

    def _mux(self, stream: av.VideoStream | av.AudioStream, frame: av.VideoFrame | av.AudioFrame | None) -> None:
        try:
            for packet in stream.encode(frame):  # type: ignore[arg-type]  # the union is narrowed by the caller
                if stream is self._video:
                    self._reach_to_the_end(packet)
                self._container.mux(packet)
        except OSError as error:
            raise MediaError(self._path, f"could not be written ({error.strerror})") from error

    def _reach_to_the_end(self, packet: "av.Packet[av.VideoStream]") -> None:
        """Have a B-frame last until the end of the latest picture so far.

        libavformat's mov muxer takes the length that it writes into the edit list from the last fragment alone. Where
        that holds only B-frames, their own end lies before that of the P-frame in the fragment before, and every
        player would leave the take's last picture out.
        """
        if packet.pts is not None:
            self._end = max(self._end, packet.pts + 1)  # in ticks, as the encoder's time base has them
            packet.duration = self._end - packet.pts

    def _follow(self, frame: av.AudioFrame | None) -> None:
        """Send a block through the drift-following filter into the encoder; None drains it."""
        assert self._sound is not None
        if self._graph is None:
            return
        self._graph.push(frame)
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
        effort = EFFORTS[recipe.effort]
        lookahead = min(effort.lookahead, round(recipe.frame.rate / 3))
        options = {
            "preset": effort.preset,
            "profile": "high",
            "8x8dct": "1",  # what makes it High; ultrafast would leave it out
            "keyint_min": str(recipe.keyframe_ticks),
            "sc_threshold": "0",
            "rc-lookahead": str(lookahead),
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
