"""What is carried from hop to hop: the signal as it is stored and tagged, and what of the picture is still in it."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from enum import StrEnum
from fractions import Fraction

from reel.core.line.device import DeviceKind, DeviceSetup, Eye, Surface, sent_signal
from reel.core.line.links import MJPEG_BITS_PER_PIXEL, MJPEG_NOISE_BITS_PER_PIXEL, Connector, Transfer
from reel.core.line.loss import Loss, Weight
from reel.core.signal import Matrix, Mode, Range, Scan, Signal, pixel_format, rate_label

# VHS, IEC 60774-1: colour is recorded under the luma with about 0.5 MHz; 52 µs of a line hold 2 × 0.5 × 52 samples.
TAPE_COLOUR_PX = 52


class Fields(StrEnum):
    """What lies in a picture: one moment, two moments on alternate lines, or two moments blended into one."""

    NONE = "whole pictures"
    APART = "two fields apart"
    MERGED = "fields merged"


class Levels(StrEnum):
    """What has become of black and white: as sent, or cut off at the limited range's ends."""

    WHOLE = "whole"
    CLIPPED = "clipped"


@dataclass(frozen=True, slots=True, kw_only=True)
class Offer:
    """One mode in which a box or camera can hand its picture over. `mjpeg` says that it is compressed for the way."""

    mode: Mode
    pixels: str
    mjpeg: bool = False

    @property
    def key(self) -> str:
        """The offer in one word, for forms and files: `1920x1080p30 mjpeg`."""
        return f"{self.mode.key} {'mjpeg' if self.mjpeg else self.pixels}"

    @property
    def format_label(self) -> str:
        """How it is stored, for people: `NV12`, `MJPEG`."""
        return "MJPEG" if self.mjpeg else FORMAT_LABELS.get(self.pixels, self.pixels)

    @property
    def label(self) -> str:
        """The offer for people: `1080p 60 NV12`."""
        return f"{self.mode.label} {self.format_label}"

    @property
    def link_bps(self) -> float:
        """Bits per second that it needs of the port."""
        bits = float(MJPEG_BITS_PER_PIXEL) if self.mjpeg else pixel_format(self.pixels).bits_per_pixel
        return self.mode.width_px * self.mode.height_px * float(self.mode.rate) * bits


class NoiseRule(StrEnum):
    """What becomes of Motion JPEG on pictures that need more bits than there is room for."""

    COARSER = "coarser"
    LOST = "lost"


FORMAT_LABELS = {"nv12": "NV12", "p010le": "P010", "yuyv422": "YUY2", "yuvj422p": "MJPEG"}


@dataclass(frozen=True, slots=True, kw_only=True)
class Carried:
    """A signal on its way over a `connector`.

    `signal` is how it is stored and what it is tagged with; `matrix` and `range` are what its samples really are.
    `distinct_per_s` counts pictures that show something new. `chroma_px` are the colour samples across and down that
    still hold detail, `depth_bits` the bits that do. `shape` is the true width ÷ height of the picture. `lost_part` of
    the pictures never come. `black` says why the picture is black, "" when it is not. `offers` are the modes of the box
    or camera `offered_by`, best first, among which the next port chooses; `handed` is the one in which it is handed
    over, and `taken` what the box or camera made it of; it is sent by `transfer`, and as Motion JPEG follows
    `noise_rule`. `is_remote` says that the device records it by itself.
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
    black: str = ""
    offers: tuple[Offer, ...] = ()
    offered_by: str = ""
    transfer: Transfer = Transfer.BULK
    noise_rule: NoiseRule | None = None
    handed: Offer | None = None
    taken: "Carried | None" = None
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


_COMPRESSED_BITS_PER_PIXEL = {"MJPEG": MJPEG_BITS_PER_PIXEL, "H.264": Fraction(1, 5)}


def sent(device: DeviceSetup) -> Carried | None:
    """Say what leaves a device by its settings; None for a feed."""
    signal, way = sent_signal(device), device.way_out
    if signal is None or way is None:
        return None
    pixels, mode = pixel_format(signal.pixels), signal.mode
    across, down = pixels.subsampling
    chroma_px = (mode.width_px // across, mode.height_px // down)
    is_deck = device.kind is DeviceKind.DECK
    black = {Surface.FORBIDDEN: "the app forbids capture", Surface.ACCELERATED: "its surface is accelerated"}
    return Carried(
        signal=signal,
        connector=way,
        matrix=signal.matrix,
        range=signal.range,
        distinct_per_s=mode.moments_per_s,
        chroma_px=(min(TAPE_COLOUR_PX, chroma_px[0]), chroma_px[1]) if is_deck else chroma_px,
        depth_bits=pixels.depth_bits,
        shape=shown_shape(signal),
        fields=Fields.APART if mode.scan is Scan.INTERLACED else Fields.NONE,
        is_protected=device.protected and way is Connector.HDMI,
        black=black.get(device.surface, ""),
        offers=tuple(_own_offers(signal)) if way is Connector.USB else (),
        offered_by=f"The {device.kind.label.lower()}",
        transfer=device.transfer,
        noise_rule=NoiseRule.COARSER if way is Connector.USB else None,
    )


def shown_shape(signal: Signal) -> Fraction:
    """Give the width ÷ height at which a signal is shown by what it says of its pixels."""
    return signal.mode.width_px * signal.pixel_aspect / signal.mode.height_px


def _own_offers(signal: Signal) -> Iterator[Offer]:
    """Give what a camera or a handheld hands over by USB: as it is, or MJPEG where the port is too slow for that."""
    for divisor in (1, 2):
        mode = replace(signal.mode, rate=signal.mode.rate / divisor)
        yield Offer(mode=mode, pixels=signal.pixels)
        yield Offer(mode=mode, pixels="yuvj422p", mjpeg=True)


def stored(carried: Carried, mode: Mode, pixels: str, *, compressed: str = "") -> Carried:
    """Give what is left after a signal has been brought to another size, rate and pixel format."""
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


def differences(before: Carried, after: Carried, *, hop: int, limit: str) -> tuple[Loss, ...]:
    """Name everything that `after` has less of than `before`, each as a loss of the hop, for the reason `limit`."""
    if after is before:
        return ()
    found = (*_size_losses(before, after), *_rate_losses(before, after), *_colour_losses(before, after))
    return tuple(
        Loss(stage="path", hop=hop, word=word, limit=limit, cost=cost, weight=float(w)) for word, cost, w in found
    )


_Found = tuple[str, str, float]


def _size_losses(before: Carried, after: Carried) -> list[_Found]:
    old, new = before.signal.mode, after.signal.mode
    part = Fraction(new.width_px * new.height_px, old.width_px * old.height_px)
    if part >= 1:
        return []
    return [("scaled", f"{float(part):.0%} of the pixels remain.", float(1 - part) * 100)]


def _rate_losses(before: Carried, after: Carried) -> list[_Found]:
    losses: list[_Found] = []
    if before.fields is Fields.APART and after.fields is Fields.MERGED:
        cost = "Two moments are blended into each picture: half of the motion is gone, and moving edges are doubled."
        return [("fields merged", cost, Weight.FIELDS)]
    part = after.distinct_per_s / before.distinct_per_s
    rates = f"{rate_label(after.distinct_per_s)} of {rate_label(before.distinct_per_s)}"
    if part < 1:
        word = "rate halved" if part == Fraction(1, 2) else "rate reduced"
        losses.append((word, f"{rates} pictures a second come through.", float(1 - part) * 100))
    if after.signal.mode.rate > before.signal.mode.rate and after.fields is before.fields:
        cost = f"{rate_label(after.signal.mode.rate)} pictures a second come, and only {rates} of them are new."
        losses.append(("frames repeated", cost, Weight.SMALL))
    if after.lost_part > before.lost_part:
        cost = f"About {float(after.lost_part):.1%} of the pictures never come, and motion stutters."
        losses.append(("pictures lost", cost, float(after.lost_part) * 100 + Weight.SMALL))
    return losses


def _colour_losses(before: Carried, after: Carried) -> list[_Found]:
    losses: list[_Found] = []
    share = _chroma_share(after) / _chroma_share(before)
    if after.fields is before.fields and share < 1:
        cost = f"{pixel_format(after.signal.pixels).chroma} holds less colour detail: fine coloured edges get softer."
        losses.append(("chroma reduced", cost, chroma_weight(before.signal.pixels, after.signal.pixels, float(share))))
    if after.depth_bits < before.depth_bits:
        cost = f"{before.depth_bits} bits become {after.depth_bits}: smooth skies may band."
        losses.append(("depth reduced", cost, Weight.DEPTH))
    if after.compressed and not before.compressed:
        cost = f"{after.compressed} throws fine detail away before Reel sees it."
        if after.compressed == "MJPEG" and after.noise_rule is not None:
            then = "it gets coarser" if after.noise_rule is NoiseRule.COARSER else "pictures are lost"
            cost += f" Noise would need up to {MJPEG_NOISE_BITS_PER_PIXEL} bits a pixel: then {then}."
        losses.append(("compressed", cost, Weight.COMPRESSED))
    if after.levels is Levels.CLIPPED and before.levels is Levels.WHOLE:
        cost = "The darkest and the brightest parts are cut off and can't be brought back."
        losses.append(("range clipped", cost, Weight.COLOUR))
    elif after.range is Range.LIMITED and before.range is Range.FULL:
        losses.append(("range squeezed", "256 steps of grey become 220; it looks the same.", Weight.SMALL))
    if after.signal.matrix is not after.matrix and before.signal.matrix is before.matrix:
        cost = f"Reds and greens come out wrong: {after.matrix.value} is read as {after.signal.matrix.value}."
        losses.append(("wrong matrix", cost, Weight.COLOUR))
    if is_squeezed(after) and not is_squeezed(before):
        cost = "People look stretched until the shape is set right."
        losses.append(("squeezed shape", cost, Weight.SHAPE))
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


def is_squeezed(carried: Carried) -> bool:
    """Say whether a signal is shown in another shape than its picture has, by more than a hundredth."""
    return abs(shown_shape(carried.signal) / carried.shape - 1) > Fraction(1, 100)


def _chroma_share(carried: Carried) -> Fraction:
    """Give the colour samples with detail as a part of the picture's pixels."""
    mode = carried.signal.mode
    return Fraction(carried.chroma_px[0] * carried.chroma_px[1], mode.width_px * mode.height_px)


def one_eye(carried: Carried, eye: Eye) -> Carried:
    """Give what a headset's mirror shows of two eyes side by side."""
    if eye is Eye.BOTH:
        return carried
    mode = replace(carried.signal.mode, width_px=carried.signal.mode.width_px // 2)
    across, down = carried.chroma_px
    signal = replace(carried.signal, mode=mode)
    return replace(carried, signal=signal, chroma_px=(across // 2, down), shape=shown_shape(signal))
