"""The inputs of an open rig: how each stands, and what may be asked of them from any thread."""

import threading
from collections.abc import Callable, Sequence
from concurrent.futures import Future
from concurrent.futures import TimeoutError as TooLateError
from functools import partial
from typing import TypeVar

from reel.core.file import FilePlan
from reel.core.line import DeviceKind, RigSetup, file_plan
from reel.core.signal import NS, InputError, Sent, SoundFormat
from reel.recorder.clock import Clock
from reel.recorder.inputs.reader import Opener, Reader, Taker
from reel.recorder.messages import InputStatus, RefusedError

T = TypeVar("T")
# A command waits so long for its turn, and then so long to be done: together less than who asks waits (`client`).
TURN_S, DOING_S = 5.0, 2.0


class OpenInputs:
    """A rig's inputs, each with what reads it; `taker` is given what they send, `released` the place of one let go.

    The first one's pictures lead: its thread records, and commands run on it.
    """

    def __init__(
        self,
        setup: RigSetup,
        openers: Sequence[Opener],
        clock: Clock,
        taker: Taker,
        released: Callable[[int], None],
    ) -> None:
        self.setup = setup
        self._clock = clock
        self._readers = [
            Reader(
                one,
                opener,
                clock,
                taker,
                place=place,
                channels=setup.recipe.sound_channels,
                released=partial(released, place),
            )
            for place, (one, opener) in enumerate(zip(setup.inputs, openers, strict=True))
        ]
        self._first = self._readers[0]
        self._threads: list[threading.Thread] = []

    @property
    def readings(self) -> tuple[InputStatus, ...]:
        return tuple(reader.reading for reader in self._readers)

    @property
    def error(self) -> InputError | None:
        """Why the first input that has none has no signal; None when all have one."""
        return next((reader.error for reader in self._readers if reader.error is not None), None)

    @property
    def sent(self) -> Sent | None:
        """The packets of the first input; None where it has none, or nothing comes."""
        return self._first.sent

    @property
    def is_alive(self) -> bool:
        """Whether the threads of all inputs beside the first run."""
        return all(thread.is_alive() for thread in self._threads)

    @property
    def heard(self) -> dict[int, SoundFormat]:
        """The sound of each input that has some, by its place."""
        return {place: one.sound for place, one in enumerate(self.readings) if one.sound is not None}

    @property
    def pair(self) -> tuple[int, int] | None:
        """The places of a voice and of what it is spoken over: the first microphone, and the first other sound."""
        heard = [(place, self.setup.inputs[place].device.kind) for place in self.heard]
        voice = next((place for place, kind in heard if kind is DeviceKind.MICROPHONE), None)
        game = next((place for place, kind in heard if kind is not DeviceKind.MICROPHONE), None)
        return None if voice is None or game is None else (voice, game)

    def plan(self) -> FilePlan:
        """Return what a take that begins now is to hold."""
        return file_plan(self.setup, frozenset(self.heard))

    def wait_tried(self, until_ns: int) -> None:
        """Wait until each input has been opened, or could not be, though not beyond an instant."""
        for reader in self._readers:
            reader.tried.wait(max(0, until_ns - self._clock.now_ns()) / NS)

    def call(self, command: Callable[[], None], *, after_ns: int | None = None) -> None:
        """Have a command run on the thread that records; see Reader.call."""
        self._first.call(command, after_ns=after_ns)

    def answer(self, work: Callable[[], T], *, after_ns: int | None = None) -> T:
        """Run `work` on the thread that records, after what was due by `after_ns` has been read; returns its result.

        Raises RefusedError when that takes too long, and says whether `work` may still be done; and what `work` raises.
        """
        future: Future[T] = Future()

        def run() -> None:
            if not future.set_running_or_notify_cancel():
                return  # who asked was told that it is not done
            try:
                future.set_result(work())
            except Exception as error:
                future.set_exception(error)

        self.call(run, after_ns=after_ns)
        try:
            return future.result(timeout=TURN_S)
        except TooLateError:
            if future.cancel():
                reason = f"The signal is being read and did not answer in {TURN_S:.0f} s; try again."
                raise RefusedError(reason) from None
        try:
            return future.result(timeout=DOING_S)
        except TooLateError:
            reason = f"It is still being done after {TURN_S + DOING_S:.0f} s; see what came of it before you try again."
            raise RefusedError(reason) from None

    def test_fields(self, place: int = 0) -> None:
        """Begin a field test on what arrives from an input; may be called from any thread."""
        self._readers[place].call(self._readers[place].test_fields)

    def find_bars(self, place: int = 0) -> None:
        """Begin to look for black bars in what arrives from an input; may be called from any thread."""
        self._readers[place].call(self._readers[place].find_bars)

    def try_now(self) -> None:
        """Try at once to open inputs again that were held by another rig; may be called from any thread."""
        for reader in self._readers:
            reader.call(reader.try_now)
