"""Modes, rates, pixel formats, colour and time: what a signal is."""

from reel.core.signal.arrival import (
    Arrived,
    DeviceEvent,
    FloatArray,
    HeldError,
    Input,
    InputError,
    Need,
    Picture,
    Samples,
    Sent,
    SentPacket,
    SentStream,
    Signal,
    SoundFormat,
    mended,
)
from reel.core.signal.gathered import Gathered
from reel.core.signal.mode import Mode, Scan, rate_label
from reel.core.signal.pixel import PIXEL_FORMATS, Matrix, PixelFormat, Range, Transfer, assumed_matrix, pixel_format
from reel.core.signal.ticks import NS, Placement, Segment, Ticks, place_samples, tick_to_sample
from reel.core.signal.timecode import length_label, tick_of, timecode

__all__ = [
    "NS",
    "PIXEL_FORMATS",
    "Arrived",
    "DeviceEvent",
    "FloatArray",
    "Gathered",
    "HeldError",
    "Input",
    "InputError",
    "Matrix",
    "Mode",
    "Need",
    "Picture",
    "PixelFormat",
    "Placement",
    "Range",
    "Samples",
    "Scan",
    "Segment",
    "Sent",
    "SentPacket",
    "SentStream",
    "Signal",
    "SoundFormat",
    "Ticks",
    "Transfer",
    "assumed_matrix",
    "length_label",
    "mended",
    "pixel_format",
    "place_samples",
    "rate_label",
    "tick_of",
    "tick_to_sample",
    "timecode",
]
