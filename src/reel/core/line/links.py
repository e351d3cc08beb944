"""What links carry: pixel clocks of digital links with their blanking, and useful bits per second of host ports."""

from enum import StrEnum
from fractions import Fraction

from reel.core.signal import Mode, Signal, pixel_format


class Connector(StrEnum):
    """What a hop plugs into: a kind of signal at a socket. HOST is the computer, the end of every path."""

    HDMI = "hdmi"
    COMPONENT = "component"
    SCART = "scart"
    SVIDEO = "s-video"
    COMPOSITE = "composite"
    RF = "rf"
    USB = "usb"
    PCIE = "pcie"
    WIRELESS = "wireless"
    WINDOW = "window"
    STORAGE = "storage"
    PAIRED = "paired"
    HOST = "host"

    @property
    def label(self) -> str:
        return _LABELS.get(self, self.value)


_LABELS = {
    Connector.HDMI: "HDMI",
    Connector.SCART: "SCART",
    Connector.SVIDEO: "S-Video",
    Connector.RF: "RF aerial",
    Connector.USB: "USB",
    Connector.PCIE: "PCIe slot",
    Connector.WIRELESS: "wireless mirroring",
    Connector.WINDOW: "window on the computer",
    Connector.STORAGE: "its own recorder",
    Connector.PAIRED: "developer link",
    Connector.HOST: "computer",
}

# Total pixels and lines with blanking, by (width, height, rate): CTA-861-H, table 1 (the video formats' timings).
_TOTALS = {
    (1280, 720, 24): (3300, 750),
    (1280, 720, 25): (3960, 750),
    (1280, 720, 30): (3300, 750),
    (1280, 720, 50): (1980, 750),
    (1280, 720, 60): (1650, 750),
    (1280, 720, 100): (1980, 750),
    (1280, 720, 120): (1650, 750),
    (1920, 1080, 24): (2750, 1125),
    (1920, 1080, 25): (2640, 1125),
    (1920, 1080, 30): (2200, 1125),
    (1920, 1080, 50): (2640, 1125),
    (1920, 1080, 60): (2200, 1125),
    (1920, 1080, 100): (2640, 1125),
    (1920, 1080, 120): (2200, 1125),
    (3840, 2160, 24): (5500, 2250),
    (3840, 2160, 25): (5280, 2250),
    (3840, 2160, 30): (4400, 2250),
    (3840, 2160, 50): (5280, 2250),
    (3840, 2160, 60): (4400, 2250),
    (3840, 2160, 100): (5280, 2250),
    (3840, 2160, 120): (4400, 2250),
    (720, 576, 25): (864, 625),
    (720, 480, 30): (858, 525),
}
# VESA CVT 1.2, reduced blanking v1: 160 pixels across and at least 460 µs down.
_CVT_ACROSS, _CVT_DOWN_S = 160, Fraction(460, 1_000_000)


def total_pixels(mode: Mode) -> int:
    """Return the pixels of one picture with blanking: as tabled for the trade's modes, by VESA CVT-RB for others."""
    nominal = round(mode.rate)  # 59.94 has the timing of 60 at a clock 1000/1001 slower
    if (mode.width_px, mode.height_px, nominal) in _TOTALS:
        across, down = _TOTALS[mode.width_px, mode.height_px, nominal]
        return across * down
    visible_s = 1 / mode.rate - _CVT_DOWN_S
    return round((mode.width_px + _CVT_ACROSS) * mode.height_px / (visible_s * mode.rate))


def link_clock_hz(signal: Signal) -> Fraction:
    """Return the clock at which a signal crosses HDMI, in characters per second on each of the three data channels.

    HDMI 1.4b, 6.2 and 6.5: one character a pixel and channel at 8 bits; 10 bits take 5/4 of that, except in 4:2:2,
    which always has room for 12; 4:2:0 takes half, where there is such a thing.
    """
    pixels = pixel_format(signal.pixels)
    deep = Fraction(pixels.depth_bits, 8) if pixels.chroma != "4:2:2" else Fraction(1)
    half = pixels.chroma == "4:2:0" and has_halved_chroma(signal.mode)
    return total_pixels(signal.mode) * signal.mode.rate * deep / (2 if half else 1)


def has_halved_chroma(mode: Mode) -> bool:
    """Return whether HDMI has 4:2:0 for a mode: for 2160p at 50 and 60 alone (HDMI 2.0, 7.1; CTA-861, VIC 96, 97)."""
    return (mode.width_px, mode.height_px) == (3840, 2160) and round(mode.rate) in (50, 60)


def link_carries(max_clock_hz: int, signal: Signal) -> bool:
    """Return whether a link of up to a clock carries a signal; 4:2:0 needs one of HDMI 2.0 besides."""
    if pixel_format(signal.pixels).chroma == "4:2:0" and max_clock_hz < HDMI_2_0_HZ:
        return False
    return link_clock_hz(signal) <= max_clock_hz


# The highest clock of a link. HDMI 1.4b 4.2.1: 340 MHz; HDMI 2.0: 600 MHz; HDMI 2.1: 48 Gb/s on four lanes, coded
# 16b/18b, is 42.7 Gb/s or 24 bits at 1777 MHz. Component: what 1080p 60 needs (CTA-770.3), 148.5 MHz.
HDMI_1_4_HZ, HDMI_2_0_HZ, HDMI_2_1_HZ = 340_000_000, 600_000_000, 1_777_000_000
HD_HZ = 148_500_000


class Transfer(StrEnum):
    """How a USB device sends pictures: in room that is kept for it, or in whatever is free."""

    ISOCHRONOUS = "isochronous"
    BULK = "bulk"


# What a host port usefully carries, in bits per second. USB 2.0: high speed is 480 Mb/s on the wire; 5.6.4: one device
# gets three isochronous packets of 1024 bytes in each of 8000 microframes a second; 5.8.4: in bulk, after packets and
# gaps, about 35 MB/s reach a driver. USB 3.2, 8.12.6: 48 isochronous packets of 1024 bytes in each, 96 in gen 2;
# 6.3 and 6.4: 5 Gb/s coded 8b/10b, 10 Gb/s coded 128b/132b.
# PCI Express 2.0, 4.2: 5 GT/s a lane coded 8b/10b. Of what the coding leaves, about four fifths carry pictures.
USB_2_BPS, USB_2_ISOCHRONOUS_BPS = 280_000_000, 3 * 1024 * 8000 * 8
USB_3_ISOCHRONOUS_BPS, USB_3_GEN_2_ISOCHRONOUS_BPS = 48 * 1024 * 8000 * 8, 96 * 1024 * 8000 * 8
USB_3_GEN_1_BPS = 3_200_000_000
USB_3_GEN_2_BPS = 7_750_000_000
PCIE_2_LANE_BPS = 3_200_000_000
# Motion JPEG at the quality of capture boxes, in bits per pixel: measured on busy pictures, rounded up. Noise would
# take up to the second figure; what a box does then is its own.
MJPEG_BITS_PER_PIXEL, MJPEG_NOISE_BITS_PER_PIXEL = Fraction(12, 5), 5
