"""What an open rig shows of its signal: what is followed over time."""

from reel.core.measure import FIND_S, TEST_S, BarFinder, Bars, Condition, FieldProbe, FieldTest, Watched
from reel.core.measure.alarm import SILENT_DB
from reel.core.media import Loudness, luma_of
from reel.core.signal import NS, FloatArray, Picture, Samples, Signal, SoundFormat
from reel.core.sound import Level, Meter
from reel.recorder.messages import AudioLevels


class Instruments:
    """What is followed over time: levels and loudness, changes of the signal, silence, a field test that runs."""

    def __init__(self) -> None:
        self.field_test: FieldTest | None = None
        self._probe: FieldProbe | None = None
        self._probe_end_ns = 0
        self._signal: Signal | None = None
        self._before: Signal | None = None
        self._changed_ns: int | None = None
        self._heard_ns: int | None = None
        self.bars: Bars | None = None
        self.has_looked = False
        self._finder: BarFinder | None = None
        self._finder_end_ns = self._finder_next_ns = 0
        self._meters: tuple[Meter, Meter] | None = None
        self._loudness: Loudness | None = None
        self._broken = 0

    def listen(self, sound: SoundFormat, channels: int) -> None:
        """Begin to measure sound that comes in a format and goes on in some channels."""
        self._meters = (Meter(sound.channels, sound.rate_hz), Meter(channels, sound.rate_hz))
        self._loudness = Loudness(channels, sound.rate_hz)

    def hear(self, samples: Samples) -> None:
        """Measure a block as it arrives."""
        self._broken += samples.broken
        if self._meters is not None:
            self._meters[0].feed(samples.data)

    def hear_after(self, data: FloatArray) -> None:
        """Measure a block as it goes on a track."""
        if self._meters is not None and self._loudness is not None:
            self._meters[1].feed(data)
            self._loudness.feed(data)

    def heard(self) -> AudioLevels:
        """Say what was heard since the last time."""
        if self._meters is None or self._loudness is None:
            return AudioLevels()
        return AudioLevels(
            before=self._meters[0].read(), after=self._meters[1].read(), loud=self._loudness.loud, broken=self._broken
        )

    @property
    def is_testing(self) -> bool:
        return self._probe is not None

    def begin_test(self, signal: Signal, now_ns: int) -> None:
        """Begin a field test; one that runs begins anew."""
        self._probe, self._probe_end_ns = FieldProbe(signal.mode.rate, top_first=signal.top_first), now_ns + TEST_S * NS
        self.field_test = None

    @property
    def is_finding(self) -> bool:
        """Whether black bars are looked for."""
        return self._finder is not None

    def begin_finding(self, now_ns: int) -> None:
        """Begin to look for black bars."""
        self._finder, self._finder_end_ns, self._finder_next_ns = BarFinder(), now_ns + FIND_S * NS, now_ns
        self.bars, self.has_looked = None, False

    def find(self, picture: Picture) -> None:
        """Look for black bars in a picture that goes on to the frame, ten times a second, until the time is over."""
        finder = self._finder
        if finder is None:
            return
        if picture.at_ns >= self._finder_next_ns:
            self._finder_next_ns = picture.at_ns + NS // 10
            finder.feed(luma_of(picture.frame))
        if picture.at_ns >= self._finder_end_ns:
            self.bars, self.has_looked, self._finder = finder.result(), True, None

    def probe(self, picture: Picture) -> None:
        """Feed the field test, and end it when its time is over."""
        if self._probe is None:
            return
        self._probe.feed(picture)
        if picture.at_ns >= self._probe_end_ns:
            self.field_test, self._probe = self._probe.result(), None

    def read(self, signal: Signal | None, watched: Watched, levels: tuple[Level, ...], now_ns: int) -> Condition:
        if signal is not None and signal != self._signal:
            self._before, self._signal = self._signal, signal
            self._changed_ns = now_ns if self._before is not None else None
        if not levels or any(level.rms_db > SILENT_DB for level in levels):
            self._heard_ns = now_ns
        silent_ns = now_ns - self._heard_ns if self._heard_ns is not None else 0
        return Condition(
            first=self._before,
            signal=signal,
            changed_s=(now_ns - self._changed_ns) / NS if self._changed_ns is not None else None,
            watched=watched,
            levels=levels,
            silent_s=silent_ns / NS,
        )
