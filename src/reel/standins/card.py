"""Colour bars with patches that betray every loss: grey steps, a fine ramp, and stripes of colour at every width."""

from functools import lru_cache

import av
import numpy as np
import numpy.typing as npt

from reel.core.media.planes import Plane, planes_of
from reel.core.signal import DeviceEvent, Matrix, Range, Signal, pixel_format
from reel.standins.planes import tag

Floats = npt.NDArray[np.float32]
# ITU-R BT.601-7, 2.5.1 and BT.709-6, 3.2: Kr and Kb of each matrix; BT.2020-2, table 4.
KR_KB = {Matrix.BT601: (0.299, 0.114), Matrix.BT709: (0.2126, 0.0722), Matrix.BT2020: (0.2627, 0.0593)}
# The bars of ITU-R BT.471, 100/0/100/0, as R'G'B'.
BARS = ((1, 1, 1), (1, 1, 0), (0, 1, 1), (0, 1, 0), (1, 0, 1), (1, 0, 0), (0, 0, 1), (0, 0, 0))
GREYS = (0.0, 0.25, 0.5, 0.75, 1.0)
PERIODS = (2, 4, 8, 16, 32, 64)
STRIPE = 0.3
# Where each row of patches begins and ends, as parts of the height.
ROWS = {
    "bars": (0.0, 0.40),
    "greys": (0.40, 0.52),
    "across": (0.52, 0.64),
    "down": (0.64, 0.76),
    "ramp": (0.76, 0.82),
    "moving": (0.82, 0.90),
}
RAMP = (0.40, 0.55)


def coded(rgb: Floats, matrix: Matrix) -> tuple[Floats, Floats, Floats]:
    """Return luma 0..1 and two colour differences ±0.5 of R'G'B' (..., 3)."""
    kr, kb = KR_KB[matrix]
    red, green, blue = rgb[..., 0], rgb[..., 1], rgb[..., 2]
    luma = kr * red + (1 - kr - kb) * green + kb * blue
    return luma, (blue - luma) / (2 * (1 - kb)), (red - luma) / (2 * (1 - kr))


def quantised(value: Floats, *, is_luma: bool, value_range: Range, bits: int) -> Plane:
    """Return code values: ITU-R BT.709-6, 3.4 in limited range, ITU-T H.273 equations 30 to 32 in full."""
    scale = 1 << (bits - 8)
    if value_range is Range.LIMITED:
        code = (219 * value + 16 if is_luma else 224 * value + 128) * scale
    else:
        code = value * ((1 << bits) - 1) + (0 if is_luma else 1 << (bits - 1))
    top = (1 << bits) - 1
    rounded: Floats = np.clip(np.floor(code + 0.5), 0, top)
    return rounded.astype(np.uint16) if bits > 8 else rounded.astype(np.uint8)


def row_slice(name: str, height: int) -> slice:
    """Return the lines of a row of patches in a picture of `height` lines, both even."""
    top, bottom = ROWS[name]
    return slice(round(top * height) // 2 * 2, round(bottom * height) // 2 * 2)


def patch_slice(place: int, count: int, width: int) -> slice:
    """Return the columns of one of `count` patches side by side, both even."""
    return slice(place * width // count // 2 * 2, (place + 1) * width // count // 2 * 2)


class BarsPainter:
    """Paints the card in `signal`, ready coded: no conversion stands between the numbers and the frame."""

    def __init__(self, signal: Signal) -> None:
        self._signal = signal

    def signal_at(self, seconds: float) -> Signal:
        return self._signal

    def is_stamped(self, seconds: float) -> bool:
        return True

    def event_at(self, seconds: float) -> DeviceEvent | None:
        return None

    def paint(self, seconds: float) -> av.VideoFrame:
        """Return the card with its moving block where it is at this moment; the stamp is added by the device."""
        signal = self._signal
        frame = av.VideoFrame(signal.mode.width_px, signal.mode.height_px, signal.pixels)
        for view, plane in zip(planes_of(frame), _card(signal), strict=True):
            view[:] = plane
        self._move(planes_of(frame)[0], seconds)
        return tag(frame, signal)

    def _move(self, luma: Plane, seconds: float) -> None:
        height, width = luma.shape
        size = max(2, height // 24)
        left = int(seconds * width / 3) % (width - size)
        bits = pixel_format(self._signal.pixels).depth_bits
        luma[row_slice("moving", height), left : left + size] = 200 << (bits - 8)


@lru_cache(maxsize=4)
def _card(signal: Signal) -> tuple[Plane, ...]:
    """Return the planes of the card without what moves."""
    width, height = signal.mode.width_px, signal.mode.height_px
    rgb = np.full((height, width, 3), 0.35, dtype=np.float32)
    for place, colour in enumerate(BARS):
        rgb[row_slice("bars", height), patch_slice(place, len(BARS), width)] = colour
    for place, grey in enumerate(GREYS):
        rgb[row_slice("greys", height), patch_slice(place, len(GREYS), width)] = grey
    rgb[row_slice("ramp", height)] = np.linspace(*RAMP, width, dtype=np.float32)[None, :, None]
    luma, blue, red = coded(rgb, signal.matrix)
    for place, period in enumerate(PERIODS):
        columns = patch_slice(place, len(PERIODS), width)
        across = _stripes(period, columns.stop - columns.start)[None, :]
        rows = row_slice("down", height)
        down = _stripes(period, rows.stop - rows.start)[:, None]
        for plane, sign in ((blue, 1), (red, -1)):
            plane[row_slice("across", height), columns] = across * sign
            plane[rows, columns] = down * sign
    return _stored(signal, luma, blue, red)


def _stripes(period: int, count: int) -> Floats:
    half = period // 2
    stripes: Floats = np.where(np.arange(count) // half % 2 == 0, STRIPE, -STRIPE).astype(np.float32)
    return stripes


def _stored(signal: Signal, luma: Floats, blue: Floats, red: Floats) -> tuple[Plane, ...]:
    pixels = pixel_format(signal.pixels)
    across, down = pixels.subsampling
    bits, value_range = pixels.depth_bits, signal.range
    planes = [quantised(luma, is_luma=True, value_range=value_range, bits=bits)]
    height, width = luma.shape
    for plane in (blue, red):
        mean = plane.reshape(height // down, down, width // across, across).mean(axis=(1, 3), dtype=np.float32)
        planes.append(quantised(mean, is_luma=False, value_range=value_range, bits=bits))
    return tuple(planes)
