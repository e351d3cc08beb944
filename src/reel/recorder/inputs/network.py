"""A feed from the network, as an input: it connects, decodes and stamps on a thread of its own."""

import errno
import socket
import threading
from collections import deque
from collections.abc import Callable
from contextlib import suppress
from fractions import Fraction
from statistics import median
from urllib.parse import urlsplit

import av

from reel.core.errors import ReelError
from reel.core.line.origin import FEED_PROTOCOLS
from reel.core.media.decoding import Decoded, Decoder, complete_ns, frame_signal, open_options, sound_format
from reel.core.media.errors import BROKEN, reason_of
from reel.core.media.streams import open_to_read
from reel.core.signal import (
    NS,
    Arrived,
    DeviceEvent,
    InputError,
    Picture,
    Samples,
    Sent,
    SentPacket,
    SentStream,
    Signal,
    SoundFormat,
)
from reel.recorder.guard import guarded

CONNECT_S, SILENCE_S = 8.0, 5.0
LISTEN_S = 3600.0
LOOK_NS = 5_000_000
# What waits to be read; older pictures are dropped and leave a gap in sequence.
BUFFERED = 120
# What comes early waits here, so that a file over http plays at its own pace; a stamp that lies further off shows that
# the sender stalled or jumped, and is taken as a new beginning.
EARLY_NS, AHEAD_NS, BEHIND_NS = NS // 4, 10 * NS, NS
ANALYSE_US = 1_000_000
# A sender whose stamps keep one distance, in so large a part of so many, leaves none out on purpose.
PACE_STAMPS, PACE_PART, PACE_SLACK = 24, 0.8, Fraction(15, 100)
# One that sends when it likes may keep a picture standing this long.
UNPACED_NS = NS


class Pace:
    """Finds the distance that a sender's stamps keep, and so how many pictures are missing between two of them."""

    def __init__(self) -> None:
        self._steps: deque[Fraction] = deque(maxlen=2 * PACE_STAMPS)
        self._before_s: Fraction | None = None
        self.step_s: Fraction | None = None

    def missing(self, shown_s: Fraction) -> int:
        """Return how many pictures are missing before one; 0 while the sender keeps no pace."""
        before_s, self._before_s = self._before_s, shown_s
        if before_s is None or shown_s <= before_s:
            return 0
        step = shown_s - before_s
        gone = max(0, round(step / self.step_s) - 1) if self.step_s else 0
        self._steps.append(step)
        self.step_s = self._kept()
        return gone

    def _kept(self) -> Fraction | None:
        if len(self._steps) < PACE_STAMPS:
            return None
        usual = Fraction(median(self._steps))
        alike = sum(abs(step - usual) <= PACE_SLACK * usual for step in self._steps)
        return usual if alike >= PACE_PART * len(self._steps) else None


class Packets:
    """The packets of a stream, given to whoever takes them just now. Implements Sent; written by the feed's thread."""

    def __init__(self) -> None:
        self.streams: tuple[SentStream, ...] = ()
        self._take: Callable[[SentPacket], None] | None = None
        self._ends: dict[int, int] = {}
        self.is_outdated = False

    def attach(self, take: Callable[[SentPacket], None]) -> None:
        """Hand each packet to `take` from now on."""
        self._take = take

    def detach(self) -> None:
        self._take = None

    def renew(self) -> None:
        self.is_outdated = True

    def take(self, stream: int, packet: "av.Packet[av.stream.Stream]") -> None:
        """Pass a packet of a stream on; one without stamps follows on the one before."""
        take = self._take
        if not packet.size or packet.time_base is None:
            return
        stamps = [stamp for stamp in (packet.dts, packet.pts, self._ends.get(stream)) if stamp is not None]
        if not stamps:
            return  # nothing says when it is, and nothing came before it
        duration = packet.duration or 0
        self._ends[stream] = stamps[0] + max(1, duration)
        if take is not None:
            pts = stamps[0] if packet.pts is None else packet.pts
            take(SentPacket(stream, bytes(packet), pts, stamps[0], duration, packet.time_base, packet.is_keyframe))


def _described(stream: av.VideoStream | av.AudioStream) -> SentStream:
    context = stream.codec_context
    is_picture = stream.type == "video"
    return SentStream(context.codec.canonical_name, is_picture, context.extradata or b"", stream)


class StreamFeed:
    """Plays what comes from `address`, or waits there for a sender when `listen`. Implements Input.

    The constructor returns at once; `signal` is None until the first picture is decoded. Pictures keep the distances of
    their stamps; the first is anchored at `now_ns()`, anew after a stall. What the network lost is a gap in sequence,
    where the sender keeps a pace. Sound is float32 stereo.
    """

    def __init__(self, address: str, *, listen: bool, now_ns: Callable[[], int]) -> None:
        self._address, self._listen, self._now_ns = address, listen, now_ns
        self._name = address.partition("?")[0].rpartition("@")[2]  # without a password or a key
        # a decoder gives pictures later than their sound: each kind waits in a line of its own
        self._pictures: deque[Picture] = deque(maxlen=BUFFERED)
        self._sounds: deque[Samples] = deque(maxlen=BUFFERED)
        self._signal: Signal | None = None
        self._sound: SoundFormat | None = None
        self._error: InputError | None = None
        self._sequence = 0
        self._pace = Pace()
        self._anchor: tuple[int, Fraction] | None = None
        self._packets: Packets | None = None
        self._closing = threading.Event()
        self._thread = guarded(f"Receiving {self._name}", self._run, self._fail)
        self._thread.start()

    @property
    def signal(self) -> Signal | None:
        """What arrives now; it changes when the sender changes its mode. None until the first picture."""
        return self._signal

    @property
    def sound(self) -> SoundFormat | None:
        """48 kHz stereo, or None for a silent stream."""
        return self._sound

    @property
    def is_connecting(self) -> bool:
        """Until its first picture has been decoded."""
        return self.signal is None

    @property
    def event(self) -> DeviceEvent | None:
        """Nothing: it can't."""
        return None

    @property
    def sent(self) -> Sent | None:
        """Its packets, once it is connected."""
        return self._packets

    def due_ns(self) -> int | None:
        """When what waits is to be shown or heard; long ago when the stream has broken; else in a little while."""
        line = self._first()
        if line:
            return complete_ns(line[0])
        return 0 if self._error else self._now_ns() + LOOK_NS

    def read(self, now_ns: int) -> Arrived | None:
        """Return what came next, None when nothing did; raises InputError once the stream has broken."""
        line = self._first()
        if line:
            return line.popleft()
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
        except InputError as error:
            self._error = error
            return
        except av.error.ExitError:
            waited_s = CONNECT_S if self._packets is None else SILENCE_S
            reason = f"sent nothing that can be played for {waited_s:.0f} s"
        except (av.error.HTTPClientError, av.error.HTTPError) as error:
            reason = _ANSWERS.get(type(error), "refuses the request")
        except av.error.InvalidDataError:
            reason = "sends something that can't be played as a feed"
        except BROKEN as error:
            was_called = self._listen and self._packets is None and getattr(error, "errno", None) == errno.EIO
            reason = "was called, and no stream came" if was_called else f"can't be reached ({reason_of(error)})"
        self._error = InputError(self._name, reason)

    def _fail(self, error: ReelError) -> None:
        self._error = InputError(self._name, f"can't be read: {str(error).rstrip('.')}")

    def _connect(self) -> "av.container.InputContainer":
        scheme = self._address.partition(":")[0]
        options = open_options(FEED_PROTOCOLS[scheme]) | {"analyzeduration": str(ANALYSE_US)}
        if scheme == "rtsp":
            options["rtsp_transport"] = "tcp"
        if self._listen:
            # who calls and says nothing is hung up on, so that the port is free for the sender; libavformat wants µs
            options |= {"listen": "1", "rw_timeout": str(round((SILENCE_S + 1) * 1_000_000))}
        connect_s = LISTEN_S if self._listen else CONNECT_S
        return open_to_read(self._address, options=options, timeout=(connect_s, SILENCE_S))

    def _receive(self, container: "av.container.InputContainer") -> None:
        packets = Packets()
        decoder = Decoder(container, self._name, packets.take)
        packets.streams = tuple(_described(stream) for stream in decoder.streams)
        self._packets = packets
        for decoded in decoder.run():
            if self._closing.is_set():
                return
            if packets.is_outdated:
                raise InputError(self._name, "sends other pictures than before, and is opened anew")
            self._take(decoded, decoder)

    def _take(self, decoded: Decoded, decoder: Decoder) -> None:
        if decoded.frame is not None:
            self._signal = frame_signal(decoded.frame, decoder.stream, self._name)
            self._sequence += max(self._pace.missing(decoded.shown_s), decoded.lost)
            lasts_ns = None if self._pace.step_s else UNPACED_NS
            at_ns = self._stamp(decoded.shown_s)
            self._pictures.append(Picture(at_ns=at_ns, sequence=self._sequence, frame=decoded.frame, lasts_ns=lasts_ns))
            self._sequence += 1
        elif decoded.data is not None and self._anchor is not None:
            at_ns = self._anchor[0] + round((decoded.shown_s - self._anchor[1]) * NS)
            self._sounds.append(Samples(at_ns=at_ns, data=decoded.data))

    def _stamp(self, shown_s: Fraction) -> int:
        """Return the instant of a picture on the recorder's clock."""
        now_ns = self._now_ns()
        if self._anchor is not None:
            at_ns = self._anchor[0] + round((shown_s - self._anchor[1]) * NS)
            if -AHEAD_NS <= now_ns - at_ns <= BEHIND_NS:
                self._closing.wait(max(0, at_ns - now_ns - EARLY_NS) / NS)
                return at_ns
        self._anchor = (now_ns, shown_s)
        return now_ns

    def _first(self) -> deque[Picture] | deque[Samples] | None:
        """Return the line whose first is due first; None when nothing waits."""
        if not self._pictures or not self._sounds:
            return self._pictures or self._sounds or None
        return self._pictures if self._pictures[0].at_ns <= complete_ns(self._sounds[0]) else self._sounds


# What a server answers instead of a stream (RFC 9110, 15.5 and 15.6); libavformat knows these.
_ANSWERS: dict[type[Exception], str] = {
    av.error.HTTPBadRequestError: "answers that the request is wrong (400): look at the address",
    av.error.HTTPUnauthorizedError: "asks for a name and a password (401): put them into the address",
    av.error.HTTPForbiddenError: "forbids it (403): it may not be played from here",
    av.error.HTTPNotFoundError: "has nothing there (404): look at the path in the address",
    av.error.HTTPTooManyRequestsError: "is asked too often (429)",
    av.error.HTTPServerError: "has failed itself (a server error, 500 to 599): look at the sender",
}
