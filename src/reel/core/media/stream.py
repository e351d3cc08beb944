"""A feed from the network, as an input: it connects, decodes and stamps on a thread of its own."""

import socket
import threading
from collections import deque
from collections.abc import Callable
from contextlib import suppress
from fractions import Fraction
from urllib.parse import urlsplit

import av
import numpy as np
from av.audio.resampler import AudioResampler

from reel.core.errors import ReelError
from reel.core.line.device import FEED_PROTOCOLS
from reel.core.media.decoding import RATE_HZ, frame_signal, open_options, sound_format
from reel.core.signal import NS, Arrived, InputError, Picture, Samples, Signal, SoundFormat

CONNECT_S, SILENCE_S = 8.0, 5.0
LISTEN_S = 3600.0
LOOK_NS = 5_000_000
# What waits to be read; older pictures are dropped and leave a gap in sequence.
BUFFERED = 120
# What comes early waits here, so that a file over http plays at its own pace; a stamp that lies further off shows that
# the sender stalled or jumped, and is taken as a new beginning.
EARLY_NS, AHEAD_NS, BEHIND_NS = NS // 4, 10 * NS, NS
ANALYSE_US = 1_000_000
MAX_BROKEN_PACKETS = 50


class StreamFeed:
    """Plays what comes from `address`, or waits there for a sender when `listen`. Implements Input.

    The constructor returns at once; `signal` is None until the first picture is decoded. Pictures keep the distances of
    their stamps; the first is anchored at `now_ns()`, anew after a stall. Sound is float32 stereo at 48 kHz.
    """

    def __init__(self, address: str, *, listen: bool, now_ns: Callable[[], int]) -> None:
        self._address, self._listen, self._now_ns = address, listen, now_ns
        self._name = address.partition("?")[0].rpartition("@")[2]  # without a password or a key
        self._waiting: deque[Arrived] = deque()
        self._signal: Signal | None = None
        self._sound: SoundFormat | None = None
        self._error: InputError | None = None
        self._sequence = 0
        self._anchor: tuple[int, Fraction] | None = None
        self._closing = threading.Event()
        self._thread = threading.Thread(target=self._run, name=f"feed {self._name}", daemon=True)
        self._thread.start()

    @property
    def signal(self) -> Signal | None:
        """What arrives now; it changes when the sender changes its mode. None until the first picture."""
        return self._signal

    @property
    def sound(self) -> SoundFormat | None:
        """48 kHz stereo, or None for a silent stream."""
        return self._sound

    def due_ns(self) -> int | None:
        """When what waits is to be shown or heard; long ago when the stream has broken; else in a little while."""
        if self._waiting:
            first = self._waiting[0]
            length = first.data.shape[1] * NS // RATE_HZ if isinstance(first, Samples) else 0
            return int(first.at_ns + length)
        return 0 if self._error else self._now_ns() + LOOK_NS

    def read(self, now_ns: int) -> Arrived | None:
        """Give what came next, None when nothing did; raises InputError once the stream has broken."""
        if self._waiting:
            return self._waiting.popleft()
        if self._error is not None:
            raise self._error
        return None

    def close(self) -> None:
        """Have the thread let the connection go, at the latest when its next packet or its timeout comes."""
        self._closing.set()
        if self._listen and self._signal is None:
            self._end_listening()

    def _end_listening(self) -> None:
        """Call our own waiting port, since nothing else wakes it; the port is free again at once."""
        parts = urlsplit(self._address)
        with suppress(OSError), socket.create_connection((parts.hostname or "", parts.port or 1935), timeout=0.5):
            pass

    def _run(self) -> None:
        reason = "has stopped: the sender ended it"
        try:
            with self._connect() as container:
                self._sound = sound_format(container)
                self._receive(container)
        except av.error.ExitError:
            reason = f"sent nothing for {SILENCE_S:.0f} s"
        except (av.error.InvalidDataError, ValueError):
            reason = "sends something that can't be played as a feed"
        except ReelError as error:
            reason = f"sends something that can't be played as a feed: {error}".rstrip(".")
        except OSError as error:
            reason = f"can't be reached ({error.strerror or 'no answer'})"
        except Exception as error:
            reason = f"can't be read ({type(error).__name__})"
        self._error = InputError(self._name, reason)

    def _connect(self) -> "av.container.InputContainer":
        scheme = self._address.partition(":")[0]
        options = open_options(FEED_PROTOCOLS[scheme]) | {"analyzeduration": str(ANALYSE_US)}
        if scheme == "rtsp":
            options["rtsp_transport"] = "tcp"
        if self._listen:
            options |= {"listen": "1"}
        connect_s = LISTEN_S if self._listen else CONNECT_S
        return av.open(self._address, options=options, timeout=(connect_s, SILENCE_S))

    def _receive(self, container: "av.container.InputContainer") -> None:
        if not container.streams.video:
            raise InputError(self._name, "has no picture")
        streams: list[av.VideoStream | av.AudioStream] = [*container.streams.video[:1]]
        streams += container.streams.audio[:1]
        resampler = AudioResampler(format="fltp", layout="stereo", rate=RATE_HZ)
        broken = 0
        for packet in container.demux(streams):
            if self._closing.is_set():
                return
            try:
                for frame in packet.decode():
                    self._take(frame, container.streams.video[0], resampler)
                broken = 0
            except av.error.InvalidDataError:
                broken += 1
                if broken > MAX_BROKEN_PACKETS:
                    raise

    def _take(self, frame: object, stream: av.VideoStream, resampler: AudioResampler) -> None:
        if isinstance(frame, av.VideoFrame) and frame.pts is not None and frame.time_base is not None:
            signal = frame_signal(frame, stream)
            if signal != self._signal:
                self._signal = signal
            at_ns = self._stamp(frame.pts * frame.time_base)
            self._put(Picture(at_ns=at_ns, sequence=self._sequence, frame=frame))
            self._sequence += 1
        elif isinstance(frame, av.AudioFrame) and frame.pts is not None and frame.time_base is not None:
            if self._anchor is None:
                return
            at_ns = self._anchor[0] + round((frame.pts * frame.time_base - self._anchor[1]) * NS)
            for block in resampler.resample(frame):
                self._put(Samples(at_ns=at_ns, data=block.to_ndarray().astype(np.float32, copy=False)))

    def _stamp(self, shown_s: Fraction) -> int:
        """Give the instant of a picture on the recorder's clock."""
        now_ns = self._now_ns()
        if self._anchor is not None:
            at_ns = self._anchor[0] + round((shown_s - self._anchor[1]) * NS)
            if -AHEAD_NS <= now_ns - at_ns <= BEHIND_NS:
                self._closing.wait(max(0, at_ns - now_ns - EARLY_NS) / NS)
                return at_ns
        self._anchor = (now_ns, shown_s)
        return now_ns

    def _put(self, arrived: Arrived) -> None:
        while len(self._waiting) >= BUFFERED:
            self._waiting.popleft()
        self._waiting.append(arrived)
