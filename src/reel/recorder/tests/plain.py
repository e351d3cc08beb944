"""Inputs for tests of several at a time: plain pictures that can be told apart, plain tones, and what goes wrong."""

from fractions import Fraction

import av
import numpy as np

from reel.core.signal import NS, InputError, Mode, Picture, Samples, Signal, SoundFormat


class Plain:
    """A picture of one grey and a tone, each on its own clock. Implements Input.

    `grey` gives the luma of a picture by its number. What is due between `gone_s` does not come; at `fails_s` reading
    raises InputError once, as it does when it is opened before the second one; then it `comes_back` in another mode.
    """

    is_connecting = False
    event = sent = None

    def __init__(
        self, start_ns, *, mode=None, grey=lambda number: 16 + number % 200, hz=0.0, amplitude=0.1, channels=2,
        ppm=0.0, block=480, pulses=(), gone_s=(0, 0), fails_s=(0, 0), rate_hz=48_000, comes_back=None,
    ):  # fmt: skip
        self.signal = Signal(mode=mode) if mode else None
        self.sound = SoundFormat(rate_hz=rate_hz, channels=channels) if hz or pulses else None
        self._start_ns, self._grey, self._hz, self._amplitude = start_ns, grey, hz, amplitude
        self._pace, self._block, self._pulses = 1 + Fraction(ppm) / 1_000_000, block, pulses
        self._gone_s, self._fails_s = gone_s, fails_s
        self._picture = self._sample = 0
        if comes_back and start_ns / NS >= fails_s[1] > 0:
            self.signal = Signal(mode=comes_back)
        if fails_s[0] < start_ns / NS < fails_s[1]:
            raise InputError("The plain one", "is away")

    def _at_ns(self, number, rate):
        return self._start_ns + round(Fraction(number * NS) / rate / self._pace)

    def due_ns(self):
        moments = []
        if self.signal:
            moments.append(self._at_ns(self._picture, self.signal.mode.rate))
        if self.sound:
            moments.append(self._at_ns(self._sample + self._block, self.sound.rate_hz))
        return min(moments)

    def read(self, now_ns):
        if self._fails_s[0] <= now_ns / NS < self._fails_s[1]:
            raise InputError("The plain one", "was pulled")
        item = self._next()
        return None if self._gone_s[0] <= item.at_ns / NS < self._gone_s[1] else item

    def _next(self):
        if self.signal:
            at_ns = self._at_ns(self._picture, self.signal.mode.rate)
            if not self.sound or at_ns <= self._at_ns(self._sample + self._block, self.sound.rate_hz):
                self._picture += 1
                return Picture(at_ns=at_ns, sequence=self._picture - 1, frame=self._draw(self._picture - 1))
        at_ns = self._at_ns(self._sample, self.sound.rate_hz)
        places = np.arange(self._sample, self._sample + self._block)
        self._sample += self._block
        tone = self._amplitude * np.sin(2 * np.pi * self._hz * places / self.sound.rate_hz)
        for second in self._pulses:  # by this input's own clock
            tone[np.abs(places - second * self.sound.rate_hz) < 24] = 0.8
        return Samples(at_ns=at_ns, data=np.tile(tone.astype(np.float32), (self.sound.channels, 1)))

    def _draw(self, number):
        mode = self.signal.mode
        planes = np.full((mode.height_px * 3 // 2, mode.width_px), 128, dtype=np.uint8)
        planes[: mode.height_px] = self._grey(number)
        frame = av.VideoFrame.from_ndarray(planes, format="yuv420p")
        frame.colorspace, frame.color_range = 1, 1
        return frame

    def close(self):
        pass


def opener(**settings):
    """What opens a plain input."""
    return lambda start_ns: Plain(start_ns, **settings)


SMALL = Mode.parse("64x64p24")


def amplitude_db(samples, hz, rate_hz=48_000):
    """The level in dB of a tone in samples (n,), by correlation with a Hann window; 0 is an amplitude of 1."""
    window = np.hanning(len(samples))
    turning = np.exp(-2j * np.pi * hz * np.arange(len(samples)) / rate_hz)
    return 20 * np.log10(max(1e-9, 2 * abs((samples * window * turning).sum()) / window.sum()))


def decoded(path):
    """The samples of each track of a file, float64 (channels, n), by its title."""
    found = {}
    with av.open(str(path)) as container:
        streams = {stream.index: stream for stream in container.streams.audio}
        blocks = {index: [] for index in streams}
        for packet in container.demux(*streams.values()):
            blocks[packet.stream.index] += [frame.to_ndarray() for frame in packet.decode()]
        for index, stream in streams.items():
            found[stream.metadata.get("title") or stream.metadata.get("name")] = np.concatenate(blocks[index], axis=1)
    return found


def lumas(path, area=None):
    """The mean luma of each picture of a file, in an area (x, y, width, height)."""
    with av.open(str(path)) as container:
        for frame in container.decode(video=0):
            luma = frame.to_ndarray()[: frame.height, : frame.width]
            if area:
                x, y, width, height = area
                luma = luma[y : y + height, x : x + width]
            yield float(luma.mean())
