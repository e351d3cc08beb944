"""Somebody in the media room who claps a lamp: cameras see it light up, microphones hear its click."""

import numpy as np

from reel.core.media.planes import Plane
from reel.core.signal import NS, FloatArray

# From one clap to the next, in seconds: as even as a person claps.
# Between two pictures at 30 a second each falls elsewhere.
_EVERY_S = (1.3206, 1.2206, 1.5206, 1.3206, 1.1206, 1.4206, 1.2206, 1.3206, 1.2206)
SHINES_NS = NS // 8
# The click: noise that dies away within a few ms; its peak, linear.
_CLICK_S, _DIES_S, _LOUD = 0.03, 0.004, 0.3


class Claps:
    """When claps fall, on the recorder's clock. May be used from any thread."""

    def __init__(self) -> None:
        self.moments_ns: tuple[int, ...] = ()

    def clap(self, now_ns: int) -> None:
        """Clap for about twelve seconds from now on."""
        self.moments_ns = tuple(now_ns + round(seconds * NS) for seconds in np.cumsum(_EVERY_S))

    def shines(self, at_ns: int) -> bool:
        """Return whether the lamp is lit."""
        return any(moment <= at_ns < moment + SHINES_NS for moment in self.moments_ns)

    def heard(self, data: FloatArray, at_ns: int, rate_hz: int) -> FloatArray:
        """Return a block (channels, samples) whose first sample is heard at `at_ns`, with the clicks in it."""
        for moment in self.moments_ns:
            start = -((at_ns - moment) * rate_hz // NS)  # the first sample that is not before the clap
            if -_CLICK_S * rate_hz < start < data.shape[1]:
                data = data.copy()
                click = _click(rate_hz)[max(0, -start) : data.shape[1] - start]
                data[:, max(0, start) : max(0, start) + len(click)] += click
        return data


def light_up(luma: Plane, bits: int) -> None:
    """Light a luma plane (height, width) of `bits` a sample up, as by a lamp held up in the picture."""
    height, width = luma.shape
    radius = height // 4
    part = luma[height // 8 : height // 8 + 2 * radius, width // 2 - radius : width // 2 + radius]
    rows, columns = (np.linspace(-1, 1, count)[:, None] for count in part.shape)
    glow = np.clip(1.2 - np.hypot(rows, columns.T), 0, 1) * (160 << (bits - 8))
    part[:] = np.minimum(part + glow, 235 << (bits - 8)).astype(luma.dtype)


def _click(rate_hz: int) -> FloatArray:
    time = np.arange(round(_CLICK_S * rate_hz)) / rate_hz
    noise = np.random.default_rng(5).uniform(-1, 1, len(time))
    click: FloatArray = (_LOUD * noise * np.exp(-time / _DIES_S)).astype(np.float32)
    click[0] = _LOUD
    return click
