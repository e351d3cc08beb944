"""A scenario: how a simulated device and its room behave, beside what a creator sets on a real one."""

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from enum import StrEnum

from reel.core.errors import BadValueError
from reel.core.line import Connector, DeviceKind, HopKind, InputSetup
from reel.core.signal import NS

MAX_DRIFT_PPM = 500
LAG_MS = (0, 1000)
TAPE_S = (2, 14_400)
FROM_S = (0, 14_400)


class Shows(StrEnum):
    """What is on a stand-in's picture: its own scene, or colour bars with patches that betray every loss."""

    SCENE = "scene"
    BARS = "bars"


class Fault(StrEnum):
    """What goes wrong in the room. Reel is not told: it finds what there is to see of it."""

    PULLED = "pulled"
    NO_POWER = "no power"
    NOT_PAIRED = "not paired"
    NOT_ALLOWED = "not allowed"
    BUSY = "busy"
    DENIED = "denied"
    FORBIDDEN = "forbidden"
    COVERED = "covered"
    MOVED = "moved"
    RESIZED = "resized"
    MINIMISED = "minimised"
    SHOWS_REEL = "shows reel"
    SMALLER = "smaller"
    FULL = "full"


_OF_A_MIRROR = (Fault.COVERED, Fault.MOVED, Fault.RESIZED, Fault.MINIMISED, Fault.SHOWS_REEL)


@dataclass(frozen=True, slots=True, kw_only=True)
class Scenario:
    """How a stand-in behaves: what it shows, its clock's drift, and what fails `from_s` seconds after it was opened.

    The clock runs `drift_ppm` parts per million fast. A handheld `turns` every few seconds. A tape ends after `tape_s`.
    A microphone that is `far` stands across the room. All that it sends comes, and is stamped, `lag_ms` late.
    """

    shows: Shows = Shows.SCENE
    drift_ppm: float = 0.0
    turns: bool = False
    tape_s: int = 1800
    far: bool = False
    lag_ms: int = 0
    fault: Fault | None = None
    from_s: int = 0

    def __post_init__(self) -> None:
        if not abs(self.drift_ppm) <= MAX_DRIFT_PPM:
            raise BadValueError("Clock drift", self.drift_ppm, f"it must be within ±{MAX_DRIFT_PPM} parts per million")
        for thing, value, limits, unit in (
            ("Tape length", self.tape_s, TAPE_S, "seconds"),
            ("From", self.from_s, FROM_S, "seconds"),
            ("Lag", self.lag_ms, LAG_MS, "ms"),
        ):
            if not limits[0] <= value <= limits[1]:
                raise BadValueError(thing, value, f"it must be from {limits[0]} to {limits[1]} {unit}")

    @property
    def lag_ns(self) -> int:
        """The lag in nanoseconds."""
        return self.lag_ms * NS // 1000

    @property
    def from_ns(self) -> int:
        """How long after the input was opened its fault acts, in nanoseconds."""
        return self.from_s * NS


def for_inputs(scenarios: Sequence[Scenario], inputs: Sequence[InputSetup]) -> tuple[Scenario, ...]:
    """Return a scenario for each input; those that are left out are plain ones."""
    return (*scenarios, *(Scenario() for _ in inputs[len(scenarios) :]))[: len(inputs)]


def faults_of(setup: InputSetup) -> tuple[Fault, ...]:
    """Return what can go wrong with an input's device and path."""
    return tuple(_faults(setup))


def _faults(setup: InputSetup) -> Iterator[Fault]:
    kinds = {hop.hop.kind for hop in setup.path}
    if kinds - {HopKind.RECORDER, HopKind.MIRROR, HopKind.RECEIVER} or not setup.has_picture:
        yield Fault.PULLED
    if any(hop.hop.needs_power for hop in setup.path):
        yield Fault.NO_POWER
    if setup.own_recorder is not None:
        if setup.own_recorder.is_paired:
            yield Fault.NOT_PAIRED
        yield from (Fault.SMALLER, Fault.FULL)
    if HopKind.BOX in kinds or setup.device.kind in (DeviceKind.CAMERA, DeviceKind.MICROPHONE):
        yield from (Fault.BUSY, Fault.DENIED)
    if setup.device.facts.is_handheld:
        yield Fault.FORBIDDEN
        if setup.device.way_out is Connector.USB and setup.box is None:
            yield Fault.NOT_ALLOWED
    if HopKind.RECEIVER in kinds:
        yield Fault.NOT_PAIRED
    if HopKind.MIRROR in kinds:
        yield from _OF_A_MIRROR
