"""What a media file really holds: every packet read, every picture and sample decoded."""

import math
from array import array
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from fractions import Fraction
from functools import partial
from pathlib import Path
from typing import Any

import av
import numpy as np
from av.stream import Disposition

from reel.core.file import CODECS, SOUND_CODECS
from reel.core.media.containers import MAX_PIXELS, NEITHER, container_name
from reel.core.media.errors import BROKEN, MediaError, reason_of
from reel.core.media.facts import MediaFacts, SoundFacts, VideoFacts
from reel.core.media.framing import frame_matrix, frame_range
from reel.core.media.rate import measure_rate
from reel.core.media.samples import clipped, rows, scaled
from reel.core.media.streams import open_to_read, pictures_of, sounds_of
from reel.core.signal import FloatArray
from reel.core.sound import FULL_SCALE, to_db

# Sound whose stamps leave out or go back more than this has a hole or a jump; containers round to a millisecond.
HOLE_S = Fraction(1, 200)
_VIDEO_NAMES = {facts.reads_as: facts.label for facts in CODECS.values()}
_SOUND_NAMES = {facts.reads_as: facts.label for facts in SOUND_CODECS.values()}
# ITU-T H.273: a code that says nothing.
_UNSPECIFIED = 2


class Watcher:
    """Is told of all that probe reads; one that overrides nothing only lets it go by.

    Seconds are the file's own, from `begin` on; `track` is a sound track's place. What it raises ends the reading.
    """

    def begin(self, start_s: Fraction, titles: Sequence[str]) -> None:
        """The file is open: where its picture begins as it says itself, and what its tracks are called."""

    def packet(self, at_s: Fraction, size_bytes: int) -> None:
        """A packet of the picture was read, in the order of the file."""

    def picture(self, frame: av.VideoFrame) -> None:
        """A picture was decoded, in the order in which they are shown."""

    def sound(self, track: int, at_s: Fraction, data: FloatArray, rate_hz: int) -> None:
        """A block of samples (channels, samples) was decoded, float32, full scale ±1."""


@dataclass(slots=True)
class _Stream:
    """What is collected of one stream: stamps in presentation units, sizes, keyframes, what is decoded of it."""

    stream: "av.VideoStream | av.AudioStream"
    watcher: Watcher
    track: int
    stamps: "array[int]" = field(default_factory=partial(array, "q"))
    sizes_bytes: "array[int]" = field(default_factory=partial(array, "q"))
    keys: list[int] = field(default_factory=list)
    holes: list[tuple[Fraction, Fraction]] = field(default_factory=list)
    size_bytes: int = 0
    end: int = 0
    heard_s: Fraction | None = None
    first: "av.VideoFrame | av.AudioFrame | None" = None
    decoded: int = 0
    undecodable: int = 0
    squares: Any = 0.0
    peak: float = 0.0
    samples: int = 0
    clipped: int = 0
    interlaced: int = 0
    sizes: set[tuple[int, int]] = field(default_factory=set)

    def add(self, packet: "av.Packet[av.stream.Stream]") -> None:
        if packet.pts is None or not packet.size or (packet.is_discard and self.stream.type == "video"):
            return  # left out by an edit list: no player shows it
        self.stamps.append(packet.pts)
        self.sizes_bytes.append(packet.size)
        if packet.is_keyframe:
            self.keys.append(packet.pts)
        self.size_bytes += packet.size
        self.end = max(self.end, packet.pts + (packet.duration or 0))
        if self.stream.type == "video" and packet.time_base is not None:
            self.watcher.packet(packet.pts * packet.time_base, packet.size)

    def decode(self, packet: "av.Packet[av.stream.Stream]") -> None:
        """Decode a packet; what can't be is counted."""
        try:
            frames = packet.decode()
        except BROKEN:
            self.undecodable += 1
            return
        for frame in frames:
            if not isinstance(frame, av.VideoFrame | av.AudioFrame):
                continue
            self.first = self.first or frame
            self.decoded += 1
            if isinstance(frame, av.VideoFrame):
                self.undecodable += frame.is_corrupt
                self.interlaced += frame.interlaced_frame
                self.sizes.add((frame.width, frame.height))
                self.watcher.picture(frame)
            else:
                self._follow(frame)
                data = scaled(rows(frame))
                if self.heard_s is not None:
                    began_s = self.heard_s - Fraction(frame.samples, frame.sample_rate)
                    self.watcher.sound(self.track, began_s, data, frame.sample_rate)
                self.squares = self.squares + np.square(data, dtype=np.float64).sum(axis=1)
                self.samples += data.shape[1]
                highest = float(np.abs(data).max(initial=0))
                self.peak = max(self.peak, highest)
                if highest >= FULL_SCALE:
                    self.clipped += clipped(data)

    def _follow(self, frame: av.AudioFrame) -> None:
        """Note where the time of the sound leaves something out or goes back; a packet may lie about its length."""
        if frame.pts is None or frame.time_base is None:
            return
        at_s = frame.pts * frame.time_base
        if self.heard_s is not None and abs(at_s - self.heard_s) > HOLE_S:
            self.holes.append((self.heard_s, at_s - self.heard_s))
        self.heard_s = at_s + Fraction(frame.samples, frame.sample_rate)


def probe(
    path: Path,
    progress: Callable[[float], None] = lambda part: None,
    watcher: Watcher | None = None,
) -> MediaFacts:
    """Read a whole file and decode it; raises MediaError where nothing can be read.

    `progress` is told the part that is done (0 to 1), and may raise to call it off.
    """
    watcher = watcher or Watcher()
    try:
        with open_to_read(path) as container:
            kept: list[av.VideoStream | av.AudioStream] = [*pictures_of(container)[:1], *sounds_of(container)]
            if not kept:
                raise MediaError(path, NEITHER)
            tracks = [stream.index for stream in sounds_of(container)]
            found = {
                stream.index: _Stream(stream, watcher, tracks.index(stream.index) if stream.index in tracks else 0)
                for stream in kept
            }
            watcher.begin(_start_of(kept), [_title(stream) for stream in sounds_of(container)])
            broken_s = _read(container, found, progress)
            streams = list(found.values())
            return MediaFacts(
                container=container_name(path, container),
                size_bytes=path.stat().st_size,
                video=next((_video(one) for one in streams if one.stream.type == "video"), None),
                sound=tuple(_sound(one) for one in streams if one.stream.type == "audio"),
                broken_s=broken_s,
                pictures=sum(not one.disposition & Disposition.attached_pic for one in pictures_of(container)),
            )
    except MediaError:
        raise
    except BROKEN as error:
        raise MediaError(path, f"can't be read as a media file ({reason_of(error)})") from error


# How libavcodec counts levels: tenths for H.264, thirtieths for HEVC (ITU-T H.264, A.3.4; H.265, A.4).
_LEVEL_STEPS = {"h264": 10, "hevc": 30}


def _level(codec: str, number: int | None) -> str:
    steps = _LEVEL_STEPS.get(codec)
    return f"{number / steps:g}" if steps and number and number > 0 else ""


def _read(
    container: "av.container.InputContainer",
    found: dict[int, _Stream],
    progress: Callable[[float], None],
) -> Fraction | None:
    """Read all packets; returns the second at which that had to end early."""
    for one in found.values():
        if isinstance(one.stream, av.VideoStream):
            one.stream.thread_type = "AUTO"
        one.stream.codec_context.options = {"err_detect": "explode"} | (
            {"max_pixels": str(MAX_PIXELS)} if one.stream.type == "video" else {}
        )
    length = (container.duration or 0) / av.time_base
    at_s = Fraction(0)
    packets = container.demux([one.stream for one in found.values()])
    while True:
        try:
            packet = next(packets, None)
        except BROKEN:
            return at_s
        if packet is None:
            return None
        one = found[packet.stream.index]
        one.add(packet)
        one.decode(packet)
        if packet.pts is not None and packet.time_base is not None:
            at_s = max(at_s, packet.pts * packet.time_base)
            if length and packet.is_keyframe and packet.stream.type == "video":
                progress(min(1.0, float(at_s) / length))


def _video(found: _Stream) -> VideoFacts:
    stream, frame = found.stream, found.first
    assert isinstance(stream, av.VideoStream) and (frame is None or isinstance(frame, av.VideoFrame))
    time_base = stream.time_base or Fraction(1)
    stamps = np.array(sorted(found.stamps), dtype=np.int64)
    declared = [Fraction(rate) for rate in (stream.base_rate, stream.average_rate) if rate]
    places = np.searchsorted(stamps, np.array(sorted(found.keys), dtype=np.int64))
    first = int(stamps[0]) if len(stamps) else 0
    length = max((_end_of(found, stamps) - first) * time_base, Fraction(0))
    tagged = stream.codec_context
    return VideoFacts(
        codec=_VIDEO_NAMES.get(tagged.codec.canonical_name, tagged.codec.canonical_name),
        profile=stream.profile or "",
        width_px=frame.width if frame else stream.width,
        height_px=frame.height if frame else stream.height,
        pixels=frame.format.name if frame else stream.pix_fmt or "",
        matrix=frame_matrix(frame) if frame and tagged.colorspace != _UNSPECIFIED else None,
        range=frame_range(frame) if frame and tagged.color_range else None,
        rate=measure_rate(stamps, time_base, declared),
        frames=len(stamps),
        keyframe_ticks=tuple(sorted({int(step) for step in np.diff(places)})),
        start_s=first * time_base,
        length_s=length,
        bitrate_bps=_bitrate(found.size_bytes, length),
        decoded=found.decoded,
        undecodable=found.undecodable,
        keyframes=len(places),
        last_stretch=len(stamps) - int(places[-1]) if len(places) else 0,
        pixel_aspect=Fraction(stream.sample_aspect_ratio or 1),
        turned_deg=int(frame.rotation) if frame else 0,
        transfer=_code(tagged.color_trc),
        primaries=_code(tagged.color_primaries),
        is_interlaced=found.interlaced > 0,
        sizes=max(1, len(found.sizes)),
        peak_bits=_peak_bits(found, time_base),
        level=_level(tagged.codec.canonical_name, getattr(tagged, "level", None)),
    )


def _end_of(found: _Stream, stamps: "np.ndarray[tuple[int], np.dtype[np.int64]]") -> int:
    """The end of the last picture; one whose length the container does not say lasts as long as the one before."""
    if len(stamps) < 2 or found.end > stamps[-1]:
        return found.end
    return int(2 * stamps[-1] - stamps[-2])


def _peak_bits(found: _Stream, time_base: Fraction) -> int:
    """Return the bits of the busiest second, wherever it begins."""
    order = np.argsort(found.stamps)
    stamps = np.array(found.stamps, dtype=np.int64)[order]
    upto = np.concatenate(([0], np.cumsum(np.array(found.sizes_bytes, dtype=np.int64)[order])))
    ends = np.searchsorted(stamps, stamps + math.ceil(1 / time_base))
    return int((upto[ends] - upto[:-1]).max(initial=0)) * 8


def _code(value: int) -> int | None:
    return None if value == _UNSPECIFIED else int(value)


def _sound(found: _Stream) -> SoundFacts:
    stream, frame = found.stream, found.first
    assert isinstance(stream, av.AudioStream)
    time_base = stream.time_base or Fraction(1)
    start = frame.pts * frame.time_base if frame and frame.pts is not None and frame.time_base else Fraction(0)
    length = max(found.end * time_base - start, Fraction(0))
    means = found.squares / found.samples if found.samples else np.zeros(0)
    codec = stream.codec_context.codec.canonical_name
    return SoundFacts(
        codec=_SOUND_NAMES.get(codec, codec),
        profile=stream.profile or "",
        rate_hz=stream.rate,
        channels=stream.channels,
        start_s=start,
        length_s=length,
        bitrate_bps=_bitrate(found.size_bytes, length),
        holes=tuple(found.holes),
        undecodable=found.undecodable,
        rms_db=to_db(float(means.mean()) ** 0.5) if found.samples else None,
        sides_db=tuple(to_db(float(mean) ** 0.5) for mean in means),
        peak_db=to_db(found.peak) if found.samples else None,
        clipped=found.clipped,
        title=_title(stream),
    )


def _title(stream: av.AudioStream) -> str:
    return stream.metadata.get("title") or stream.metadata.get("name") or ""


def _start_of(streams: Sequence["av.VideoStream | av.AudioStream"]) -> Fraction:
    """Return the second at which the first stream begins, as it says itself."""
    first = streams[0] if streams else None
    return (first.start_time or 0) * (first.time_base or Fraction(0)) if first else Fraction(0)


def _bitrate(size_bytes: int, length: Fraction) -> int:
    return round(size_bytes * 8 / length) if length > 0 else 0
