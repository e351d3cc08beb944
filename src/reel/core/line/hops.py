"""Hops: each a value with its limits and a pure function from what goes in to what comes out."""

from collections.abc import Callable
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction
from typing import Protocol

from reel.core.line.device import Device
from reel.core.line.links import Connector, link_carries
from reel.core.line.loss import Cause, Clock, Limit, Loss, LossKind, Weight
from reel.core.line.own_settings import OwnSettings
from reel.core.line.signal_state import Fields, Levels, SignalState, converted, differences, one_eye
from reel.core.signal import Mode, rate_label


class HopKind(StrEnum):
    """What a hop is; hops of one kind can be swapped for each other."""

    CABLE = "cable"
    ADAPTER = "adapter"
    SPLITTER = "splitter"
    BOX = "capture box"
    PORT = "host port"
    RECEIVER = "wireless receiver"
    MIRROR = "mirror window"
    RECORDER = "own recorder"


@dataclass(frozen=True, slots=True, kw_only=True)
class HopContext:
    """Where a hop stands: its place in the path, the device, how a recorder is set, the mode asked of a box.

    None is what a recorder does by itself, "" the best mode.
    """

    place: int
    device: Device
    own: OwnSettings | None = None
    wanted: str = ""


@dataclass(frozen=True, slots=True, kw_only=True)
class HopResult:
    """What comes out of a hop, None when nothing does, and what was lost in it."""

    carried: SignalState | None
    losses: tuple[Loss, ...] = ()


class Hop(Protocol):
    """One model of hop. `plugs_out` None means as it came in; `needs_power` means power of its own."""

    @property
    def key(self) -> str: ...
    @property
    def name(self) -> str: ...
    @property
    def feature(self) -> str: ...
    @property
    def kind(self) -> HopKind: ...
    @property
    def plugs_in(self) -> tuple[Connector, ...]: ...
    @property
    def plugs_out(self) -> Connector | None: ...
    @property
    def needs_power(self) -> bool: ...

    @property
    def limit_label(self) -> str:
        """What it carries up to, for people."""

    def carry(self, carried: SignalState, at: HopContext) -> HopResult:
        """Return what comes out of what goes in; the connectors fit."""


def label_of(hop: Hop) -> str:
    """Return a hop's name with what tells it from others of that name."""
    return f"{hop.name}, {hop.feature}" if hop.feature else hop.name


def within(name: str) -> str:
    """Return a name for the middle of a sentence: `the capture card`, but `the HDMI box`."""
    return name if not name[1].islower() else name[0].lower() + name[1:]


def blocked(at: HopContext, kind: LossKind, limit: Limit = Cause.HOP) -> HopResult:
    """Return the end of the way."""
    loss = Loss(kind=kind, stage="path", hop=at.place, limit=limit, weight=Weight.BLOCK)
    return HopResult(carried=None, losses=(loss,))


def mhz_label(hertz: float) -> str:
    """Return a clock for people: `148.5 MHz`."""
    return f"{hertz / 1e6:g} MHz"


def colour_samples(pal_ntsc: tuple[int, int], mode: Mode) -> int:
    """Return which of two widths counts for a mode: PAL has 576 lines, NTSC 480."""
    return pal_ntsc[1 if mode.height_px <= 480 else 0]


@dataclass(frozen=True, slots=True, kw_only=True)
class Link:
    """A cable or a splitter: it carries signals up to a clock and, when `max_rate` is set, up to a rate.

    `harm` is what an analogue cable that carries luma and colour in one signal does to a picture, of weight `weight`;
    `colour_px` are the colour samples that it leaves of PAL and of NTSC.
    """

    key: str
    name: str
    plugs_in: tuple[Connector, ...]
    max_clock_hz: int
    kind: HopKind = HopKind.CABLE
    max_rate: Fraction | None = None
    colour_px: tuple[int, int] | None = None
    harm: LossKind | None = None
    weight: float = 0
    plugs_out: Connector | None = None
    feature: str = ""
    needs_power: bool = False

    @property
    def limit_label(self) -> str:
        """Its clock, and its rate where that is limited apart."""
        if self.plugs_in[0] not in (Connector.HDMI, Connector.COMPONENT):
            return "576 or 480 lines"
        rate = f", {rate_label(self.max_rate)} a second" if self.max_rate else ""
        return f"{mhz_label(self.max_clock_hz)}{rate}"

    def carry(self, carried: SignalState, at: HopContext) -> HopResult:
        """Carry it whole, or not at all; a splitter that lacks a rate has the device send a part of it."""
        after = carried
        if self.max_rate is not None and carried.signal.mode.rate > self.max_rate:
            divisor = -(-carried.signal.mode.rate // self.max_rate)
            mode = replace(carried.signal.mode, rate=carried.signal.mode.rate / divisor)
            after = converted(carried, mode, carried.signal.pixels)
        # three voltages: what its samples were is gone before any clock counts
        if Connector.COMPONENT in self.plugs_in:
            after = converted(after, after.signal.mode, "yuv444p")
        if not link_carries(self.max_clock_hz, after.signal):
            limit = Clock(signal=after.signal, carries_hz=self.max_clock_hz)
            return blocked(at, LossKind.LINK_TOO_SLOW, limit)
        if self.colour_px is not None:
            across = colour_samples(self.colour_px, after.signal.mode)
            after = replace(after, chroma_px=(min(across, after.chroma_px[0]), after.chroma_px[1]))
        losses = differences(carried, after, hop=at.place)
        if self.harm is not None:
            losses += (Loss(kind=self.harm, stage="path", hop=at.place, weight=self.weight),)
        return HopResult(carried=after, losses=losses)


@dataclass(frozen=True, slots=True, kw_only=True)
class Adapter:
    """Turns one connector into another; `turn` does to the signal what the adapter does.

    `boxes` says that it adds bars.
    """

    key: str
    name: str
    plugs_in: tuple[Connector, ...]
    plugs_out: Connector | None
    does: str
    turn: Callable[[SignalState], SignalState]
    boxes: bool = False
    feature: str = ""
    needs_power: bool = False
    kind: HopKind = HopKind.ADAPTER

    @property
    def limit_label(self) -> str:
        return self.does

    def carry(self, carried: SignalState, at: HopContext) -> HopResult:
        after = replace(self.turn(carried), connector=self.plugs_out or carried.connector)
        losses = differences(carried, after, hop=at.place)
        if self.boxes:
            losses += (Loss(kind=LossKind.BOXED_SHAPE, stage="path", hop=at.place, weight=Weight.SHAPE),)
        return HopResult(carried=after, losses=losses)


# A wireless link's lost pictures grow with what it is asked to carry: a two-hundredth at 720p 30, and in proportion.
WIRELESS_LOSS_AT_720P30 = Fraction(1, 200)


def wireless_loss(mode: Mode) -> Fraction:
    """Return the part of the pictures that a wireless link loses at a mode, by its pixels per second."""
    return WIRELESS_LOSS_AT_720P30 * Fraction(mode.width_px * mode.height_px, 1280 * 720) * mode.rate / 30


@dataclass(frozen=True, slots=True, kw_only=True)
class Receiver:
    """Receives wireless mirroring at up to `box_px`, compressed, late, and with some pictures lost."""

    key: str
    name: str
    box_px: tuple[int, int]
    latency_ms: int
    jitter_ms: int
    plugs_in: tuple[Connector, ...] = (Connector.WIRELESS,)
    plugs_out: Connector | None = Connector.HOST
    kind: HopKind = HopKind.RECEIVER
    feature: str = ""
    needs_power: bool = False

    @property
    def limit_label(self) -> str:
        """The picture that it fits everything into."""
        return f"within {self.box_px[0]}×{self.box_px[1]}"

    def fitted(self, mode: Mode) -> Mode:
        """Return the mode that comes of one: scaled down to lie in the box, upright pictures in an upright box."""
        wide, high = self.box_px if mode.width_px >= mode.height_px else self.box_px[::-1]
        scale = min(Fraction(1), Fraction(wide, mode.width_px), Fraction(high, mode.height_px))
        width, height = (int(side * scale) // 2 * 2 for side in (mode.width_px, mode.height_px))
        return replace(mode, width_px=width, height_px=height)

    def carry(self, carried: SignalState, at: HopContext) -> HopResult:
        mode = self.fitted(carried.signal.mode)
        after = replace(
            converted(carried, mode, "yuv420p", compressed="H.264"),
            connector=Connector.HOST,
            lost_part=wireless_loss(mode),
            latency_ms=carried.latency_ms + self.latency_ms,
        )
        return HopResult(carried=after, losses=differences(carried, after, hop=at.place))


@dataclass(frozen=True, slots=True, kw_only=True)
class Mirror:
    """A window on this computer that mirrors a headset, and is recorded from the screen at the screen's rate."""

    key: str
    name: str
    max_rate: Fraction
    latency_ms: int
    feature: str = ""
    plugs_in: tuple[Connector, ...] = (Connector.WINDOW,)
    plugs_out: Connector | None = Connector.HOST
    kind: HopKind = HopKind.MIRROR
    needs_power: bool = False

    @property
    def limit_label(self) -> str:
        return f"{rate_label(self.max_rate)} a second"

    def carry(self, carried: SignalState, at: HopContext) -> HopResult:
        shown = one_eye(carried, at.device.shown_eye)
        rate = shown.signal.mode.rate / -(-shown.signal.mode.rate // self.max_rate)
        mode = replace(shown.signal.mode, rate=rate)
        after = replace(
            converted(shown, mode, "yuv420p"),
            connector=Connector.HOST,
            latency_ms=carried.latency_ms + self.latency_ms,
        )
        losses = differences(shown, after, hop=at.place)
        return HopResult(carried=after, losses=losses)


def fields_merged(carried: SignalState) -> SignalState:
    """Return what is left when two fields are blended into one whole picture."""
    if carried.fields is not Fields.APART:
        return carried
    mode = Mode(
        width_px=carried.signal.mode.width_px, height_px=carried.signal.mode.height_px, rate=carried.signal.mode.rate
    )
    return replace(
        carried,
        signal=replace(carried.signal, mode=mode),
        fields=Fields.MERGED,
        distinct_per_s=mode.rate,
        chroma_px=(carried.chroma_px[0], min(carried.chroma_px[1], mode.height_px // 2)),
    )


def clipped(carried: SignalState) -> SignalState:
    """Return what is left when full range is taken for limited: its ends cut off, its tag limited."""
    signal = replace(carried.signal, range=carried.range.LIMITED)
    return replace(carried, signal=signal, range=carried.range.LIMITED, levels=Levels.CLIPPED)
