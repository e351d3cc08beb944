"""The sound of a cut: samples of each stretch, faded at its edges, encoded as one track."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction
from typing import Any

import av
import numpy as np
import numpy.typing as npt

from reel.core.file import SOUND_CODECS
from reel.core.finish import SourceStream, TrackFinish, sound_codec
from reel.core.media.channel_strip import ChannelStrip
from reel.core.media.cuts.reading import SampleArray, silence
from reel.core.media.limiter import Limiter
from reel.core.media.loudness import SILENT_LUFS, Loudness
from reel.core.media.samples import scaled
from reel.core.media.soundgraph import LAYOUTS, SoundGraph
from reel.core.signal import NS, FloatArray, Samples, SoundFormat

# At an edge that was cut a track fades in or out over so long, so that its wave has no step there.
FADE_S = Fraction(1, 200)
_BLOCK = 1024
# The least that one atempo can do.
_SLOWEST = Fraction(1, 2)
# What is raised is held under it, in dBFS.
CEILING_DB = -1.0
# libavutil's names of samples that lie apart by channel, by the kind of number that they are.
_FORMATS = {"u1": "u8p", "i2": "s16p", "i4": "s32p", "f4": "fltp", "f8": "dblp", "i8": "s64p"}


@dataclass(frozen=True, slots=True, kw_only=True)
class Heard:
    """Samples of one file from `first` on, `end` left out, with the edges that fade."""

    first: int
    end: int
    fades_in: bool
    fades_out: bool


def stretched(
    blocks: Iterator[SampleArray], heard: Sequence[Heard], rate_hz: int, channels: int
) -> Iterator[SampleArray]:
    """Take the samples of stretches, in their order, out of a file's blocks; what the file does not have is silence."""
    at, held = min(0, heard[0].first), np.zeros((channels, 0), dtype=np.float32)
    blocks = _from_0(blocks, -min(0, heard[0].first))
    fade = round(FADE_S * rate_hz)
    for one in heard:
        position = one.first
        while position < one.end:
            if at + held.shape[1] <= position:
                at += held.shape[1]
                block = next(blocks, None)
                held = silence(held, one.end - at) if block is None else block
                continue
            taken = held[:, max(0, position - at) : one.end - at]
            yield _faded(taken, position - one.first, one, fade)
            position += taken.shape[1]


def _from_0(blocks: Iterator[SampleArray], before: int) -> Iterator[SampleArray]:
    """Return a file's blocks with so many samples without sound before them."""
    for block in blocks:
        if before:
            yield silence(block, before)
            before = 0
        yield block


def _faded(data: SampleArray, at: int, one: Heard, fade: int) -> SampleArray:
    """Fade what of a block lies at a cut edge; `at` is where it lies in its stretch."""
    length, count = one.end - one.first, data.shape[1]
    begins, ends = one.fades_in and at < fade, one.fades_out and at + count > length - fade
    if not begins and not ends:
        return data
    places, gains = np.arange(at, at + count, dtype=np.float64), np.ones(count)
    if begins:
        gains = np.minimum(gains, (places + 0.5) / fade)
    if ends:
        gains = np.minimum(gains, (length - places - 0.5) / fade)
    return with_gains(data, np.sin(gains * np.pi / 2) ** 2)


def with_gains(data: SampleArray, gains: npt.NDArray[np.float64]) -> SampleArray:
    """Make samples (channels, samples) of any kind of number quieter, each by a gain of 0 to 1: at 1 it is the same."""
    middle = 128.0 if data.dtype == np.uint8 else 0.0
    made = (data.astype(np.float64) - middle) * gains + middle
    changed = np.rint(made) if np.issubdtype(data.dtype, np.integer) else made
    return np.where(gains >= 1.0, data, changed.astype(data.dtype))


def treated(
    blocks: Iterator[SampleArray], change: TrackFinish, comes: SoundFormat, gain_db: float
) -> Iterator[SampleArray]:
    """Treat blocks (channels, samples) as an input's sound is, raise them by `gain_db`, and hold them under CEILING_DB
    where that may go beyond full scale: as many samples come out, as float32."""
    strip = ChannelStrip(replace(change.sound, delay_ms=0), comes, comes.channels)
    gain = np.float32(10 ** (gain_db / 20))
    limiter = Limiter(comes, CEILING_DB) if gain_db > 0 or change.sound.level_db > 0 else None
    position = 0
    for data in blocks:
        sent = Samples(at_ns=position * NS // comes.rate_hz, data=scaled(data))
        position += data.shape[1]
        for made in strip.apply(sent):
            yield made.data * gain if limiter is None else limiter.apply(made.data * gain)
    for made in strip.drain():
        yield made.data * gain if limiter is None else limiter.apply(made.data * gain)
    if limiter is not None:
        yield limiter.drain()


def gain_to(blocks: Iterator[SampleArray], change: TrackFinish, comes: SoundFormat) -> float:
    """Return by how many dB sound is to be raised, once treated, so that it is as loud as asked; 0 for silence."""
    if change.loudness_lufs is None:
        return 0.0
    meter = Loudness(comes.channels, comes.rate_hz)
    for data in treated(blocks, change, comes, 0.0):
        meter.feed(data)
    found = meter.loud.integrated
    return change.loudness_lufs - found if found > SILENT_LUFS else 0.0


def at_speed(blocks: Iterator[FloatArray], form: SoundFormat, speed: Fraction) -> Iterator[FloatArray]:
    """Stretch float32 blocks (channels, samples) in time, at the pitch that they have.

    libavfilter's atempo lays pieces of about 1/24 s over each other, where they go together best: what is heard lies
    within a few milliseconds of where it belongs, and does not drift.
    """
    steps, left = [], speed
    while left < _SLOWEST:
        steps.append(("atempo", str(float(_SLOWEST))))
        left /= _SLOWEST
    steps.append(("atempo", f"{float(left):.12g}"))
    # it gives samples whose channels lie in turn
    steps.append(("aformat", f"sample_fmts=fltp:channel_layouts={LAYOUTS[form.channels]}"))
    graph, position = SoundGraph(form, *steps), 0
    for data in blocks:
        graph.push(data, position)
        position += data.shape[1]
        yield from (scaled(one.to_ndarray()) for one in graph.pulled())
    graph.end()
    yield from (scaled(one.to_ndarray()) for one in graph.pulled())


def of_length(blocks: Iterator[SampleArray], channels: int, count: int) -> Iterator[SampleArray]:
    """Return so many samples of blocks, with silence where they have fewer."""
    given, like = 0, np.zeros((channels, 0), dtype=np.float32)
    for data in blocks:
        like = data
        taken = data[:, : count - given]
        given += taken.shape[1]
        if taken.shape[1]:
            yield taken
    if given < count:
        yield silence(like, count - given)


def frame_of(data: SampleArray, layout: str, rate_hz: int, position: int) -> av.AudioFrame:
    """Return samples (channels, samples) as a frame of their own kind of number, its first sample at `position`."""
    frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(data), format=_FORMATS[data.dtype.str[1:]], layout=layout)
    frame.sample_rate, frame.pts, frame.time_base = rate_hz, position, Fraction(1, rate_hz)
    return frame


class TrackEncoder:
    """Encodes samples that follow each other as a track like the one that they are from."""

    def __init__(self, writer: Any, planned: SourceStream, rate_hz: int, layout: str, samples: str = "") -> None:
        """Add the track to a file that is written: of so many samples a second, in a layout, and of a sample format
        where its encoder takes that."""
        known = sound_codec(planned.codec)
        assert known is not None, "the plan leaves out what can't be written"
        facts = SOUND_CODECS[known]
        self.stream = writer.add_stream(facts.encoder, rate=rate_hz, layout=layout)
        context = self.stream.codec_context
        formats = {one.name for one in context.codec.audio_formats or ()}
        context.format = av.AudioFormat(samples if samples in formats else facts.samples)
        if facts.bitrates_bps:
            # what a track of the same kind took, or the next that the encoder has
            wanted = planned.bitrate_bps * 0.97
            self.stream.bit_rate = min(
                (one for one in facts.bitrates_bps if one >= wanted), default=facts.bitrates_bps[-1]
            )
        context.options = dict(facts.options)
        self._form = av.AudioResampler(format=context.format, layout=layout, rate=rate_hz)
        self._fifo, self._layout, self._rate = av.AudioFifo(), layout, rate_hz
        self._position, self._kept_back = 0, facts.kept_back

    def packets(self, blocks: Iterator[SampleArray]) -> Iterator[Any]:
        """Encode all blocks (channels, samples); the encoder must be open."""
        for data in self._pushed_out(blocks):
            for made in self._form.resample(frame_of(data, self._layout, self._rate, self._position)):
                self._fifo.write(made)
            self._position += data.shape[1]
            yield from self._encoded(partial=False)
        yield from self._encoded(partial=True)
        yield from self.stream.encode(None)

    def _pushed_out(self, blocks: Iterator[SampleArray]) -> Iterator[SampleArray]:
        """Return blocks with what the encoder needs behind them to give them all."""
        data = None
        for data in blocks:
            yield data
        if data is not None and self._kept_back:
            yield silence(data, self._kept_back)

    def _encoded(self, *, partial: bool) -> Iterator[Any]:
        for frame in self._fifo.read_many(self.stream.codec_context.frame_size or _BLOCK, partial=partial):
            yield from self.stream.encode(frame)
