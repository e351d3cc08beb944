"""An open rig: its input read, framed, measured, shown and, while a take rolls, recorded."""

import threading
from collections import deque
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

import av

from reel.core.errors import ReelError
from reel.core.line import RigSetup, framed_signal
from reel.core.media import Framer
from reel.core.signal import NS, Input, Picture, Samples, Signal, SoundFormat
from reel.core.sound import Level, Meter
from reel.recorder.clock import Clock
from reel.recorder.roll import Roll, RollState

STEP_NS = NS // 10
SOUND_HZ = SoundFormat().rate_hz
KEEP_SOUND_NS = NS // 2
RETRY_NS = (NS, 2 * NS, 4 * NS, 8 * NS)

Opener = Callable[[int], Input]


@dataclass(frozen=True, slots=True, kw_only=True)
class Reading:
    """What an open rig shows at a moment: the input's own facts, levels per channel, pictures that arrived per second.

    `problem` is a sentence that says why there is no signal; None while pictures arrive.
    """

    signal: Signal | None = None
    sound: SoundFormat | None = None
    levels: tuple[Level, ...] = ()
    arriving_per_s: float = 0.0
    problem: str | None = "The signal is being opened."


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
        self._input: Input | None = None
        self._meter: Meter | None = None
        self._problem = Reading().problem
        self._retry_ns, self._failures = clock.now_ns(), 0
        self._recent: deque[Samples] = deque()
        self._arrivals: deque[int] = deque()
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
        self._arrivals.append(picture.at_ns)
        recording = self.roll is not None and self.roll.state in (RollState.WAITING, RollState.ROLLING)
        wanted = self._wanted()
        if not recording and not wanted:
            return
        framed = self._framer.apply(picture.frame, signal.pixel_aspect)
        if recording and self.roll is not None:
            self.roll.take_picture(picture, framed, 1 / signal.mode.rate, list(self._recent))
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
        while self._arrivals and now_ns - self._arrivals[0] > NS:
            self._arrivals.popleft()
        opened = self._input
        problem = self._problem
        if opened is not None and opened.signal is None:
            problem = "The signal is being connected."
        elif opened is not None and opened.due_ns() is None:
            problem = "The signal has ended."
        elif opened is not None:
            self._failures = 0
        self.reading = Reading(
            signal=opened.signal if opened else None,
            sound=opened.sound if opened else None,
            levels=self._meter.read() if self._meter and opened else (),
            arriving_per_s=self._arriving_per_s(),
            problem=problem,
        )
        if self._failures or (opened is not None and opened.signal is not None):
            self.tried.set()

    def _arriving_per_s(self) -> float:
        if len(self._arrivals) < 2:
            return 0.0
        span_ns = self._arrivals[-1] - self._arrivals[0]
        return round(float(Fraction((len(self._arrivals) - 1) * NS, span_ns)), 2) if span_ns else 0.0

    def _open(self, now_ns: int) -> None:
        try:
            self._input = self._opener(now_ns)
        except ReelError as error:
            self._lose(error, now_ns)
        else:
            self._problem, self._meter = None, None
        self._read_instruments(now_ns)

    def _lose(self, error: ReelError, now_ns: int) -> None:
        """Note why there is no signal and when to try again: after 1, 2, 4, then every 8 s."""
        self._release()
        self._problem = f"{error} It is tried again by itself."
        self._retry_ns = now_ns + RETRY_NS[min(self._failures, len(RETRY_NS) - 1)]
        self._failures += 1

    def _due_ns(self) -> int | None:
        return self._input.due_ns() if self._input else self._retry_ns

    def _next_ns(self, until_ns: int | None) -> int:
        moments = (self._due_ns(), until_ns, self._step_ns)
        return min(moment for moment in moments if moment is not None)
