"""Stand-ins of what hands pictures over in a mode that it was asked for: capture boxes, and devices with USB."""

from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction

import av
import numpy as np

from reel.core.line.boxes import Box, FieldRule, RangeRule
from reel.core.line.links import link_carries
from reel.core.line.offer import Offer
from reel.core.line.signal_state import NoiseRule
from reel.core.media.planes import planes_of
from reel.core.signal import NS, Matrix, Mode, Range, Signal, pixel_format
from reel.standins.device import Shown
from reel.standins.planes import Converter, tag
from reel.standins.squeeze import Mjpeg
from reel.standins.wires import blended


class Handover:
    """Brings pictures into an offer: scaled, at its rate, in its format, compressed where it says so.

    A picture that comes turned is handed over turned. `wrong` says that Motion JPEG's matrix is claimed and not made.
    Only what is measured by its code values need be `exact`; a drawn scene is good enough without, and much cheaper.
    """

    def __init__(
        self,
        offer: Offer,
        incoming: Signal,
        *,
        wrong: bool = False,
        noise_rule: NoiseRule = NoiseRule.COARSER,
        exact: bool = True,
    ) -> None:
        self._offer, self._incoming, self._wrong, self._exact = offer, incoming, wrong, exact
        self._converters: dict[bool, Converter] = {}
        self._coders: dict[bool, Mjpeg] = {}
        self._bits = int(offer.link_bps / float(offer.mode.rate))
        # what was set aside for a picture: one that needs more gets coarser, where that is the box's rule
        self._room_bits = self._bits if noise_rule is NoiseRule.COARSER else None
        self._incoming_ns = NS / incoming.mode.rate
        self._next_ns: Fraction | None = None

    def describe(self, signal: Signal) -> Signal:
        """The offer's size, rate and format."""
        mode = self._mode(self._is_turned(signal.mode.width_px, signal.mode.height_px))
        scale = Fraction(signal.mode.width_px, mode.width_px) / Fraction(signal.mode.height_px, mode.height_px)
        out = replace(signal, mode=mode, pixels=self._offer.pixels, pixel_aspect=signal.pixel_aspect * scale)
        return replace(out, matrix=Matrix.BT601, range=Range.FULL) if self._offer.mjpeg else out

    def pass_on(self, shown: Shown) -> Iterator[Shown | None]:
        """Hand it over when it is due; again as long as none newer has come."""
        interval_ns = NS / self._offer.mode.rate
        if self._next_ns is None:
            self._next_ns = Fraction(shown.at_ns)
        done: Shown | None = None
        until_ns = shown.at_ns + self._incoming_ns - interval_ns / 4  # until then nothing newer comes
        while self._next_ns <= until_ns:
            done = done or self._hand_over(shown)
            at_ns = max(shown.at_ns, round(self._next_ns))
            yield done.then(delay_ns=at_ns - shown.at_ns) if at_ns > shown.at_ns else done
            self._next_ns += interval_ns

    def _hand_over(self, shown: Shown) -> Shown:
        if not self._offer.mjpeg:
            return shown.then(self._convert)
        # it is drawn and compressed when it is delivered; until then it is taken to be as big as the one before
        return Shown(shown.at_ns, lambda: self._compress(shown.frame), self._bits)

    def _compress(self, frame: av.VideoFrame) -> av.VideoFrame:
        converted = self._convert(frame)
        turn = converted.height > converted.width
        if turn not in self._coders:
            mode = replace(self._offer.mode, width_px=converted.width, height_px=converted.height)
            self._coders[turn] = Mjpeg(mode)
        compressed, self._bits = self._coders[turn].apply(converted, self._room_bits)
        return compressed

    def _convert(self, frame: av.VideoFrame) -> av.VideoFrame:
        turn = self._is_turned(frame.width, frame.height)
        if turn not in self._converters:
            target = replace(self._incoming, mode=self._mode(turn), pixels=self._offer.pixels)
            if self._offer.mjpeg:
                matrix = self._incoming.matrix if self._wrong else Matrix.BT601
                target = replace(target, matrix=matrix, range=Range.FULL)
            # compression harms code values more than a quick conversion does
            self._converters[turn] = Converter(target, exact=self._exact and not self._offer.mjpeg)
        return self._converters[turn].apply(frame)

    def _mode(self, turn: bool) -> Mode:
        mode = self._offer.mode
        return replace(mode, width_px=mode.height_px, height_px=mode.width_px) if turn else mode

    def _is_turned(self, width: int, height: int) -> bool:
        first = self._incoming.mode
        return width != height and (width, height) == (first.height_px, first.width_px)


class BoxStandIn:
    """A capture box at work, in the mode of `ask`, which must be one of its own.

    Nothing comes out for a signal that is protected or too fast for it.
    """

    def __init__(self, box: Box, incoming: Signal, ask: Offer, *, protected: bool, exact: bool = True) -> None:
        self._box = box
        self._refuses = protected or not link_carries(box.max_clock_hz, incoming)
        if not _makes(box, ask):
            raise ValueError(f"{box.name} has no mode {ask.label}")
        self._taken = self._after_input(incoming)
        self._to_limited = Converter(replace(incoming, range=Range.LIMITED), exact=exact)
        self._handover = Handover(ask, self._taken, wrong=box.tags is not None, noise_rule=box.noise_rule, exact=exact)

    def describe(self, signal: Signal) -> Signal:
        """What it says of its picture, true or not."""
        out = self._handover.describe(self._after_input(signal))
        return replace(out, matrix=self._box.tags) if self._box.tags is not None else out

    def pass_on(self, shown: Shown) -> Iterator[Shown | None]:
        """Take it in, and hand it over."""
        if self._refuses:
            return
        for done in self._handover.pass_on(shown.then(self._take, self._box.latency_ms * NS // 1000)):
            yield done.then(self._say) if done is not None and self._box.tags is not None else done

    def _after_input(self, signal: Signal) -> Signal:
        mode, value_range = signal.mode, signal.range
        if self._box.field_rule is FieldRule.MERGES:
            mode = Mode(width_px=mode.width_px, height_px=mode.height_px, rate=mode.rate)
        if self._box.range_rule is not RangeRule.KEEPS:
            value_range = Range.LIMITED
        return replace(signal, mode=mode, range=value_range)

    def _take(self, frame: av.VideoFrame) -> av.VideoFrame:
        is_full = frame.color_range == 2
        if is_full and self._box.range_rule is RangeRule.SQUEEZES:
            frame = self._to_limited.apply(frame)
        elif is_full and self._box.range_rule is RangeRule.CLIPS:
            frame = clip(frame)
        return blended(frame) if self._box.field_rule is FieldRule.MERGES else frame

    def _say(self, frame: av.VideoFrame) -> av.VideoFrame:
        assert self._box.tags is not None
        value_range = Range.FULL if frame.color_range == 2 else Range.LIMITED
        return tag(frame, replace(self._taken, matrix=self._box.tags, range=value_range))


def _makes(box: Box, ask: Offer) -> bool:
    return any(
        c.pixels == ask.pixels
        and c.mjpeg is ask.mjpeg
        and c.takes(ask.mode.width_px, ask.mode.height_px, float(ask.mode.rate))
        for c in box.captures
    )


def clip(frame: av.VideoFrame) -> av.VideoFrame:
    """Take full range for limited: cut off what lies outside 16 to 235, 240 for colours, and call it limited."""
    cut = av.VideoFrame(frame.width, frame.height, frame.format.name)
    scale = 1 << (pixel_format(frame.format.name).depth_bits - 8)
    for place, (view, plane) in enumerate(zip(planes_of(cut), planes_of(frame), strict=True)):
        view[:] = np.clip(plane, 16 * scale, (240 if place else 235) * scale)
    cut.colorspace, cut.color_range = frame.colorspace, 1
    return cut
