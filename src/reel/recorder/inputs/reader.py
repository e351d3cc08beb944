"""Reading one input: opened, watched, measured, and what arrives handed on, on a clock."""

import threading
from collections import deque
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from typing import Protocol

from reel.core.errors import ReelError
from reel.core.line import HopKind, InputSetup
from reel.core.measure import Condition, Watch, alarms, contradictions
from reel.core.media import ChannelStrip
from reel.core.signal import NS, HeldError, Input, InputError, Picture, Samples, Sent, Signal, mended
from reel.recorder.clock import Clock
from reel.recorder.guard import attempt
from reel.recorder.inputs.ahead import Ahead
from reel.recorder.inputs.conformer import Conformer
from reel.recorder.inputs.instruments import Instruments
from reel.recorder.messages import AudioLevels, InputStatus

STEP_NS = NS // 10
# Levels are read twice as often as the rest.
METER_NS = NS // 20
RETRY_NS = (NS, 2 * NS, 4 * NS, 8 * NS)
# A device that another rig is just letting go is asked for again at once.
HELD_RETRY_NS = NS // 4
# A picture that is read this late is not measured: measuring is left out first.
BEHIND_NS = NS // 10
# So long a command waits for what came before it to be read.
PATIENCE_NS = NS // 2

Opener = Callable[[int], Input]


class Taker(Protocol):
    """Who is given what inputs send, each known by its place. Called on the thread that reads it."""

    @property
    def gives_way(self) -> bool: ...
    def wants(self, place: int) -> bool: ...
    def wants_all(self, place: int) -> bool: ...
    def take_picture(self, place: int, picture: Picture, goes_on: Signal) -> None: ...
    def hear(self, place: int, samples: Samples) -> None: ...
    def take_samples(self, place: int, samples: Samples) -> None: ...
    def take_loss(self, place: int) -> None: ...


@dataclass(frozen=True, slots=True)
class _Command:
    """Something to do on the reading thread, once all that was due by `after_ns` has been read."""

    work: Callable[[], None]
    after_ns: int | None


class Reader:
    """Reads one input. `channels` are those of a track; the taker is to `hear` sound as it comes, and takes it as
    the input's strip makes it.

    Pictures are handed on while the taker `wants` them; where each needs those before it, while it `wants_all`. They
    are not measured while it `gives_way`.
    `released` is called when the input has been let go. Everything but `call`, `stop`, `reading`, `tried` and `error`
    belongs to the thread that runs it; `tried` is set once the input has been opened, or could not be: `error` says
    why.
    """

    def __init__(
        self,
        setup: InputSetup,
        opener: Opener,
        clock: Clock,
        taker: Taker,
        *,
        place: int = 0,
        channels: int = 2,
        released: Callable[[], None] = lambda: None,
    ) -> None:
        self.setup = setup
        self.reading = InputStatus(name=setup.name, problem="The signal is being opened.")
        self.tried = threading.Event()
        self.wake = threading.Event()
        self.error: InputError | None = None
        self._opener, self._clock, self._taker, self._released = opener, clock, taker, released
        self._place = place
        self._channels = channels
        self._conformer = Conformer(setup.arrival)
        self._reads_screen = any(hop.hop.kind is HopKind.MIRROR for hop in setup.path)
        self._watch = Watch(reads_screen=self._reads_screen)
        self._instruments = Instruments()
        self._input: Input | None = None
        self._signal: Signal | None = None
        self._strip: ChannelStrip | None = None
        self._retry_ns, self._failures = clock.now_ns(), 0
        self._step_ns: int = clock.now_ns()
        self._picture_ns = self._step_ns
        self._meter_ns = self._step_ns
        self._commands: deque[_Command] = deque()
        self._stopping = False

    @property
    def sent(self) -> Sent | None:
        """The packets of what is open; may be asked from any thread."""
        opened = self._input
        return opened.sent if opened is not None else None

    def call(self, command: Callable[[], None], *, after_ns: int | None = None) -> None:
        """Have a command run on the reading thread, between two arrivals.

        With `after_ns` it waits until all that was due by then has been read, though not for ever.
        """
        self._commands.append(_Command(command, after_ns))
        self.wake.set()

    def stop(self) -> None:
        """Have `run` return and the input closed."""
        self._stopping = True
        self.wake.set()

    def run(self) -> None:
        """Read what is due until stopped; then the input is closed."""
        while not self._stopping:
            now_ns = self._clock.now_ns()
            self.tend(now_ns)
            if not self.read_due(now_ns):
                self._clock.wait(self.next_ns(), self.wake)
        self.close()

    def tend(self, now_ns: int) -> None:
        """Do what is asked, and what is done ten times a second."""
        while self._commands:
            after_ns = self._commands[0].after_ns
            if after_ns is not None and now_ns < after_ns + PATIENCE_NS and self.is_behind(after_ns):
                break
            self._commands.popleft().work()
        if now_ns >= self._step_ns:
            self._step_ns = now_ns + STEP_NS
            self._meter_ns = now_ns + METER_NS
            self._read_instruments(now_ns)
        elif now_ns >= self._meter_ns:
            self._meter_ns = now_ns + METER_NS
            if self.reading.sound is not None:
                self.reading = replace(self.reading, heard=self._instruments.heard())

    def read_due(self, now_ns: int, until_ns: int | None = None) -> bool:
        """Read one arrival if it is due; opens the input where needed."""
        if self._input is None and now_ns >= self._retry_ns:
            self._open(now_ns)
        if self._input is None:
            return False
        due_ns = self._input.due_ns()
        if due_ns is None:
            self.drain()
            return False
        if due_ns > now_ns or (until_ns is not None and due_ns > until_ns):
            return False
        try:
            arrived = self._input.read(now_ns)
        except InputError as error:
            self._lose(error, now_ns)
            return False
        if arrived is not None:
            self.error, self._failures = None, 0  # what is opened again is there again once something comes
        if isinstance(arrived, Picture):
            self._take_picture(arrived)
        elif arrived is not None:
            self._take_samples(arrived)
        return arrived is not None

    def due_ns(self) -> int | None:
        """When the next arrival is due, or the input is to be tried again; None for never."""
        return self._input.due_ns() if self._input else self._retry_ns

    def next_ns(self) -> int:
        """When there is something to do next."""
        due_ns = self.due_ns()
        step_ns = min(self._step_ns, self._meter_ns)
        return step_ns if due_ns is None else min(due_ns, step_ns)

    def is_behind(self, now_ns: int) -> bool:
        """Return whether something that was due by then has not been read yet."""
        due_ns = self._input.due_ns() if self._input is not None else None
        return due_ns is not None and due_ns <= now_ns

    def drain(self) -> None:
        """Hand on what is still held of what came: what comes next does not follow on it."""
        if self._signal is not None:
            self._hand_on(self._conformer.drain())
        if self._strip is not None:
            self._hand_on_sound(self._strip.drain())

    def close(self) -> None:
        self.drain()
        self._release()

    def failed(self, error: ReelError) -> None:
        """End after an error that nobody foresaw: the input is let go, the reason said."""
        attempt("Letting the input go", self._release)
        attempt("Saying that an input is gone", lambda: self._taker.take_loss(self._place))
        self.reading = InputStatus(name=self.setup.name, problem=str(error))
        self.tried.set()

    def test_fields(self) -> None:
        """Begin a field test on what arrives."""
        if self._input is not None and self._input.signal is not None:
            self._instruments.begin_test(self._input.signal, self._clock.now_ns())

    def find_bars(self) -> None:
        """Begin to look for black bars in what arrives."""
        self._instruments.begin_finding(self._clock.now_ns())

    def become(self, setup: InputSetup, channels: int) -> None:
        """Go on with another name or sound; the way is the same, and stays open. On the reading thread."""
        if (setup.sound, channels) != (self.setup.sound, self._channels):
            self._strip = None
        self.setup, self._channels = setup, channels

    def try_now(self) -> None:
        """Try to open the input again at once."""
        self._retry_ns = self._clock.now_ns()

    def _release(self) -> None:
        if self._input is not None:
            gone, self._input = self._input, None
            gone.close()
        self._released()

    def _take_picture(self, picture: Picture) -> None:
        assert self._input is not None and self._input.signal is not None
        signal, self._picture_ns = self._input.signal, picture.at_ns
        if self._clock.now_ns() - picture.at_ns < BEHIND_NS and not self._taker.gives_way:
            self._watch.look(picture, top_first=signal.top_first)
        else:
            self._watch.note(picture.at_ns)
        self._instruments.probe(picture)
        needs_all = self._conformer.remembers(signal) and self._taker.wants_all(self._place)
        if not (self._taker.wants(self._place) or self._instruments.is_finding or needs_all):
            return
        if signal != self._signal:
            self.drain()
            self._signal = signal
        self._hand_on(self._conformer.apply(picture, signal))

    def _hand_on(self, pictures: Iterable[Picture]) -> None:
        assert self._signal is not None
        goes_on = self.setup.arrival.signal_of(self._signal)
        for made in pictures:
            self._instruments.find(made)
            self._taker.take_picture(self._place, made, goes_on)

    def _take_samples(self, arrived: Samples) -> None:
        assert self._input is not None
        samples = mended(arrived)
        if self._strip is None:
            sound = self._input.sound
            assert sound is not None
            self._instruments.listen(sound, self._channels)
            self._strip = ChannelStrip(self.setup.sound, sound, self._channels)
        self._instruments.hear(samples)
        self._taker.hear(self._place, samples)
        self._hand_on_sound(self._strip.apply(samples))

    def _hand_on_sound(self, blocks: Iterable[Samples]) -> None:
        for made in blocks:
            self._instruments.hear_after(made.data)
            self._taker.take_samples(self._place, made)

    def _read_instruments(self, now_ns: int) -> None:
        opened = self._input
        problem, is_opening = str(self.error) if self.error else None, False
        if opened is None and self.error is None:
            problem, is_opening = "The signal is being opened.", True
        elif opened is not None and opened.is_connecting:
            problem, is_opening = "The signal is being connected.", True
        elif opened is not None and opened.due_ns() is None:
            problem = "The signal has ended."
        if self.error is not None and not self.error.lasts:
            problem = f"{problem} It is tried again by itself."
        heard = self._instruments.heard() if opened and opened.sound else AudioLevels()
        signal = opened.signal if opened else None
        condition = self._instruments.read(signal, self._watch.read(self._seen_ns(now_ns)), heard.before, now_ns)
        is_held = isinstance(self.error, HeldError)
        needs = self.error.needs if self.error is not None else None
        told = replace(condition, problem=None if is_opening else problem, is_held=is_held, needs=needs)
        self.reading = InputStatus(
            name=self.setup.name,
            signal=condition.signal,
            sound=opened.sound if opened else None,
            heard=heard,
            watched=condition.watched,
            problem=problem,
            is_held=is_held,
            needs=needs,
            alarms=alarms(self.setup, told),
            contradictions=self._contradictions(condition, heard.broken),
            field_test=self._instruments.field_test,
            is_testing=self._instruments.is_testing,
            bars=self._instruments.bars,
            has_looked=self._instruments.has_looked,
            is_finding=self._instruments.is_finding,
            event=opened.event if opened else None,
        )
        if self._failures or (opened is not None and not opened.is_connecting):
            self.tried.set()

    def _seen_ns(self, now_ns: int) -> int:
        """Return the instant up to which the picture was seen: while reading is behind that is when the last one came.

        What was not read is not said to stand still.
        """
        return self._picture_ns if self.is_behind(now_ns - BEHIND_NS) else now_ns

    def _contradictions(self, condition: Condition, broken: int) -> tuple[str, ...]:
        said = (f"{broken} samples of its sound are no sound: silence stands in their place.",) if broken else ()
        if condition.signal is None:
            return said
        return (*contradictions(self.setup, condition.signal, condition.watched), *said)

    def _open(self, now_ns: int) -> None:
        try:
            self._input = Ahead(self._opener(now_ns))
        except InputError as error:
            self._lose(error, now_ns)
        else:
            self._strip = None
            self._watch = Watch(reads_screen=self._reads_screen)
        self._read_instruments(now_ns)

    def _lose(self, error: InputError, now_ns: int) -> None:
        """Note why there is no signal and when to try again: after 1, 2, 4, then every 8 s."""
        self.drain()
        self._taker.take_loss(self._place)
        self._release()
        self.error = error
        is_held = isinstance(error, HeldError)
        self._retry_ns = now_ns + (HELD_RETRY_NS if is_held else RETRY_NS[min(self._failures, len(RETRY_NS) - 1)])
        self._failures += 1
