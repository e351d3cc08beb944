"""What an open rig shows of its signal: the readings that a page is given, and what is followed over time."""

from dataclasses import dataclass, field

from reel.core.measure import TEST_S, Alarm, Condition, FieldProbe, FieldTest, Watched
from reel.core.measure.alarm import SILENT_DB
from reel.core.signal import NS, Picture, Signal, SoundFormat
from reel.core.sound import Level


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """What an open rig shows at a moment: the input's own facts, levels per channel, what was measured of the picture.

    `contradictions` say where what is measured disagrees with the line. `problem` is a sentence that says why there is
    no signal; None while pictures arrive. `field_test` is the last one's result, `is_testing` says that one runs.
    """

    signal: Signal | None = None
    sound: SoundFormat | None = None
    levels: tuple[Level, ...] = ()
    watched: Watched = field(default_factory=Watched)
    problem: str | None = "The signal is being opened."
    alarms: tuple[Alarm, ...] = ()
    contradictions: tuple[str, ...] = ()
    field_test: FieldTest | None = None
    is_testing: bool = False


class Instruments:
    """What is followed over time: changes of the signal, silence, a field test that runs."""

    def __init__(self) -> None:
        self.field_test: FieldTest | None = None
        self._probe: FieldProbe | None = None
        self._probe_end_ns = 0
        self._signal: Signal | None = None
        self._before: Signal | None = None
        self._changed_ns: int | None = None
        self._heard_ns: int | None = None

    @property
    def is_testing(self) -> bool:
        """Whether a field test runs."""
        return self._probe is not None

    def begin_test(self, signal: Signal, now_ns: int) -> None:
        """Begin a field test; one that runs begins anew."""
        self._probe, self._probe_end_ns = FieldProbe(signal.mode.rate, top_first=signal.top_first), now_ns + TEST_S * NS
        self.field_test = None

    def probe(self, picture: Picture) -> None:
        """Feed the field test, and end it when its time is over."""
        if self._probe is None:
            return
        self._probe.feed(picture)
        if picture.at_ns >= self._probe_end_ns:
            self.field_test, self._probe = self._probe.result(), None

    def read(self, signal: Signal | None, watched: Watched, levels: tuple[Level, ...], now_ns: int) -> Condition:
        """Say how things stand."""
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
