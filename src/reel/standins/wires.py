"""Stand-ins of what carries a signal: cables, splitters, adapters, host ports, the wireless way, the mirror window.

Each does to real frames what the thing would do, from its own limits. None knows what the walk of the line predicts.
"""

from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction
from typing import Protocol

import av
import numpy as np

from reel.core.frame import fit
from reel.core.line.boxes import Port
from reel.core.line.device import Eye
from reel.core.line.hops import Adapter, Link, Mirror, Receiver, colour_samples, wireless_loss
from reel.core.line.links import Connector, Transfer, link_carries
from reel.core.media.framing import frame_matrix, frame_range
from reel.core.media.planes import Plane, planes_of
from reel.core.signal import NS, Mode, Range, Signal
from reel.standins.device import Shown
from reel.standins.planes import Converter, tag
from reel.standins.scenario import Fault
from reel.standins.squeeze import H264
from reel.standins.tape import add_noise, narrow
from reel.standins.trouble import Trouble


class HopStandIn(Protocol):
    """One hop at work. Pictures come in the order of time; None stands for one that was lost on the way."""

    def describe(self, signal: Signal) -> Signal:
        """Say what comes out when `signal` goes in, as the thing itself would."""

    def pass_on(self, shown: Shown) -> Iterator[Shown | None]:
        """Return what comes out for a picture that goes in: nothing, one, or more."""


class Wire:
    """A cable or a splitter: silent above its clock; a splitter leaves out what is above its rate."""

    def __init__(self, link: Link, incoming: Signal) -> None:
        self._link = link
        fast = link.max_rate is not None and incoming.mode.rate > link.max_rate
        self._divisor = int(-(-incoming.mode.rate // link.max_rate)) if fast and link.max_rate else 1
        self._silent = not link_carries(link.max_clock_hz, self.describe(incoming))
        self._mode = incoming.mode
        self._count = 0
        self._to_component = Converter(replace(self.describe(incoming), pixels="yuv444p"))

    def describe(self, signal: Signal) -> Signal:
        """The same, at the rate that it takes; a component cable has no depth but its own."""
        mode = replace(signal.mode, rate=signal.mode.rate / self._divisor)
        is_component = Connector.COMPONENT in self._link.plugs_in
        return replace(signal, mode=mode, pixels="yuv444p" if is_component else signal.pixels)

    def pass_on(self, shown: Shown) -> Iterator[Shown | None]:
        self._count += 1
        if self._silent or (self._count - 1) % self._divisor:
            return
        yield shown.then(self._carry)

    def _carry(self, frame: av.VideoFrame) -> av.VideoFrame:
        link = self._link
        if Connector.COMPONENT in link.plugs_in:
            return self._to_component.apply(frame)
        if link.colour_px is None:
            return frame
        luma, *colours = planes_of(frame)
        for colour in colours:
            narrow(colour, colour_samples(link.colour_px, self._mode))
        if link.harm is not None:
            _crosstalk(luma, colours[0])
        if Connector.RF in link.plugs_in:
            add_noise(luma, 5, np.random.default_rng(shown_seed(frame)))
        return frame


def shown_seed(frame: av.VideoFrame) -> int:
    """Return a number that differs from picture to picture, and is the same for the same one."""
    return int(planes_of(frame)[0][::37, ::41].astype(np.int64).sum())


def _crosstalk(luma: Plane, colour: Plane) -> None:
    """Leave a part of the colour's carrier in the luma: dots along coloured edges."""
    strength = np.abs(colour.astype(np.float32) - 128) * 0.10
    dots = np.repeat(strength, luma.shape[1] // colour.shape[1], axis=1)
    sign = np.where((np.arange(luma.shape[1])[None, :] // 2 + np.arange(luma.shape[0])[:, None]) % 2, 1, -1)
    luma[:] = np.clip(luma + dots * sign, 1, 254).astype(np.uint8)


class Turning:
    """An adapter. While one that needs power has none, nothing comes out of it."""

    def __init__(self, adapter: Adapter, incoming: Signal, trouble: Trouble) -> None:
        self._adapter, self._trouble = adapter, trouble
        out = self.describe(incoming)
        self._stretch = Converter(replace(out, matrix=incoming.matrix, range=incoming.range))
        self._out = out

    def describe(self, signal: Signal) -> Signal:
        if self._adapter.key == "scart-hdmi":
            mode = Mode(width_px=1280, height_px=720, rate=signal.mode.rate)
            return replace(signal, mode=mode, pixels="yuv422p", pixel_aspect=Fraction(1))
        if self._adapter.key == "usb-hdmi":
            mode = Mode(width_px=1920, height_px=1080, rate=signal.mode.rate)
            return replace(signal, mode=mode, pixels="yuv444p", pixel_aspect=Fraction(1))
        return signal

    def pass_on(self, shown: Shown) -> Iterator[Shown | None]:
        if not (self._adapter.needs_power and self._trouble.at(shown.at_ns) is Fault.NO_POWER):
            yield shown.then(self._turn)

    def _turn(self, frame: av.VideoFrame) -> av.VideoFrame:
        if self._adapter.key == "scart-hdmi":
            return self._stretch.apply(blended(frame))
        if self._adapter.key == "usb-hdmi":
            return self._boxed(frame)
        return frame

    def _boxed(self, frame: av.VideoFrame) -> av.VideoFrame:
        """Fit the screen into the middle of a black 1080p picture."""
        placed = fit((frame.width, frame.height), (1920, 1080))
        mode = replace(self._out.mode, width_px=placed.width_px, height_px=placed.height_px)
        small = Converter(replace(self._out, mode=mode)).apply(frame)
        whole = av.VideoFrame(1920, 1080, "yuv444p")
        black = 0 if self._out.range is Range.FULL else 16
        for place, (plane, part) in enumerate(zip(planes_of(whole), planes_of(small), strict=True)):
            plane[:] = 128 if place else black
            plane[placed.y_px : placed.y_px + part.shape[0], placed.x_px : placed.x_px + part.shape[1]] = part
        return tag(whole, self._out)


def blended(frame: av.VideoFrame) -> av.VideoFrame:
    """Blend the two fields of a frame into one whole picture: each pair of lines becomes the mean of both."""
    whole = av.VideoFrame(frame.width, frame.height, frame.format.name)
    for target, plane in zip(planes_of(whole), planes_of(frame), strict=True):
        mean = ((plane[0::2].astype(np.uint16) + plane[1::2] + 1) // 2).astype(plane.dtype)
        target[0::2], target[1::2] = mean, mean
    whole.colorspace, whole.color_range = frame.colorspace, frame.color_range
    return whole


class PortStandIn:
    """A host port: a picture takes its bits' time on it, and one that finds it two pictures behind is lost."""

    def __init__(self, port: Port, incoming: Signal, transfer: Transfer) -> None:
        self._port, self._carries_bps = port, port.carries(transfer)
        self._raw_bits = incoming.rate_bps / incoming.mode.rate
        self._free_ns = 0

    def describe(self, signal: Signal) -> Signal:
        return signal

    def pass_on(self, shown: Shown) -> Iterator[Shown | None]:
        """Carry it when there is room."""
        if shown.at_ns < self._free_ns - NS // 15:
            yield None
            return
        bits = shown.bits or self._raw_bits
        self._free_ns = max(self._free_ns, shown.at_ns) + int(bits * NS / self._carries_bps)
        yield shown.then(delay_ns=self._port.latency_ms * NS // 1000)


class Air:
    """A wireless receiver: it scales, compresses, comes late and unevenly, and loses pictures."""

    def __init__(self, receiver: Receiver, incoming: Signal) -> None:
        self._receiver = receiver
        self._random = np.random.default_rng(48)
        self._coders: dict[tuple[int, int], H264] = {}
        self._lost = float(wireless_loss(receiver.fitted(incoming.mode)))
        self._last_ns = 0

    def describe(self, signal: Signal) -> Signal:
        """Fitted, in 4:2:0."""
        return replace(signal, mode=self._receiver.fitted(signal.mode), pixels="yuv420p")

    def pass_on(self, shown: Shown) -> Iterator[Shown | None]:
        """Carry it with jitter, or lose it."""
        jitter_ns = int(self._random.uniform() * self._receiver.jitter_ms * NS / 1000)
        if self._random.uniform() < self._lost:
            yield None
        else:
            delay_ns = self._receiver.latency_ms * NS // 1000 + jitter_ns
            delay_ns = max(delay_ns, self._last_ns + 1 - shown.at_ns)  # none overtakes the one before
            self._last_ns = shown.at_ns + delay_ns
            yield shown.then(self._carry, delay_ns)

    def _carry(self, frame: av.VideoFrame) -> av.VideoFrame:
        mode = self._receiver.fitted(Mode(width_px=frame.width, height_px=frame.height, rate=Fraction(30)))
        out = Signal(mode=mode, pixels="yuv420p", matrix=frame_matrix(frame), range=frame_range(frame))
        small = Converter(out, exact=False).apply(frame)  # compression harms code values more
        size = (small.width, small.height)
        if size not in self._coders:
            self._coders[size] = H264(*size)
        return tag(self._coders[size].apply(small), out)


class MirrorStandIn:
    """A window that mirrors a headset, read from the screen: whole, covered, moved away, minimised, or endless."""

    def __init__(self, mirror: Mirror, incoming: Signal, eye: Eye, trouble: Trouble) -> None:
        self._eye, self._trouble = eye, trouble
        self._divisor = int(-(-incoming.mode.rate // mirror.max_rate))
        self._latency_ns = mirror.latency_ms * NS // 1000
        self._count = 0
        self._last: av.VideoFrame | None = None

    def describe(self, signal: Signal) -> Signal:
        """One eye or both, at a rate that the screen has."""
        width = signal.mode.width_px if self._eye is Eye.BOTH else signal.mode.width_px // 2
        mode = replace(signal.mode, width_px=width, rate=signal.mode.rate / self._divisor)
        return replace(signal, mode=mode, pixels="yuv420p")

    def pass_on(self, shown: Shown) -> Iterator[Shown | None]:
        self._count += 1
        if (self._count - 1) % self._divisor == 0:
            fault = self._trouble.at(shown.at_ns)
            yield shown.then(lambda frame: self._show(frame, fault), self._latency_ns)

    def _show(self, frame: av.VideoFrame, fault: Fault | None) -> av.VideoFrame:
        if fault is Fault.MINIMISED and self._last is not None:
            return self._last
        seen = self._one_eye(frame)
        luma, *colours = planes_of(seen)
        height, width = luma.shape
        if fault is Fault.COVERED:
            _fill(luma, colours, slice(height // 5, height), slice(width // 2, width), 205)
        elif fault is Fault.MOVED:
            for plane in (luma, *colours):
                plane[:] = np.roll(plane, plane.shape[1] // 3, axis=1)
            _fill(luma, colours, slice(0, height), slice(0, width // 3), 90)
        elif fault is Fault.RESIZED:
            self._show_half(seen)
        elif fault is Fault.SHOWS_REEL:
            self._hold_itself(seen)
        self._last = seen
        return seen

    def _one_eye(self, frame: av.VideoFrame) -> av.VideoFrame:
        width = frame.width if self._eye is Eye.BOTH else frame.width // 2
        left = width if self._eye is Eye.RIGHT else 0
        seen = av.VideoFrame(width, frame.height, "yuv420p")
        for place, (view, plane) in enumerate(zip(planes_of(seen), planes_of(frame), strict=True)):
            shift = 1 if place else 0
            view[:] = plane[:, left >> shift : (left + width) >> shift]
        seen.colorspace, seen.color_range = frame.colorspace, frame.color_range
        return seen

    def _show_half(self, seen: av.VideoFrame) -> None:
        """Show the mirror at half its size in the corner, with the desk beside and below it."""
        for plane, part in zip(planes_of(seen), planes_of(_halved(seen)), strict=True):
            plane[:] = 90 if plane.shape[0] == seen.height else 128
            plane[: part.shape[0], : part.shape[1]] = part

    def _hold_itself(self, seen: av.VideoFrame) -> None:
        """Put the picture before, at half its size, into this one's middle: a screen that shows what is read of it."""
        for plane, part in zip(planes_of(seen), planes_of(_halved(self._last or seen)), strict=True):
            top, left = (plane.shape[0] - part.shape[0]) // 2, (plane.shape[1] - part.shape[1]) // 2
            plane[top : top + part.shape[0], left : left + part.shape[1]] = part


def _halved(frame: av.VideoFrame) -> av.VideoFrame:
    """Return a frame at half its size."""
    mode = Mode(width_px=frame.width // 4 * 2, height_px=frame.height // 4 * 2, rate=Fraction(30))
    return Converter(Signal(mode=mode)).apply(frame)


def _fill(luma: Plane, colours: list[Plane], rows: slice, columns: slice, level: int) -> None:
    luma[rows, columns] = level
    for colour in colours:
        colour[rows.start // 2 : rows.stop // 2, columns.start // 2 : columns.stop // 2] = 128
