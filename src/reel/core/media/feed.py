"""A media file played at its own pace, as an input."""

from collections.abc import Iterator
from pathlib import Path

import av
import numpy as np
from av.audio.resampler import AudioResampler

from reel.core.media.decoding import RATE_HZ, frame_signal, open_options, sound_format
from reel.core.signal import NS, Arrived, InputError, Picture, Samples, Signal, SoundFormat

# A feed that is read this late drops pictures, as a network source would.
MAX_LATE_NS = NS // 2


class FileFeed:
    """Plays `path` from `start_ns` on; at its end it stops, or begins anew when `loop`. Implements Input.

    Sound is given as float32 stereo at 48 kHz. Raises InputError when the file has no picture or can't be decoded.
    """

    def __init__(self, path: Path, *, start_ns: int, loop: bool = False) -> None:
        self._name, self._path, self._loop = path.name, path, loop
        self._start_ns = start_ns
        self._sequence = 0
        try:
            self._container = av.open(str(path), options=open_options("file"))
        except (OSError, ValueError) as error:
            raise InputError(
                path.name, "can't be opened as a feed: it is missing, or not a media file that holds its own picture"
            ) from error
        self._signal, self._sound = self._describe()
        self._arrivals = self._play()
        self._next: Arrived | None = next(self._arrivals, None)
        if self._next is None:
            self.close()
            raise InputError(path.name, "can't be played as a feed: nothing in it could be decoded")

    @property
    def signal(self) -> Signal:
        """The picture as the file describes it."""
        return self._signal

    @property
    def sound(self) -> SoundFormat | None:
        """48 kHz stereo, or None for a silent file."""
        return self._sound

    def due_ns(self) -> int | None:
        """When the next picture is shown or the next block of sound is complete; None after the end."""
        arrival = self._next
        if isinstance(arrival, Samples):
            return arrival.at_ns + int(arrival.data.shape[1]) * NS // RATE_HZ
        return arrival.at_ns if arrival else None

    def read(self, now_ns: int) -> Arrived:
        """Give the next arrival; pictures more than MAX_LATE_NS old are skipped and leave a gap in sequence."""
        while True:
            arrival = self._next
            if arrival is None:
                raise InputError(self._name, "has ended")
            self._next = next(self._arrivals, None)
            late = isinstance(arrival, Picture) and now_ns - arrival.at_ns > MAX_LATE_NS
            if not late or not isinstance(self._next, Picture):
                return arrival

    def close(self) -> None:
        """Close the file."""
        self._next = None
        self._container.close()

    def _describe(self) -> tuple[Signal, SoundFormat | None]:
        if not self._container.streams.video:
            self._container.close()
            raise InputError(self._name, "has no picture; a feed needs one")
        stream = self._container.streams.video[0]
        stream.thread_type = "AUTO"
        first = next(self._container.decode(stream), None)
        if first is None:
            raise InputError(self._name, "can't be played as a feed: its picture could not be decoded")
        return frame_signal(first, stream), sound_format(self._container)

    def _play(self) -> Iterator[Arrived]:
        """Decode the file once or for ever; each round starts where the one before ended, picture and sound alike."""
        offset_ns = self._start_ns
        while True:
            end_ns = offset_ns
            for arrival, stop_ns in self._round(offset_ns):
                end_ns = max(end_ns, stop_ns)
                yield arrival
            if not self._loop or end_ns == offset_ns:
                return
            # the pictures keep their beat over the seam, also when the sound is a little longer
            rounds = -((offset_ns - end_ns) * self._signal.mode.rate // NS)
            offset_ns += round(rounds * NS / self._signal.mode.rate)

    def _round(self, offset_ns: int) -> Iterator[tuple[Arrived, int]]:
        self._container.seek(0)
        streams: list[av.VideoStream | av.AudioStream] = [*self._container.streams.video[:1]]
        streams += self._container.streams.audio[:1]
        resampler = AudioResampler(format="fltp", layout="stereo", rate=RATE_HZ)
        picture_ns = round(NS / self._signal.mode.rate)
        first_ns: int | None = None
        for frame in self._decode(streams):
            if frame.pts is None or frame.time_base is None:
                continue
            shown_ns = round(frame.pts * frame.time_base * NS)
            first_ns = shown_ns if first_ns is None else first_ns
            at_ns = offset_ns + max(0, shown_ns - first_ns)
            if isinstance(frame, av.VideoFrame):
                self._sequence += 1
                yield Picture(at_ns=at_ns, sequence=self._sequence - 1, frame=frame), at_ns + picture_ns
            else:
                for block in resampler.resample(frame):
                    samples = Samples(at_ns=at_ns, data=block.to_ndarray().astype(np.float32, copy=False))
                    yield samples, at_ns + block.samples * NS // RATE_HZ

    def _decode(self, streams: list[av.VideoStream | av.AudioStream]) -> Iterator[av.VideoFrame | av.AudioFrame]:
        try:
            for packet in self._container.demux(streams):
                for frame in packet.decode():
                    if isinstance(frame, av.VideoFrame | av.AudioFrame):
                        yield frame
        except av.error.InvalidDataError as error:
            raise InputError(self._name, "sends data that can't be decoded") from error
