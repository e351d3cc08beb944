"""What is carried from hop to hop: the signal as it is stored and tagged, and what of the picture is still in it."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction

from reel.core.line.device import Device, Eye
from reel.core.line.links import MJPEG_BITS_PER_PIXEL, Connector, Transfer
from reel.core.line.loss import Cause, Figure, Limit, Loss, LossKind, Weight
from reel.core.line.offer import Offer
from reel.core.signal import Matrix, Mode, Range, Scan, Signal, pixel_format


class Fields(StrEnum):
    """What lies in a picture: one moment, two moments on alternate lines, or two moments blended into one."""

    NONE = "whole pictures"
    APART = "two fields apart"
    MERGED = "fields merged"


class Levels(StrEnum):
    """What has become of black and white: as sent, or cut off at the limited range's ends."""

    WHOLE = "whole"
    CLIPPED = "clipped"


class NoiseRule(StrEnum):
    """What becomes of Motion JPEG on pictures that need more bits than there is room for."""

    COARSER = "coarser"
    LOST = "lost"


@dataclass(frozen=True, slots=True, kw_only=True)
class SignalState:
    """A signal on its way over a `connector`.

    `signal` is how it is stored and what it is tagged with; `matrix` and `range` are what its samples really are.
    `distinct_per_s` counts pictures that show something new. `chroma_px` are the colour samples across and down that
    still hold detail, `depth_bits` the bits that do. `shape` is the true width ÷ height of the picture. `lost_part` of
    the pictures never come. `offers` are the modes of the box or camera, best first, among which the next port chooses;
    `handed` is the one in which it is handed over, and `taken` what the box or camera made it of; it is sent by
    `transfer`. `is_remote` says that the device records it by itself.
    """

    signal: Signal
    connector: Connector
    matrix: Matrix
    range: Range
    distinct_per_s: Fraction
    chroma_px: tuple[int, int]
    depth_bits: int
    shape: Fraction
    fields: Fields = Fields.NONE
    levels: Levels = Levels.WHOLE
    latency_ms: int = 0
    lost_part: Fraction = Fraction(0)
    compressed: str = ""
    is_protected: bool = False
    offers: tuple[Offer, ...] = ()
    transfer: Transfer = Transfer.BULK
    handed: Offer | None = None
    taken: "SignalState | None" = None
    is_remote: bool = False

    @property
    def rate_bps(self) -> Fraction:
        """Bits per second on the way, compression included."""
        if self.compressed:
            mode = self.signal.mode
            return mode.width_px * mode.height_px * mode.rate * _COMPRESSED_BITS_PER_PIXEL[self.compressed]
        return self.signal.rate_bps

    @property
    def label(self) -> str:
        """What passes on, for a row of the path: `1080p 30 MJPEG`."""
        pixels = pixel_format(self.signal.pixels)
        return f"{self.signal.mode.label} {self.compressed or f'{pixels.chroma} {pixels.depth_bits}'}"


_COMPRESSED_BITS_PER_PIXEL = {"MJPEG": MJPEG_BITS_PER_PIXEL, "H.264": Fraction(1, 5), "HEVC": Fraction(1, 8)}


def source_signal(device: Device) -> SignalState | None:
    """Say what leaves a device by its settings; None for a feed."""
    signal, way = device.signal, device.way_out
    if signal is None or way is None:
        return None
    pixels, mode = pixel_format(signal.pixels), signal.mode
    across, down = pixels.subsampling
    held_px = mode.width_px // across
    own_px = held_px if device.facts.colour_px is None else device.facts.colour_px
    return SignalState(
        signal=signal,
        connector=way,
        matrix=signal.matrix,
        range=signal.range,
        distinct_per_s=mode.moments_per_s,
        chroma_px=(min(own_px, held_px), mode.height_px // down),
        depth_bits=pixels.depth_bits,
        shape=shown_shape(signal),
        fields=Fields.APART if mode.scan is Scan.INTERLACED else Fields.NONE,
        is_protected=device.is_protected,
        offers=tuple(_own_offers(signal)) if way is Connector.USB else (),
        transfer=device.facts.transfer,
    )


def shown_shape(signal: Signal) -> Fraction:
    """Return the width ÷ height at which a signal is shown by what it says of its pixels."""
    return signal.mode.width_px * signal.pixel_aspect / signal.mode.height_px


def _own_offers(signal: Signal) -> Iterator[Offer]:
    """Return what a camera or a handheld hands over by USB: as it is, or MJPEG where the port is too slow for that."""
    for divisor in (1, 2):
        mode = replace(signal.mode, rate=signal.mode.rate / divisor)
        yield Offer(mode=mode, pixels=signal.pixels)
        yield Offer(mode=mode, pixels="yuvj422p", mjpeg=True)


def converted(carried: SignalState, mode: Mode, pixels: str, *, compressed: str = "") -> SignalState:
    """Return what is left after a signal has been brought to another size, rate and pixel format."""
    held = pixel_format(pixels)
    across, down = held.subsampling
    chroma_px = (
        min(carried.chroma_px[0], mode.width_px // across),
        min(carried.chroma_px[1], mode.height_px // down),
    )
    before = carried.signal.mode
    aspect = carried.signal.pixel_aspect
    if (mode.width_px, mode.height_px) != (before.width_px, before.height_px):
        aspect = aspect * before.width_px * mode.height_px / (before.height_px * mode.width_px)
    return replace(
        carried,
        signal=replace(carried.signal, mode=mode, pixels=pixels, pixel_aspect=aspect),
        chroma_px=chroma_px,
        depth_bits=min(carried.depth_bits, held.depth_bits),
        distinct_per_s=min(carried.distinct_per_s, mode.moments_per_s),
        compressed=compressed or carried.compressed,
    )


def differences(before: SignalState, after: SignalState, *, hop: int, limit: Limit = Cause.HOP) -> tuple[Loss, ...]:
    """Name everything that `after` has less of than `before`, each as a loss of the hop, caused by `limit`."""
    if after is before:
        return ()
    found = (*_size_losses(before, after), *_rate_losses(before, after), *_colour_losses(before, after))
    return tuple(
        Loss(kind=kind, stage="path", hop=hop, limit=limit, weight=float(weight), was=was, left=left)
        for kind, weight, was, left in found
    )


_Found = tuple[LossKind, float, Figure, Figure]


def _size_losses(before: SignalState, after: SignalState) -> list[_Found]:
    old, new = before.signal.mode, after.signal.mode
    was, left = old.width_px * old.height_px, new.width_px * new.height_px
    return [(LossKind.SCALED_DOWN, (1 - left / was) * 100, was, left)] if left < was else []


def _rate_losses(before: SignalState, after: SignalState) -> list[_Found]:
    if before.fields is Fields.APART and after.fields is Fields.MERGED:
        return [(LossKind.FIELDS_MERGED, Weight.FIELDS, None, None)]
    losses: list[_Found] = []
    was, left = before.distinct_per_s, after.distinct_per_s
    if left < was:
        losses.append((LossKind.RATE, float(1 - left / was) * 100, was, left))
    if after.signal.mode.rate > before.signal.mode.rate and after.fields is before.fields:
        losses.append((LossKind.REPEATED, Weight.SMALL, left, after.signal.mode.rate))
    if after.lost_part > before.lost_part:
        weight = float(after.lost_part) * 100 + Weight.SMALL
        losses.append((LossKind.PICTURES_LOST, weight, before.lost_part, after.lost_part))
    return losses


def _colour_losses(before: SignalState, after: SignalState) -> list[_Found]:
    losses: list[_Found] = []
    was, left = _chroma_share(before), _chroma_share(after)
    if after.fields is before.fields and left < was:
        weight = chroma_weight(before.signal.pixels, after.signal.pixels, float(left / was))
        losses.append((LossKind.CHROMA, weight, was, left))
    if after.depth_bits < before.depth_bits:
        losses.append((LossKind.DEPTH, Weight.DEPTH, before.depth_bits, after.depth_bits))
    if after.compressed and not before.compressed:
        losses.append((LossKind.COMPRESSED, Weight.COMPRESSED, None, after.compressed))
    if after.levels is Levels.CLIPPED and before.levels is Levels.WHOLE:
        losses.append((LossKind.RANGE_CLIPPED, Weight.COLOUR, None, None))
    elif after.range is Range.LIMITED and before.range is Range.FULL:
        losses.append((LossKind.RANGE_SQUEEZED, Weight.SMALL, None, None))
    if after.signal.matrix is not after.matrix and before.signal.matrix is before.matrix:
        losses.append((LossKind.WRONG_MATRIX, Weight.COLOUR, after.matrix, after.signal.matrix))
    if is_squeezed(after) and not is_squeezed(before):
        losses.append((LossKind.SQUEEZED_SHAPE, Weight.SHAPE, after.shape, shown_shape(after.signal)))
    return losses


def chroma_weight(before: str, after: str, share: float) -> float:
    """Weigh the colour detail that goes from one pixel format to another, of which `share` is left.

    From 4:4:4 or 4:2:2 to what nearly every box and file holds it is a small loss; any other weighs by its part.
    """
    usual = {"4:4:4", "4:2:2", "RGB"}
    old, new = pixel_format(before).chroma, pixel_format(after).chroma
    if share >= 0.24 and old in usual and new in ("4:2:2", "4:2:0"):
        return Weight.SMALL * (1 - share)
    return Weight.CHROMA * (1 - share)


def is_squeezed(carried: SignalState) -> bool:
    """Return whether a signal is shown in another shape than its picture has, by more than a hundredth."""
    return abs(shown_shape(carried.signal) / carried.shape - 1) > Fraction(1, 100)


def _chroma_share(carried: SignalState) -> Fraction:
    """Return the colour samples with detail as a part of the picture's pixels."""
    mode = carried.signal.mode
    return Fraction(carried.chroma_px[0] * carried.chroma_px[1], mode.width_px * mode.height_px)


def cropped(carried: SignalState, width_px: int, height_px: int) -> SignalState:
    """Return the middle of a picture; the same where nothing is left out."""
    before = carried.signal.mode
    if (width_px, height_px) == (before.width_px, before.height_px):
        return carried
    across, down = carried.chroma_px
    signal = replace(carried.signal, mode=replace(before, width_px=width_px, height_px=height_px))
    chroma_px = (across * width_px // before.width_px, down * height_px // before.height_px)
    return replace(carried, signal=signal, chroma_px=chroma_px, shape=shown_shape(signal))


def one_eye(carried: SignalState, eye: Eye | None) -> SignalState:
    """Return what is shown of two eyes side by side; None where there are no two."""
    if eye in (Eye.BOTH, None):
        return carried
    mode = replace(carried.signal.mode, width_px=carried.signal.mode.width_px // 2)
    across, down = carried.chroma_px
    signal = replace(carried.signal, mode=mode)
    return replace(carried, signal=signal, chroma_px=(across // 2, down), shape=shown_shape(signal))
