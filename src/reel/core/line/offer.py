"""The modes in which a box or a camera can hand its picture over."""

from dataclasses import dataclass

from reel.core.line.links import MJPEG_BITS_PER_PIXEL
from reel.core.signal import Mode, pixel_format

FORMAT_LABELS = {"nv12": "NV12", "p010le": "P010", "yuyv422": "YUY2", "yuvj422p": "MJPEG"}


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
