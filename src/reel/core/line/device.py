"""What all devices share: what a kind can do, what it is set to, and what Reel can say of that."""

from collections.abc import Iterator, Mapping
from contextlib import suppress
from dataclasses import dataclass, field, replace
from enum import StrEnum
from fractions import Fraction
from typing import TYPE_CHECKING, Any, ClassVar

from reel.core.errors import BadValueError
from reel.core.line.advice import AlarmKind, Check
from reel.core.line.links import Connector, Transfer
from reel.core.line.own_settings import OwnFacts
from reel.core.signal import Matrix, Mode, Range, Scan, Signal, pixel_format
from reel.core.wire import Variant

if TYPE_CHECKING:
    from reel.core.line.devices import DeviceKind


class Turn(StrEnum):
    """How a handheld device is held, seen from the person."""

    UPRIGHT = "upright"
    LEFT = "left"
    RIGHT = "right"

    @property
    def label(self) -> str:
        return "upright" if self is Turn.UPRIGHT else f"turned {self.value}"


class Eye(StrEnum):
    """Which eye's picture a headset shows outside."""

    BOTH = "both"
    LEFT = "left"
    RIGHT = "right"


@dataclass(frozen=True, slots=True, kw_only=True)
class DeviceFacts:
    """What a kind of device can do. The first mode, pixel format and way out are what it does by itself.

    By USB it sends by `transfer`. `colour_px` are the colour samples that a line of its picture has, None for as many
    as are sent. A handheld may be turned. `causes` are the likely causes of alarms, likeliest first.
    `own` is what its own recorder can be set to, None where it has none.
    It is out of the ordinary that nothing is heard of it for more than `silent_s`.
    """

    label: str
    modes: tuple[Mode, ...] = ()
    pixels: tuple[str, ...] = ("yuv420p",)
    ways_out: tuple[Connector, ...] = ()
    transfer: Transfer = Transfer.BULK
    colour_px: int | None = None
    is_handheld: bool = False
    has_picture: bool = True
    own: OwnFacts | None = None
    silent_s: float = 3.0
    causes: Mapping[AlarmKind, tuple[str, ...]] = field(default_factory=dict)


@dataclass(frozen=True, slots=True, kw_only=True)
class Setting:
    """One change of a device's own settings: which, a key for it, what its button says, the device so set."""

    group: str
    key: str
    label: str
    device: "Device"


class Device(Variant):
    """A device as it is set. Each kind is a dataclass in core.line.devices, with the settings that such a device has.

    What is said here holds for a kind without the setting in question.
    """

    __slots__ = ()
    facts: ClassVar[DeviceFacts]
    kind: "DeviceKind"
    mode: Mode
    out: Connector | None
    pixels: str | None = None
    matrix: Matrix = Matrix.BT709
    range: Range = Range.LIMITED

    @classmethod
    def variants(cls) -> dict[str, type[Variant]]:
        """Return the classes by their kind."""
        from reel.core.line.devices import DEVICES

        return {kind.value: device for kind, device in DEVICES.items()}

    def set(self, **settings: Any) -> "Device":
        """Return the device with other settings; raises BadValueError."""
        return replace(self, **settings)  # type: ignore[type-var]  # every kind is a dataclass

    @property
    def way_out(self) -> Connector | None:
        """By what the signal leaves; None where it has no way out of its own."""
        return self.out or next(iter(self.facts.ways_out), None)

    @property
    def signal(self) -> Signal | None:
        """What it sends by its settings; None when that is known only once it is opened."""
        pixels = self.pixels or self.facts.pixels[0]
        return Signal(mode=self.mode, pixels=pixels, matrix=self.matrix, range=self.range)

    @property
    def is_protected(self) -> bool:
        """Whether its signal is protected against copying."""
        return False

    @property
    def shown_eye(self) -> Eye | None:
        """Which eye it shows outside; None where it has no two."""
        return None

    @property
    def shows_touches(self) -> bool | None:
        """Whether it marks in its picture where fingers touch; None where it can't."""
        return None

    @property
    def sleeps_after_s(self) -> int | None:
        """After how long without a touch its screen locks itself; None for never."""
        return None

    def settings(self) -> Iterator[Setting]:
        """Return every single change of its settings that may undo a loss."""
        the = f"the {self.facts.label.lower()}"
        for mode in self.facts.modes:
            if mode != self.mode and mode.scan is self.mode.scan:
                yield from self._changed("mode", f"Ask {the} for {mode.label}", mode=mode)
        for pixels in self.facts.pixels:
            if len(self.facts.pixels) > 1 and pixels != self.pixels:
                yield from self._changed("pixels", f"Send {pixel_format(pixels).label}", pixels=pixels)
        if self.range is Range.FULL:
            yield from self._changed("range", "Send limited range", range=Range.LIMITED)

    def checks(self, held: Turn | None) -> tuple[Check, ...]:
        """Return what to see to before a roll; `held` is the orientation that Arrival keeps, None for the device's."""
        return ()

    def checks_after(self) -> tuple[Check, ...]:
        """Return what must be put back once the last take is cut."""
        return ()

    def _changed(self, group: str, label: str, **settings: object) -> Iterator[Setting]:
        """Return a change, or nothing where the device can't be set so."""
        key = " ".join((group, *(getattr(value, "key", str(value)) for value in settings.values())))
        with suppress(BadValueError):
            yield Setting(group=group, key=key, label=label, device=self.set(**settings))

    def _check(self) -> None:
        """Raise BadValueError for what this kind of device can't do."""
        facts = self.facts
        self.check_kind()
        if self.mode not in facts.modes:
            sent = ", ".join(mode.label for mode in facts.modes)
            raise BadValueError("Output mode", self.mode.label, f"the {facts.label.lower()} sends {sent}")
        if self.pixels is not None and self.pixels not in facts.pixels:
            raise BadValueError("Pixel format", self.pixels, f"it is one of {', '.join(facts.pixels)}")
        if self.out is not None and self.out not in facts.ways_out:
            ways = ", ".join(way.label for way in facts.ways_out)
            raise BadValueError("Output", self.out.label, f"the {facts.label.lower()} has {ways}")


def turned(mode: Mode) -> Mode:
    """Return a mode with its sides swapped."""
    return Mode(width_px=mode.height_px, height_px=mode.width_px, rate=mode.rate, scan=mode.scan)


def broadcast_signal(mode: Mode, pixels: str) -> Signal:
    """Return a standard-definition signal, 4:3 in 720 samples a line: ITU-R BT.601 and BT.1700.

    PAL has 576 lines, NTSC 480 with the lower field first.
    """
    aspect = Fraction(4 * mode.height_px, 3 * mode.width_px)
    top_first = mode.height_px == 576
    return Signal(mode=mode, pixels=pixels, matrix=Matrix.BT601, pixel_aspect=aspect, top_first=top_first)


def modes(*keys: str) -> tuple[Mode, ...]:
    return tuple(Mode.parse(key) for key in keys)


def is_interlaced(device: Device) -> bool:
    """Return whether a device sends fields."""
    signal = device.signal
    return signal is not None and signal.mode.scan is Scan.INTERLACED
