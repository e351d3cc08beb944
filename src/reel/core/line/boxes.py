"""Capture boxes and the host ports that they plug into: which modes a box offers, and which of them a port lets by."""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction
from itertools import groupby
from operator import attrgetter

from reel.core.line.hops import HopContext, HopKind, HopResult, blocked, clipped, fields_merged
from reel.core.line.links import Connector, Transfer, link_carries
from reel.core.line.loss import Cause, Clock, Limit, LossKind, Room, Weight, Wish
from reel.core.line.offer import FORMAT_LABELS, Offer
from reel.core.line.signal_state import NoiseRule, SignalState, chroma_weight, converted, differences
from reel.core.signal import Matrix, Mode, Range, pixel_format

# Sizes that a box scales down to, biggest first.
_SIZES = ((3840, 2160), (1920, 1080), (1280, 720), (640, 360))
_DIVISORS = (1, 2, 3, 4)


class RangeRule(StrEnum):
    """What a box does with full range: hand it through, squeeze it into limited, or take it for limited and clip it."""

    KEEPS = "keeps"
    SQUEEZES = "squeezes"
    CLIPS = "clips"


class FieldRule(StrEnum):
    """What a box does with two fields: keep them on alternate lines, or blend them."""

    KEEPS = "keeps"
    MERGES = "merges"


@dataclass(frozen=True, slots=True, kw_only=True)
class Capture:
    """One way in which a box hands pictures over: a pixel format, up to a size and a rate."""

    pixels: str
    width_px: int
    height_px: int
    max_rate: int
    mjpeg: bool = False

    def takes(self, width_px: int, height_px: int, rate: float) -> bool:
        """Return whether a mode lies within it."""
        return width_px <= self.width_px and height_px <= self.height_px and rate <= self.max_rate


@dataclass(frozen=True, slots=True, kw_only=True)
class Box:
    """A capture box. It takes signals up to a clock, and offers modes within its captures.

    `largest_px` is what it scales down to at once; `tags` is the matrix that it says it has, None for the true one.
    `fixed_rate` is what it hands over whatever comes in; pictures are repeated or left out. By USB it sends by
    `transfer`, and where noise needs more bits of Motion JPEG than there is room for, it follows `noise_rule`.
    """

    key: str
    name: str
    plugs_in: tuple[Connector, ...]
    plugs_out: Connector | None
    max_clock_hz: int
    captures: tuple[Capture, ...]
    latency_ms: int
    range_rule: RangeRule = RangeRule.KEEPS
    field_rule: FieldRule = FieldRule.KEEPS
    tags: Matrix | None = None
    transfer: Transfer = Transfer.ISOCHRONOUS
    noise_rule: NoiseRule = NoiseRule.COARSER
    fixed_rate: Fraction | None = None
    has_pass_through: bool = False
    kind: HopKind = HopKind.BOX
    feature: str = ""
    needs_power: bool = False

    @property
    def limit_label(self) -> str:
        """The best that it hands over."""
        best = self.captures[0]
        size = f"{best.height_px}p" if best.width_px * 9 == best.height_px * 16 else f"{best.width_px}×{best.height_px}"
        name = "MJPEG" if best.mjpeg else FORMAT_LABELS.get(best.pixels, best.pixels)
        return f"{size} {best.max_rate} {name}"

    def carry(self, carried: SignalState, at: HopContext) -> HopResult:
        """Take the signal in, and offer the best of its modes; which one arrives is the port's affair too."""
        if carried.is_protected:
            return blocked(at, LossKind.PROTECTED)
        if not link_carries(self.max_clock_hz, carried.signal):
            return blocked(at, LossKind.BOX_TOO_SLOW, Clock(signal=carried.signal, carries_hz=self.max_clock_hz))
        taken = self._taken(carried)
        offers = best_first(taken, self._offers(taken))
        if not offers:
            return blocked(at, LossKind.NO_MODE, Clock(signal=carried.signal, carries_hz=self.max_clock_hz))
        taken = replace(
            taken,
            connector=self.plugs_out or taken.connector,
            latency_ms=carried.latency_ms + self.latency_ms,
            transfer=self.transfer,
        )
        after = negotiated(taken, offers[0], offers)
        return HopResult(carried=after, losses=differences(carried, after, hop=at.place))

    def _taken(self, carried: SignalState) -> SignalState:
        taken = carried
        if self.field_rule is FieldRule.MERGES:
            taken = fields_merged(taken)
        if carried.range is Range.FULL and self.range_rule is RangeRule.CLIPS:
            taken = clipped(taken)
        elif carried.range is Range.FULL and self.range_rule is RangeRule.SQUEEZES:
            taken = replace(taken, range=Range.LIMITED, signal=replace(taken.signal, range=Range.LIMITED))
        if self.tags is not None:
            taken = replace(taken, signal=replace(taken.signal, matrix=self.tags))
        return taken

    def _offers(self, taken: SignalState) -> Iterator[Offer]:
        """Return each mode that it can make of what comes in: never bigger, and at whole parts of the rate."""
        source = taken.signal.mode
        own = (source.width_px, source.height_px)
        shape = source.width_px * 9 == source.height_px * 16
        sizes = [own, *(size for size in _SIZES if shape and size[0] < own[0])]
        rates = [self.fixed_rate] if self.fixed_rate else [source.rate / divisor for divisor in _DIVISORS]
        for rate in rates:
            rate_hz = float(rate)
            for width, height in sizes:
                fitting = [capture for capture in self.captures if capture.takes(width, height, rate_hz)]
                if fitting:
                    mode = Mode(width_px=width, height_px=height, rate=rate, scan=source.scan)
                    yield from (Offer(mode=mode, pixels=capture.pixels, mjpeg=capture.mjpeg) for capture in fitting)


def negotiated(carried: SignalState, offer: Offer, offers: tuple[Offer, ...]) -> SignalState:
    """A signal handed over as an offer. Motion JPEG is BT.601 in full range (JFIF 1.02), even where it is not."""
    after = replace(converted(carried, offer.mode, offer.pixels), offers=offers, handed=offer, taken=carried)
    if not offer.mjpeg:
        return after
    true = Matrix.BT601 if carried.signal.matrix is carried.matrix else carried.matrix
    signal = replace(after.signal, matrix=Matrix.BT601, range=Range.FULL)
    return replace(after, signal=signal, matrix=true, range=Range.FULL, compressed="MJPEG")


def best_first(carried: SignalState, offers: Iterable[Offer]) -> tuple[Offer, ...]:
    """Sort offers by what they lose of a signal; of equals the one that needs the least of its link comes first."""
    found = sorted(offer_weights(carried, offers), key=lambda one: (round(one[1], 6), one[0].link_bps))
    return tuple(offer for offer, _ in found)


def offer_weights(carried: SignalState, offers: Iterable[Offer]) -> Iterator[tuple[Offer, float]]:
    """Return each offer with what `differences` would weigh for it, in numbers alone: a walk looks at dozens."""
    for mode, same in groupby(offers, key=attrgetter("mode")):
        lost = _mode_weight(carried, mode)
        yield from ((offer, lost + _pixel_weight(carried, offer)) for offer in same)


def _mode_weight(carried: SignalState, mode: Mode) -> float:
    before = carried.signal.mode
    area, area_before = mode.width_px * mode.height_px, before.width_px * before.height_px
    moments = float(mode.moments_per_s) / float(carried.distinct_per_s)
    weight = max(0.0, 1 - area / area_before) * 100 + max(0.0, 1 - moments) * 100
    return weight + (Weight.SMALL if mode.rate > before.rate else 0)


def _pixel_weight(carried: SignalState, offer: Offer) -> float:
    mode, before = offer.mode, carried.signal.mode
    held = pixel_format(offer.pixels)
    (across, down), (width, height) = held.subsampling, carried.chroma_px
    left = min(width, mode.width_px // across) * min(height, mode.height_px // down)
    share, share_before = left / (mode.width_px * mode.height_px), width * height / (before.width_px * before.height_px)
    weight: float = Weight.DEPTH if held.depth_bits < carried.depth_bits else 0
    if share < share_before:
        weight += chroma_weight(carried.signal.pixels, offer.pixels, share / share_before)
    return weight + (Weight.COMPRESSED if offer.mjpeg and not carried.compressed else 0)


@dataclass(frozen=True, slots=True, kw_only=True)
class Port:
    """A port of the computer that carries `carries_bps` usefully, in bulk; `isochronous_bps` where room is kept."""

    key: str
    name: str
    plugs_in: tuple[Connector, ...]
    carries_bps: int
    isochronous_bps: int | None = None
    plugs_out: Connector | None = Connector.HOST
    kind: HopKind = HopKind.PORT
    feature: str = ""
    needs_power: bool = False
    latency_ms: int = 2

    @property
    def limit_label(self) -> str:
        """What it carries: `197 to 280 Mb/s`."""
        if self.isochronous_bps is None:
            return bits_label(self.carries_bps)
        return f"{self.isochronous_bps / 1e6:,.0f} to {bits_label(self.carries_bps)}".replace(",", "\u202f")

    def carries(self, transfer: Transfer) -> int:
        """Return the bits per second that it carries by a way of sending."""
        if transfer is Transfer.ISOCHRONOUS and self.isochronous_bps is not None:
            return self.isochronous_bps
        return self.carries_bps

    def carry(self, carried: SignalState, at: HopContext) -> HopResult:
        """Let the mode that was asked for through, or else the best that fits."""
        latency_ms = carried.latency_ms + self.latency_ms
        limit_bps = self.carries(carried.transfer)
        whole = carried.offers[0]
        wanted = next((offer for offer in carried.offers if at.wanted and offer.key == at.wanted), None)
        fitting = [offer for offer in ((wanted,) if wanted else carried.offers) if offer.link_bps <= limit_bps]
        if not fitting:
            return blocked(at, LossKind.PORT_TOO_SLOW, Room(asked=wanted or whole, carries_bps=limit_bps))
        chosen = fitting[0]
        taken = replace(carried.taken or carried, connector=Connector.HOST, latency_ms=latency_ms)
        after = negotiated(taken, chosen, carried.offers)
        limit: Limit = Wish(offer=chosen) if wanted else Cause.HOP
        if not wanted and chosen is not whole:
            limit = Room(asked=whole, carries_bps=limit_bps, given=chosen)
        return HopResult(carried=after, losses=differences(carried, after, hop=at.place, limit=limit))


def bits_label(bits_per_s: float | Fraction) -> str:
    """Return a data rate for people, in whole Mb/s with thin spaces: `1 493 Mb/s`."""
    return f"{float(bits_per_s) / 1e6:,.0f} Mb/s".replace(",", "\u202f")
