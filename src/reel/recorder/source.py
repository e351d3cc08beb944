"""An open rig: its input read, framed, measured, shown and, while a take rolls, recorded."""

import threading
from collections import deque
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

import av

from reel.core.errors import ReelError
from reel.core.line import HopKind, RigSetup, framed_signal
from reel.core.measure import Condition, Watch, alarms, contradictions
from reel.core.media import Arriving, Framer
from reel.core.signal import NS, HeldError, Input, InputError, Picture, Samples, Signal, SoundFormat
from reel.core.sound import Meter
from reel.recorder.clock import Clock
from reel.recorder.guard import attempt
from reel.recorder.instruments import Instruments, Reading
from reel.recorder.roll import MarkedMoment, Roll, RollState

STEP_NS = NS // 10
SOUND_HZ = SoundFormat().rate_hz
KEEP_SOUND_NS = NS // 2
RETRY_NS = (NS, 2 * NS, 4 * NS, 8 * NS)
# A device that another rig is just letting go is asked for again at once.
HELD_RETRY_NS = NS // 4
# A picture that is read this late is not measured: measuring is left out first.
BEHIND_NS = NS // 4
# So long a command waits for what came before it to be read.
PATIENCE_NS = NS // 2

Opener = Callable[[int], Input]


@dataclass(frozen=True, slots=True)
class _Command:
    """Something to do on the source's thread, once all that was due by `after_ns` has been read."""

    work: Callable[[], None]
    after_ns: int | None


class Source:
    """Reads one input on the clock it is given. `show` is handed framed pictures that are `wanted`.

    `watched` says that somebody looks on, whether or not just now another picture is wanted. `released` is called when
    the input has been let go. Everything but `call`, `stop`, `reading` and `tried` belongs to the thread that runs
    `run_until`; `tried` is set once the input has been opened, or could not be: `error` says why.
    """

    def __init__(
        self,
        setup: RigSetup,
        opener: Opener,
        clock: Clock,
        *,
        wanted: Callable[[], bool] = lambda: False,
        watched: Callable[[], bool] = lambda: False,
        show: Callable[[av.VideoFrame], None] = lambda frame: None,
        released: Callable[[], None] = lambda: None,
    ) -> None:
        self.setup = setup
        self.reading = Reading()
        self.tried = threading.Event()
        self._opener, self._clock = opener, clock
        self._wanted, self._watched, self._show, self._released = wanted, watched, show, released
        self._roll: Roll | None = None
        self._framer = Framer(framed_signal(setup))
        self._viewfinder = Framer(framed_signal(setup), exact=False)
        self._arriving = Arriving(setup.arrival)
        self._reads_screen = any(hop.hop.kind is HopKind.MIRROR for hop in setup.path)
        self._watch = Watch(reads_screen=self._reads_screen)
        self._instruments = Instruments()
        self._input: Input | None = None
        self._signal: Signal | None = None
        self._meter: Meter | None = None
        self.error: InputError | None = None
        self._retry_ns, self._failures = clock.now_ns(), 0
        self._recent: deque[Samples] = deque()
        self._step_ns = clock.now_ns()
        self._commands: deque[_Command] = deque()
        self._wake = threading.Event()
        self._stopping = False

    def call(self, command: Callable[[], None], *, after_ns: int | None = None) -> None:
        """Have a command run on the source's thread, between two arrivals.

        With `after_ns` it waits until all that was due by then has been read, though not for ever.
        """
        self._commands.append(_Command(command, after_ns))
        self._wake.set()

    def stop(self) -> None:
        """Have `run_until` return and the input closed."""
        self._stopping = True
        self._wake.set()

    def begin(self, roll: Roll) -> None:
        """Record into a roll, from the next picture that comes."""
        self._drain()
        self._roll = roll

    def hold(self, now_ns: int) -> None:
        """Pause the roll; what was shown before belongs to it."""
        self._drain()
        if self._roll is not None:
            self._roll.hold(now_ns)

    def carry_on(self) -> None:
        """Go on with the next picture that comes."""
        self._drain()
        if self._roll is not None:
            self._roll.carry_on()

    def cut(self, now_ns: int) -> None:
        """End the roll; what was shown before belongs to it."""
        self._drain()
        if self._roll is not None:
            self._roll.cut(now_ns)

    def mark(self, label: str) -> MarkedMoment | None:
        """Note this moment; None when nothing rolls any more."""
        return self._roll.mark(label) if self._roll is not None else None

    def test_fields(self) -> None:
        """Begin a field test on what arrives."""
        if self._input is not None and self._input.signal is not None:
            self._instruments.begin_test(self._input.signal, self._clock.now_ns())

    def try_now(self) -> None:
        """Try to open the input again at once."""
        self._retry_ns = self._clock.now_ns()

    def run_until(self, until_ns: int | None = None) -> None:
        """Read what is due, up to `until_ns` on the clock, or until stopped; then the input is closed."""
        while not self._stopping:
            now_ns = self._clock.now_ns()
            self._run_commands(now_ns)
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
        self._drain()
        if self._roll is not None:
            self._roll.abandon(self._clock.now_ns())
            self._roll = None
        self._release()

    def failed(self, error: ReelError) -> None:
        """End after an error that nobody foresaw: what was recorded is closed, the input let go, the reason said."""
        roll, self._roll = self._roll, None
        if roll is not None:
            attempt("Ending the roll", lambda: roll.abandon(self._clock.now_ns(), str(error)))
            roll.lane.finish()
        attempt("Letting the input go", self._release)
        self.reading = Reading(problem=str(error))
        self.tried.set()

    def _run_commands(self, now_ns: int) -> None:
        while self._commands:
            after_ns = self._commands[0].after_ns
            if after_ns is not None and now_ns < after_ns + PATIENCE_NS and self._is_behind(after_ns):
                return
            self._commands.popleft().work()

    def _is_behind(self, now_ns: int) -> bool:
        """Say whether something that was due by then has not been read yet."""
        due_ns = self._input.due_ns() if self._input is not None else None
        return due_ns is not None and due_ns <= now_ns

    def _release(self) -> None:
        if self._input is not None:
            gone, self._input = self._input, None
            gone.close()
        self._released()

    def _read_due(self, now_ns: int, until_ns: int | None) -> bool:
        """Read one arrival if it is due; opens the input where needed."""
        if self._input is None and now_ns >= self._retry_ns:
            self._open(now_ns)
        if self._input is None:
            return False
        due_ns = self._input.due_ns()
        if due_ns is None:
            self._drain()
            return False
        if due_ns > now_ns or (until_ns is not None and due_ns > until_ns):
            return False
        try:
            arrived = self._input.read(now_ns)
        except InputError as error:
            self._lose(error, now_ns)
            return False
        if isinstance(arrived, Picture):
            self.error, self._failures = None, 0  # what is opened again is there again once a picture comes
            self._take_picture(arrived)
        elif arrived is not None:
            self._take_samples(arrived)
        return arrived is not None

    @property
    def _is_recording(self) -> bool:
        return self._roll is not None and self._roll.state in (RollState.WAITING, RollState.ROLLING)

    def _take_picture(self, picture: Picture) -> None:
        assert self._input is not None and self._input.signal is not None
        signal = self._input.signal
        if self._clock.now_ns() - picture.at_ns < BEHIND_NS:
            self._watch.look(picture, top_first=signal.top_first)
        else:
            self._watch.note(picture.at_ns)
        self._instruments.probe(picture)
        looked_on = self._wanted() or (self._arriving.remembers(signal) and self._watched())
        if not self._is_recording and not looked_on:
            return
        if signal != self._signal:
            self._drain()
            self._signal = signal
        self._pass_on(self._arriving.apply(picture, signal))

    def _pass_on(self, pictures: Iterable[Picture]) -> None:
        """Frame pictures that are recorded or wanted, and hand them on."""
        assert self._signal is not None
        goes_on = self.setup.arrival.signal_of(self._signal)
        for made in pictures:
            is_wanted = self._wanted()
            if not self._is_recording and not is_wanted:
                continue
            framer = self._framer if self._is_recording else self._viewfinder
            framed = framer.apply(made.frame, goes_on.pixel_aspect)
            if self._is_recording and self._roll is not None:
                self._roll.take_picture(made, framed, 1 / goes_on.mode.rate, list(self._recent))
            if is_wanted:
                self._show(framed)

    def _drain(self) -> None:
        """Pass on what is still held of pictures that came: what comes next does not follow on them."""
        if self._signal is not None:
            self._pass_on(self._arriving.drain())

    def _take_samples(self, samples: Samples) -> None:
        if self._meter is None:
            self._meter = Meter(samples.data.shape[0], SOUND_HZ)
        self._meter.feed(samples.data)
        self._recent.append(samples)
        while self._recent[-1].at_ns - self._recent[0].at_ns > KEEP_SOUND_NS:
            self._recent.popleft()
        if self._roll is not None:
            self._roll.take_samples(samples)

    def _step(self, now_ns: int) -> None:
        """Do what is done ten times a second, however far the reading is behind."""
        if self._roll is not None:
            self._roll.step(now_ns, is_behind=self._is_behind(now_ns))
            if self._roll.state is RollState.ENDED:
                self._roll = None
        self._step_ns = now_ns + STEP_NS
        self._read_instruments(now_ns)

    def _read_instruments(self, now_ns: int) -> None:
        opened = self._input
        problem, is_opening = str(self.error) if self.error else None, False
        if opened is None and self.error is None:
            problem, is_opening = "The signal is being opened.", True
        elif opened is not None and opened.signal is None:
            problem, is_opening = "The signal is being connected.", True
        elif opened is not None and opened.due_ns() is None:
            problem = "The signal has ended."
        if self.error is not None and not self.error.lasts:
            problem = f"{problem} It is tried again by itself."
        levels = self._meter.read() if self._meter and opened else ()
        condition = self._instruments.read(opened.signal if opened else None, self._watch.read(now_ns), levels, now_ns)
        told = replace(
            condition,
            problem=None if is_opening else problem,
            is_held=isinstance(self.error, HeldError),
        )
        self.reading = Reading(
            signal=condition.signal,
            sound=opened.sound if opened else None,
            levels=levels,
            watched=condition.watched,
            problem=problem,
            alarms=alarms(self.setup, told),
            contradictions=self._contradictions(condition),
            field_test=self._instruments.field_test,
            is_testing=self._instruments.is_testing,
        )
        if self._failures or (opened is not None and opened.signal is not None):
            self.tried.set()

    def _contradictions(self, condition: Condition) -> tuple[str, ...]:
        if condition.signal is None:
            return ()
        return contradictions(self.setup, condition.signal, condition.watched)

    def _open(self, now_ns: int) -> None:
        try:
            self._input = self._opener(now_ns)
        except InputError as error:
            self._lose(error, now_ns)
        else:
            self._meter = None
            self._watch = Watch(reads_screen=self._reads_screen)
        self._read_instruments(now_ns)

    def _lose(self, error: InputError, now_ns: int) -> None:
        """Note why there is no signal and when to try again: after 1, 2, 4, then every 8 s."""
        self._drain()
        if self._roll is not None:
            self._roll.lose_signal()
        self._recent.clear()
        self._release()
        self.error = error
        is_held = isinstance(error, HeldError)
        self._retry_ns = now_ns + (HELD_RETRY_NS if is_held else RETRY_NS[min(self._failures, len(RETRY_NS) - 1)])
        self._failures += 1

    def _due_ns(self) -> int | None:
        return self._input.due_ns() if self._input else self._retry_ns

    def _next_ns(self, until_ns: int | None) -> int:
        moments = (self._due_ns(), until_ns, self._step_ns)
        return min(moment for moment in moments if moment is not None)
