"""The catalogue: every hop that Reel knows, by what it can do; the limits are the trade's."""

from dataclasses import replace
from fractions import Fraction

from reel.core.file import VideoCodec
from reel.core.line.boxes import Box, Capture, FieldRule, Port, RangeRule
from reel.core.line.hops import Adapter, Hop, HopKind, Link, Mirror, Receiver, colour_samples, fields_merged
from reel.core.line.links import (
    HD_HZ,
    HDMI_1_4_HZ,
    HDMI_2_0_HZ,
    HDMI_2_1_HZ,
    PCIE_2_LANE_BPS,
    USB_2_BPS,
    USB_2_ISOCHRONOUS_BPS,
    USB_3_GEN_1_BPS,
    USB_3_GEN_2_BPS,
    USB_3_GEN_2_ISOCHRONOUS_BPS,
    USB_3_ISOCHRONOUS_BPS,
    Connector,
    Transfer,
)
from reel.core.line.loss import LossKind
from reel.core.line.own import OwnRecorder
from reel.core.line.own_settings import OwnFacts
from reel.core.line.signal_state import SignalState, converted
from reel.core.signal import Matrix, Mode

_HDMI, _COMPONENT = (Connector.HDMI,), (Connector.COMPONENT,)
_SD_HZ = 27_000_000  # ITU-R BT.656: the clock of 720 samples a line with their colour


def _to_720p(carried: SignalState) -> SignalState:
    """Blend the fields, and squeeze 4:3 into a 16:9 picture of 1280×720 without bars."""
    whole = fields_merged(carried)
    scaled = converted(whole, Mode(width_px=1280, height_px=720, rate=whole.signal.mode.rate), "yuv422p")
    return replace(scaled, signal=replace(scaled.signal, pixel_aspect=Fraction(1)))


def _parted(carried: SignalState) -> SignalState:
    across = colour_samples(_COLOUR_PX, carried.signal.mode)
    return replace(carried, chroma_px=(min(across, carried.chroma_px[0]), carried.chroma_px[1]))


def _boxed_1080p(carried: SignalState) -> SignalState:
    """Fit a handheld's picture, bars beside it, into 1920×1080."""
    fitted = converted(carried, Mode(width_px=1920, height_px=1080, rate=carried.signal.mode.rate), "yuv444p")
    mode = carried.signal.mode
    width = min(1920, 1080 * mode.width_px // mode.height_px) // 2
    chroma_px = (min(carried.chroma_px[0], width), min(carried.chroma_px[1], fitted.chroma_px[1]))
    return replace(
        fitted,
        chroma_px=chroma_px,
        signal=replace(fitted.signal, pixel_aspect=Fraction(1)),
        shape=Fraction(16, 9),
        offers=(),
        handed=None,
        taken=None,
    )


# What the analogue ways leave of the colour, in samples of a line (twice the bandwidth times the 52 µs that are seen):
# ITU-R BT.470: 1.3 MHz in PAL; in NTSC 0.6 MHz, as decoders take both colour signals alike. A tape deck's SCART carries
# the composite signal that is on the tape, not the wires for each colour that the plug has.
_COLOUR_PX, _AERIAL_PX = (135, 63), (104, 63)

# HDMI cables by the version that they are made for.
_CABLES: tuple[Hop, ...] = (
    Link(key="hdmi-1.4", name="HDMI 1.4 cable", plugs_in=_HDMI, max_clock_hz=HDMI_1_4_HZ),
    Link(key="hdmi-2.0", name="HDMI 2.0 cable", plugs_in=_HDMI, max_clock_hz=HDMI_2_0_HZ),
    Link(key="hdmi-2.1", name="HDMI 2.1 cable", plugs_in=_HDMI, max_clock_hz=HDMI_2_1_HZ),
    Link(key="component-cable", name="Component cable", plugs_in=_COMPONENT, max_clock_hz=HD_HZ),
    Link(
        key="scart-cable",
        name="SCART cable",
        plugs_in=(Connector.SCART,),
        max_clock_hz=_SD_HZ,
        colour_px=_COLOUR_PX,
        harm=LossKind.CROSSTALK,
        weight=6,
    ),
    Link(
        key="s-video-cable",
        name="S-Video cable",
        plugs_in=(Connector.SVIDEO,),
        max_clock_hz=_SD_HZ,
        colour_px=_COLOUR_PX,
    ),
    Link(
        key="composite-cable",
        name="Composite cable",
        plugs_in=(Connector.COMPOSITE,),
        max_clock_hz=_SD_HZ,
        colour_px=_COLOUR_PX,
        harm=LossKind.CROSSTALK,
        weight=6,
    ),
    Link(
        key="aerial-cable",
        name="Aerial cable",
        plugs_in=(Connector.RF,),
        max_clock_hz=_SD_HZ,
        colour_px=_AERIAL_PX,
        harm=LossKind.NOISE,
        weight=14,
    ),
)
_ADAPTERS: tuple[Hop, ...] = (
    Adapter(
        key="scart-hdmi",
        name="SCART to HDMI adapter",
        plugs_in=(Connector.SCART,),
        plugs_out=Connector.HDMI,
        does="blends the fields and makes 720p of them",
        turn=_to_720p,
        needs_power=True,
    ),
    Adapter(
        key="scart-s-video",
        name="SCART to S-Video adapter",
        plugs_in=(Connector.SCART,),
        plugs_out=Connector.SVIDEO,
        does="passes luma and colour on",
        turn=_parted,
    ),
    Adapter(
        key="tuner",
        name="Tuner",
        plugs_in=(Connector.RF,),
        plugs_out=Connector.COMPOSITE,
        does="turns an aerial signal into composite",
        turn=lambda carried: carried,
        needs_power=True,
    ),
    Adapter(
        key="usb-hdmi",
        name="USB to HDMI adapter",
        plugs_in=(Connector.USB,),
        plugs_out=Connector.HDMI,
        does="fits the screen into 1080p with bars",
        turn=_boxed_1080p,
        boxes=True,
        needs_power=True,
    ),
)
_SPLITTERS: tuple[Hop, ...] = (
    Link(
        key="splitter-1080",
        name="HDMI splitter",
        feature="up to 1080p 60",
        plugs_in=_HDMI,
        max_clock_hz=HD_HZ,
        max_rate=Fraction(60),
        kind=HopKind.SPLITTER,
    ),
    Link(
        key="splitter-60",
        name="HDMI splitter",
        feature="up to 60 a second",
        plugs_in=_HDMI,
        max_clock_hz=HDMI_2_0_HZ,
        max_rate=Fraction(60),
        kind=HopKind.SPLITTER,
    ),
    Link(
        key="splitter-120",
        name="HDMI splitter",
        feature="any rate",
        plugs_in=_HDMI,
        max_clock_hz=HDMI_2_1_HZ,
        kind=HopKind.SPLITTER,
    ),
)
_BOXES: tuple[Hop, ...] = (
    Box(
        key="hdmi-box",
        name="HDMI box",
        feature="1080p 60",
        plugs_in=_HDMI,
        plugs_out=Connector.USB,
        max_clock_hz=HDMI_2_0_HZ,
        captures=(
            Capture(pixels="nv12", width_px=1920, height_px=1080, max_rate=60),
            Capture(pixels="yuyv422", width_px=1280, height_px=720, max_rate=60),
            Capture(pixels="yuvj422p", width_px=1920, height_px=1080, max_rate=60, mjpeg=True),
        ),
        transfer=Transfer.BULK,
        latency_ms=62,
        has_pass_through=True,
        range_rule=RangeRule.SQUEEZES,
    ),
    Box(
        key="capture-card",
        name="Capture card",
        feature="2160p 60 10-bit",
        plugs_in=_HDMI,
        plugs_out=Connector.PCIE,
        max_clock_hz=HDMI_2_1_HZ,
        captures=(
            Capture(pixels="p010le", width_px=3840, height_px=2160, max_rate=60),
            Capture(pixels="p010le", width_px=1920, height_px=1080, max_rate=120),
            Capture(pixels="nv12", width_px=3840, height_px=2160, max_rate=60),
            Capture(pixels="nv12", width_px=1920, height_px=1080, max_rate=120),
        ),
        latency_ms=34,
        has_pass_through=True,
    ),
    Box(
        key="hdmi-stick",
        name="HDMI stick",
        feature="1080p 30 MJPEG",
        plugs_in=_HDMI,
        plugs_out=Connector.USB,
        max_clock_hz=HDMI_1_4_HZ,
        captures=(
            Capture(pixels="yuvj422p", width_px=1920, height_px=1080, max_rate=30, mjpeg=True),
            Capture(pixels="yuvj422p", width_px=1280, height_px=720, max_rate=60, mjpeg=True),
        ),
        latency_ms=118,
        range_rule=RangeRule.CLIPS,
        tags=Matrix.BT601,
    ),
    Box(
        key="hdmi-scaler",
        name="HDMI scaler",
        feature="always 720p 60",
        plugs_in=_HDMI,
        plugs_out=Connector.USB,
        max_clock_hz=HDMI_2_0_HZ,
        captures=(Capture(pixels="nv12", width_px=1280, height_px=720, max_rate=60),),
        latency_ms=48,
        has_pass_through=True,
        fixed_rate=Fraction(60),
        range_rule=RangeRule.SQUEEZES,
    ),
    Box(
        key="component-box",
        name="Component box",
        feature="1080p 60",
        plugs_in=_COMPONENT,
        plugs_out=Connector.USB,
        max_clock_hz=HD_HZ,
        captures=(Capture(pixels="yuyv422", width_px=1920, height_px=1080, max_rate=60),),
        transfer=Transfer.BULK,
        latency_ms=55,
    ),
    Box(
        key="analogue-box",
        name="Analogue box",
        feature="keeps fields apart",
        plugs_in=(Connector.SCART, Connector.SVIDEO, Connector.COMPOSITE),
        plugs_out=Connector.USB,
        max_clock_hz=_SD_HZ,
        captures=(Capture(pixels="yuyv422", width_px=720, height_px=576, max_rate=30),),
        latency_ms=60,
    ),
    Box(
        key="analogue-stick",
        name="Analogue stick",
        feature="merges fields",
        plugs_in=(Connector.SVIDEO, Connector.COMPOSITE),
        plugs_out=Connector.USB,
        max_clock_hz=_SD_HZ,
        captures=(Capture(pixels="yuyv422", width_px=720, height_px=576, max_rate=30),),
        latency_ms=95,
        field_rule=FieldRule.MERGES,
    ),
)
_PORTS: tuple[Hop, ...] = (
    Port(
        key="usb-3",
        name="USB 3 port",
        plugs_in=(Connector.USB,),
        carries_bps=USB_3_GEN_1_BPS,
        isochronous_bps=USB_3_ISOCHRONOUS_BPS,
    ),
    Port(
        key="usb-3-gen-2",
        name="USB 3.2 gen 2 port",
        plugs_in=(Connector.USB,),
        carries_bps=USB_3_GEN_2_BPS,
        isochronous_bps=USB_3_GEN_2_ISOCHRONOUS_BPS,
    ),
    Port(
        key="usb-2",
        name="USB 2 port",
        plugs_in=(Connector.USB,),
        carries_bps=USB_2_BPS,
        isochronous_bps=USB_2_ISOCHRONOUS_BPS,
    ),
    Port(
        key="pcie-4", name="PCIe slot", feature="4 lanes", plugs_in=(Connector.PCIE,), carries_bps=4 * PCIE_2_LANE_BPS
    ),
    Port(key="pcie-1", name="PCIe slot", feature="1 lane", plugs_in=(Connector.PCIE,), carries_bps=PCIE_2_LANE_BPS),
)
_WITHOUT_WIRES: tuple[Hop, ...] = (
    Receiver(key="receiver-720", name="Receiver at 720p", box_px=(1280, 720), latency_ms=110, jitter_ms=8),
    Receiver(key="receiver-1080", name="Receiver at 1080p", box_px=(1920, 1080), latency_ms=160, jitter_ms=14),
    Mirror(key="mirror-window", name="Mirror window", max_rate=Fraction(60), latency_ms=45),
)
_RECORDERS: tuple[Hop, ...] = (
    OwnRecorder(key="own-recorder", name="Own recorder", plugs_in=(Connector.STORAGE,)),
    OwnRecorder(
        key="developer-link",
        name="Paired link",
        plugs_in=(Connector.PAIRED,),
        facts=OwnFacts(
            rates=(36,),
            bitrates_bps=(10_000_000, 20_000_000),
            limits_s=(60,),
            pixels_per_s={VideoCodec.H264: 75_000_000},
        ),
        comes_over=True,
        is_paired=True,
    ),
)

HOPS: dict[str, Hop] = {
    hop.key: hop for hop in (*_CABLES, *_ADAPTERS, *_SPLITTERS, *_BOXES, *_PORTS, *_WITHOUT_WIRES, *_RECORDERS)
}
