"""As sent: a sender's packets written as they came, and held against them afterwards."""

import time
from collections.abc import Sequence
from dataclasses import replace
from enum import Enum
from fractions import Fraction
from pathlib import Path
from types import TracebackType

import av
from av.bitstream import BitStreamFilterContext

from reel.core.file import CONTAINERS, Container
from reel.core.finish import why_not
from reel.core.media.digest import SentFacts, StreamSum, sums_of, units_of
from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.signal import SentPacket, SentStream

# Of those the ones that say the size and the form of a picture: where another one comes, so do other pictures.
_SEQUENCE = {"h264": {7}, "hevc": {33}}
# Stamps of a stream that go back so far, or leave so much out, are those of another beginning.
_BACK_S, _AHEAD_S = Fraction(1), Fraction(10)
_HEADLESS = "aac_adtstoasc"


class Follows(Enum):
    """How a packet follows on those before: in their TIME, with stamps that begin ANEW, or with OTHER pictures."""

    TIME = "time"
    ANEW = "anew"
    OTHER = "other"


def why_not_held(container: Container, streams: Sequence[SentStream]) -> str | None:
    """Why a container can't hold what is sent; None where it can. What Reel does not write itself goes into MKV."""
    strange = [stream.codec for stream in streams if why_not(container, stream.codec) is not None]
    if not strange or container is Container.MKV:
        return None
    return f"{CONTAINERS[container].name} does not hold what is sent ({', '.join(strange)}); MKV does"


class SentWriter:
    """Writes packets as they come, from the first keyframe on, whose picture is shown at 0. Use it with `with`."""

    def __init__(
        self, path: Path, container: Container, streams: Sequence[SentStream], *, begins_anew: bool = False
    ) -> None:
        """Open the file; raises MediaError when the container can't hold the streams."""
        self._path, self._streams, self._begins_anew = path, streams, begins_anew
        facts = CONTAINERS[container]
        self._sums = [StreamSum(stream.codec, stream.extradata) for stream in streams]
        self._begin_s: Fraction | None = None
        self._last_s = Fraction(0)
        self._dts: list[int | None] = [None for _ in streams]
        self._sets = [_sequence_sets(stream.codec, stream.extradata, None) for stream in streams]
        self._left_out = 0
        self.disk_s = 0.0
        self._closed = False
        try:
            self._container = av.open(str(path), "w", format=facts.muxer, options=dict(facts.options))
            self._made = [self._container.add_stream_from_template(stream.template, opaque=True) for stream in streams]
            self._filters = [
                BitStreamFilterContext(_HEADLESS, stream.template) if _has_headers(stream, container) else None
                for stream in streams
            ]
        except (*BROKEN, ValueError) as error:
            raise MediaError(path, f"can't hold what is sent ({reason_of(error)})") from error

    def __enter__(self) -> "SentWriter":
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        self.close()

    @property
    def length_s(self) -> Fraction:
        return self._last_s

    @property
    def facts(self) -> SentFacts:
        return replace(sums_of(self._sums), begins_anew=self._begins_anew, left_out=self._left_out)

    def follows(self, packet: SentPacket) -> Follows:
        """Say how a packet follows on those that were written."""
        stream, before = self._streams[packet.stream], self._dts[packet.stream]
        if self._begin_s is None or before is None:
            return Follows.TIME
        step_s = (packet.dts - before) * packet.time_base
        if step_s < -_BACK_S or step_s > _AHEAD_S:
            return Follows.ANEW
        sets, known = _sequence_sets(stream.codec, stream.extradata, packet.data), self._sets[packet.stream]
        if sets and known and not sets <= known:
            return Follows.OTHER
        return Follows.TIME

    def write(self, packet: SentPacket) -> bool:
        """Write a packet; False for one that comes before the first keyframe's picture. Raises MediaError."""
        is_picture = self._streams[packet.stream].is_picture
        if self._begin_s is None:
            if not (is_picture and packet.is_key):
                self._left_out += is_picture and self._begins_anew
                return False
            self._begin_s = packet.shown_s
            sets = self._sets[packet.stream]
            sets |= _sequence_sets(
                self._streams[packet.stream].codec, self._streams[packet.stream].extradata, packet.data
            )
        if packet.shown_s < self._begin_s:
            return False
        made, before = av.Packet(packet.data), self._dts[packet.stream]
        shift = round(self._begin_s / packet.time_base)
        # containers want each packet after the one before
        dts = self._dts[packet.stream] = packet.dts if before is None else max(packet.dts, before + 1)
        made.stream, made.time_base = self._made[packet.stream], packet.time_base
        made.pts, made.dts, made.duration = max(packet.pts, dts) - shift, dts - shift, packet.duration
        made.is_keyframe = packet.is_key
        began_s = time.perf_counter()
        try:
            headless = self._filters[packet.stream]
            for one in headless.filter(made) if headless else (made,):
                one.stream = self._made[packet.stream]
                self._container.mux(one)
        except BROKEN as error:
            raise MediaError(self._path, f"could not be written ({reason_of(error)})") from error
        self.disk_s += time.perf_counter() - began_s
        self._sums[packet.stream].add(packet.data)
        if is_picture:
            self._last_s = max(self._last_s, packet.shown_s - self._begin_s + packet.duration * packet.time_base)
        return True

    def close(self) -> None:
        """Close the file; raises MediaError. A second call does nothing."""
        if self._closed:
            return
        self._closed = True
        try:
            self._container.close()
        except BROKEN as error:
            raise MediaError(self._path, f"could not be closed ({reason_of(error)})") from error


def _has_headers(stream: SentStream, container: Container) -> bool:
    """Return whether AAC comes with a header in each packet, where the container has one for all."""
    return stream.codec == "aac" and not stream.extradata and container is not Container.TS


def _sequence_sets(codec: str, extradata: bytes, data: bytes | None) -> set[bytes]:
    """Return the sequence parameter sets of a packet of H.264 or HEVC; with None those that stand before a stream."""
    if codec not in _SEQUENCE or (data is None and extradata[:1] == b"\x01"):
        return set()  # what a container holds apart changes only with its stream
    kinds = _SEQUENCE[codec]
    units = units_of(codec, extradata, extradata if data is None else data)
    return {unit for unit in units if ((unit[0] & 0x1F) if codec == "h264" else (unit[0] >> 1) & 0x3F) in kinds}
