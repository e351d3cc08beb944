"""An open rig: its input read, framed, measured, shown and, while a take rolls, recorded."""

import threading
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass, field, replace

import av

from reel.core.errors import ReelError
from reel.core.line import HopKind, RigSetup, framed_signal
from reel.core.measure import TEST_S, Alarm, Condition, FieldProbe, FieldTest, Watch, Watched, alarms
from reel.core.measure.alarm import SILENT_DB
from reel.core.media import Arriving, Framer
from reel.core.signal import NS, Input, InputError, Picture, Samples, Signal, SoundFormat
from reel.core.sound import Level, Meter
from reel.recorder.clock import Clock
from reel.recorder.roll import Roll, RollState

STEP_NS = NS // 10
SOUND_HZ = SoundFormat().rate_hz
KEEP_SOUND_NS = NS // 2
RETRY_NS = (NS, 2 * NS, 4 * NS, 8 * NS)
# A picture that is read this late is not measured: measuring is left out first.
BEHIND_NS = NS // 4

Opener = Callable[[int], Input]


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """What an open rig shows at a moment: the input's own facts, levels per channel, what was measured of the picture.

    `problem` is a sentence that says why there is no signal; None while pictures arrive. `field_test` is the last
    field test's result, `is_testing` says that one runs.
    """

    signal: Signal | None = None
    sound: SoundFormat | None = None
    levels: tuple[Level, ...] = ()
    watched: Watched = field(default_factory=Watched)
    problem: str | None = "The signal is being opened."
    alarms: tuple[Alarm, ...] = ()
    field_test: FieldTest | None = None
    is_testing: bool = False


class _Instruments:
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
        self._probe, self._probe_end_ns = FieldProbe(signal.mode.rate), now_ns + TEST_S * NS
        self.field_test = None

    def probe(self, picture: Picture) -> None:
        """Feed the field test, and end it when its time is over."""
        if self._probe is None:
            return
        self._probe.feed(picture.frame)
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


class Source:
    """Reads one input on the clock it is given. `show` is handed framed pictures that somebody watches.

    Everything but `call`, `stop`, `reading` and `tried` belongs to the thread that runs `run_until`; `tried` is set
    once the input has been opened, or could not be.
    """

    def __init__(
        self,
        setup: RigSetup,
        opener: Opener,
        clock: Clock,
        *,
        wanted: Callable[[], bool] = lambda: False,
        show: Callable[[av.VideoFrame], None] = lambda frame: None,
    ) -> None:
        self.setup = setup
        self.roll: Roll | None = None
        self.reading = Reading()
        self.tried = threading.Event()
        self._opener, self._clock = opener, clock
        self._wanted, self._show = wanted, show
        self._framer = Framer(framed_signal(setup))
        self._arriving = Arriving(setup.arrival)
        self._reads_screen = any(hop.hop.kind is HopKind.MIRROR for hop in setup.path)
        self._watch = Watch(reads_screen=self._reads_screen)
        self._instruments = _Instruments()
        self._input: Input | None = None
        self._meter: Meter | None = None
        self._problem = Reading().problem
        self._retry_ns, self._failures = clock.now_ns(), 0
        self._recent: deque[Samples] = deque()
        self._step_ns = clock.now_ns()
        self._commands: deque[Callable[[], None]] = deque()
        self._wake = threading.Event()
        self._stopping = False

    def call(self, command: Callable[[], None]) -> None:
        """Have a command run on the source's thread, between two arrivals."""
        self._commands.append(command)
        self._wake.set()

    def stop(self) -> None:
        """Have `run_until` return and the input closed."""
        self._stopping = True
        self._wake.set()

    def test_fields(self) -> None:
        """Begin a field test on what arrives; runs on the source's thread."""
        if self._input is not None and self._input.signal is not None:
            self._instruments.begin_test(self._input.signal, self._clock.now_ns())

    def try_now(self) -> None:
        """Try to open the input again at once; runs on the source's thread."""
        self._retry_ns = self._clock.now_ns()

    def run_until(self, until_ns: int | None = None) -> None:
        """Read what is due, up to `until_ns` on the clock, or until stopped; then the input is closed."""
        while not self._stopping:
            while self._commands:
                self._commands.popleft()()
            now_ns = self._clock.now_ns()
            if now_ns >= self._step_ns:
                self._step(now_ns)
            if self._read_due(now_ns, until_ns):
                continue
            if until_ns is not None and now_ns >= until_ns:
                return
            self._clock.wait(self._next_ns(until_ns), self._wake)
        self.close()

    def close(self) -> None:
        """Let the input go; a roll that has not ended ends here."""
        if self.roll is not None:
            self.roll.abandon(self._clock.now_ns())
            self.roll = None
        self._release()

    def _release(self) -> None:
        if self._input is not None:
            self._input.close()
            self._input = None

    def _read_due(self, now_ns: int, until_ns: int | None) -> bool:
        """Read one arrival if it is due; opens the input where needed."""
        if self._input is None and now_ns >= self._retry_ns:
            self._open(now_ns)
        due_ns = self._due_ns()
        if self._input is None or due_ns is None or due_ns > now_ns or (until_ns is not None and due_ns > until_ns):
            return False
        try:
            arrived = self._input.read(now_ns)
        except ReelError as error:
            self._lose(error, now_ns)
            return False
        if arrived is None:
            return False
        if isinstance(arrived, Picture):
            self._take_picture(arrived)
        else:
            self._take_samples(arrived)
        return True

    def _take_picture(self, picture: Picture) -> None:
        assert self._input is not None and self._input.signal is not None
        signal = self._input.signal
        if self._clock.now_ns() - picture.at_ns < BEHIND_NS:
            self._watch.look(picture.frame, picture.at_ns)
        else:
            self._watch.note(picture.at_ns)
        self._instruments.probe(picture)
        recording = self.roll is not None and self.roll.state in (RollState.WAITING, RollState.ROLLING)
        wanted = self._wanted()
        if not recording and not wanted:
            return
        goes_on = self.setup.arrival.signal_of(signal)
        for made in self._arriving.apply(picture, signal):
            framed = self._framer.apply(made.frame, goes_on.pixel_aspect)
            if recording and self.roll is not None:
                self.roll.take_picture(made, framed, 1 / goes_on.mode.rate, list(self._recent))
            if wanted:
                self._show(framed)

    def _take_samples(self, samples: Samples) -> None:
        if self._meter is None:
            self._meter = Meter(samples.data.shape[0], SOUND_HZ)
        self._meter.feed(samples.data)
        self._recent.append(samples)
        while self._recent[-1].at_ns - self._recent[0].at_ns > KEEP_SOUND_NS:
            self._recent.popleft()
        if self.roll is not None:
            self.roll.take_samples(samples)

    def _step(self, now_ns: int) -> None:
        """Do what is done ten times a second, however far the reading is behind."""
        if self.roll is not None:
            self.roll.step(now_ns)
        self._step_ns = now_ns + STEP_NS
        self._read_instruments(now_ns)

    def _read_instruments(self, now_ns: int) -> None:
        opened = self._input
        problem = self._problem
        if opened is not None and opened.signal is None:
            problem = "The signal is being connected."
        elif opened is not None and opened.due_ns() is None:
            problem = "The signal has ended."
        elif opened is not None:
            self._failures = 0
        levels = self._meter.read() if self._meter and opened else ()
        condition = self._instruments.read(opened.signal if opened else None, self._watch.read(now_ns), levels, now_ns)
        self.reading = Reading(
            signal=condition.signal,
            sound=opened.sound if opened else None,
            levels=levels,
            watched=condition.watched,
            problem=problem,
            alarms=alarms(self.setup, replace(condition, problem=problem)),
            field_test=self._instruments.field_test,
            is_testing=self._instruments.is_testing,
        )
        if self._failures or (opened is not None and opened.signal is not None):
            self.tried.set()

    def _open(self, now_ns: int) -> None:
        try:
            self._input = self._opener(now_ns)
        except ReelError as error:
            self._lose(error, now_ns)
        else:
            self._problem, self._meter = None, None
            self._watch, self._arriving = Watch(reads_screen=self._reads_screen), Arriving(self.setup.arrival)
        self._read_instruments(now_ns)

    def _lose(self, error: ReelError, now_ns: int) -> None:
        """Note why there is no signal and when to try again: after 1, 2, 4, then every 8 s."""
        self._release()
        lasts = isinstance(error, InputError) and error.lasts
        self._problem = str(error) if lasts else f"{error} It is tried again by itself."
        self._retry_ns = now_ns + RETRY_NS[min(self._failures, len(RETRY_NS) - 1)]
        self._failures += 1

    def _due_ns(self) -> int | None:
        return self._input.due_ns() if self._input else self._retry_ns

    def _next_ns(self, until_ns: int | None) -> int:
        moments = (self._due_ns(), until_ns, self._step_ns)
        return min(moment for moment in moments if moment is not None)
