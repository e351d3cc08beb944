"""What is heard without a picture: microphones at the computer, and the voices of a party chat."""

from reel.core.line import DeviceKind, Simulated
from reel.core.line.origin import Origin
from reel.core.signal import NS, DeviceEvent, FloatArray, InputError, Samples, Sent, SoundFormat
from reel.standins.ambience import RATE_HZ, looped
from reel.standins.rig import refuse_captured
from reel.standins.room import Claps
from reel.standins.scenario import Fault, Scenario
from reel.standins.trouble import Trouble
from reel.standins.voices import chat, heard

BLOCK = 960
# As much sound as a driver keeps for a program that is slow to read; older sound is overwritten.
BUFFERED_NS = 4 * NS


class Listener:
    """Hears one loop of sound from `start_ns` on, mono at 48 kHz. Implements Input; it has no picture.

    What it sends is of `lag_ns` before, and with `claps` it hears those. While its `trouble` is that somebody took it,
    reading it raises InputError.
    """

    def __init__(
        self, name: str, loop: FloatArray, *, start_ns: int, drift_ppm: float = 0.0,
        trouble: Trouble, lag_ns: int = 0, claps: Claps | None = None,
    ) -> None:  # fmt: skip
        self._name, self._loop, self._start_ns = name, loop, start_ns + lag_ns
        self._lag_ns, self._claps = lag_ns, claps
        self._trouble = trouble
        self._block_ns = BLOCK * NS / RATE_HZ / (1 + drift_ppm / 1_000_000)
        self._next = 0
        self._open = True

    @property
    def signal(self) -> None:
        return

    @property
    def sound(self) -> SoundFormat:
        """48 kHz mono."""
        return SoundFormat(rate_hz=RATE_HZ, channels=1)

    @property
    def is_connecting(self) -> bool:
        return False

    @property
    def event(self) -> DeviceEvent | None:
        """Nothing: it can't."""
        return None

    @property
    def sent(self) -> Sent | None:
        """Nothing: it does not come in packets that could be kept."""
        return None

    def due_ns(self) -> int | None:
        """When the next block is complete."""
        return self._at_ns(self._next + 1) if self._open else None

    def read(self, now_ns: int) -> Samples:
        if not self._open:
            raise InputError(self._name, "is switched off")
        _refuse(self._name, self._trouble, now_ns)
        while now_ns - self._at_ns(self._next + 1) > BUFFERED_NS:
            self._next += 1
        number = self._next
        self._next += 1
        at_ns, data = self._at_ns(number), looped(self._loop[None], number * BLOCK, BLOCK)
        if self._claps is not None:
            data = self._claps.heard(data, at_ns - self._lag_ns, RATE_HZ)
        return Samples(at_ns=at_ns, data=data)

    def close(self) -> None:
        self._open = False

    def _at_ns(self, block: int) -> int:
        return self._start_ns + round(block * self._block_ns)


def _refuse(name: str, trouble: Trouble, at_ns: int) -> None:
    """Raise InputError while it is not opened: pulled, held, denied."""
    if trouble.at(at_ns) is Fault.PULLED:
        raise InputError(name, "is no longer there")
    refuse_captured(name, trouble, at_ns)


def listen(
    kind: DeviceKind, origin: Origin, scenario: Scenario, *, start_ns: int, trouble: Trouble, claps: Claps | None = None
) -> Listener:
    """Open a device that has sound only, with what fails of it. Raises InputError.

    A microphone hears who `claps` in the room; those on the line do not.
    """
    named = origin.device if isinstance(origin, Simulated) else kind.label
    name = f"The {named.lower()}"
    _refuse(name, trouble, start_ns)
    is_afar = kind is DeviceKind.CHAT
    return Listener(
        name,
        chat() if is_afar else heard(far=scenario.far),
        start_ns=start_ns,
        drift_ppm=scenario.drift_ppm,
        trouble=trouble,
        lag_ns=scenario.lag_ns,
        claps=None if is_afar else claps,
    )
