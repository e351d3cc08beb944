"""A table of chains, and what can be read of the pictures that come out of them."""

from dataclasses import dataclass, replace
from fractions import Fraction

import numpy as np

from reel.core.frame import fit
from reel.core.line import DEVICES, Connector, DeviceKind, Eye, Fields, Levels, Turn, signal_chain
from reel.core.line.tests import rigs as making
from reel.core.media import luma_of, planes_of
from reel.core.media.framing import frame_matrix, frame_range
from reel.core.signal import NS, InputError, Matrix, Mode, Picture, Range, pixel_format
from reel.standins import Scenario, Shows, assemble, read_stamp
from reel.standins.card import BARS, GREYS, KR_KB, PERIODS, STRIPE, patch_slice, row_slice

PLANAR = {"yuyv422": "yuv422p", "nv12": "yuv420p", "p010le": "yuv420p10le"}


def rig(kind, mode, path, **settings):
    return making.one(DEVICES[kind](mode=Mode.parse(mode), **settings), *path)


BOX = ("hdmi-2.0", "hdmi-box", "usb-3")
CARD = ("hdmi-2.1", "capture-card", "pcie-4")
STICK = ("hdmi-1.4", "hdmi-stick", "usb-2")
COMPONENT = ("component-cable", "component-box", "usb-3")


def table():
    """Return every chain of the table by its name: more than a hundred."""
    rigs = {}

    def add(kind, mode, path, **settings):
        said = " ".join(str(getattr(value, "value", value)) for value in settings.values())
        name = f"{kind.value} {mode} {said} > {' > '.join(path)}"
        assert name not in rigs, name
        rigs[name] = rig(kind, mode, path, **settings)

    _consoles(add)
    _others(add)
    return rigs


def _consoles(add):
    console = DeviceKind.CONSOLE
    for mode in (mode.key for mode in DEVICES[console].facts.modes):
        add(console, mode, BOX)
        add(console, mode, ("hdmi-2.0", "hdmi-box", "usb-2"))
        add(console, mode, ("hdmi-2.0", "hdmi-scaler", "usb-3"))
        add(console, mode, STICK)
        add(console, mode, COMPONENT, out=Connector.COMPONENT)
    for mode in ("1280x720p60", "1920x1080p120", "3840x2160p60"):
        add(console, mode, CARD, pixels="yuv444p10le")
        add(console, mode, ("hdmi-2.1", "capture-card", "pcie-1"), pixels="yuv422p10le")
        add(console, mode, ("hdmi-2.1", "splitter-60", *CARD))
        add(console, mode, ("hdmi-2.0", "splitter-1080", *BOX))
    for pixels in ("yuv444p", "yuv422p", "yuv444p10le", "yuv422p10le"):
        for path in (BOX, CARD, STICK):
            add(console, "1280x720p30", path, pixels=pixels)
        add(console, "1280x720p30", COMPONENT, pixels=pixels, out=Connector.COMPONENT)
    for pixels in ("yuv420p", "yuv420p10le"):  # what HDMI has at this mode alone, and from version 2.0 on
        add(console, "3840x2160p60", ("hdmi-2.0", "capture-card", "pcie-4"), pixels=pixels)
        add(console, "3840x2160p60", ("hdmi-1.4", "capture-card", "pcie-4"), pixels=pixels)
        add(console, "3840x2160p60", ("hdmi-2.0", "hdmi-stick", "usb-3"), pixels=pixels)
    for value_range in Range:
        for matrix in (Matrix.BT601, Matrix.BT709):
            for path in (BOX, CARD, STICK):
                add(console, "1280x720p60", path, matrix=matrix, range=value_range)
    add(console, "1280x720p60", BOX, protected=True)
    add(console, "1280x720p60", COMPONENT, out=Connector.COMPONENT, protected=True)
    add(console, "3840x2160p60", ("hdmi-1.4", "capture-card", "pcie-4"), pixels="yuv444p10le")
    add(console, "1280x720p60", ("component-cable", "component-box", "usb-3"))
    add(console, "1280x720p60", ("hdmi-2.0", "hdmi-box"))


def _others(add):
    for mode in (mode.key for mode in DEVICES[DeviceKind.DECK].facts.modes):
        add(DeviceKind.DECK, mode, ("scart-cable", "analogue-box", "usb-2"))
        add(DeviceKind.DECK, mode, ("s-video-cable", "analogue-stick", "usb-2"), out=Connector.SVIDEO)
        add(DeviceKind.DECK, mode, ("composite-cable", "analogue-box", "usb-2"), out=Connector.COMPOSITE)
        add(
            DeviceKind.DECK,
            mode,
            ("aerial-cable", "tuner", "composite-cable", "analogue-stick", "usb-2"),
            out=Connector.RF,
        )
        add(DeviceKind.DECK, mode, ("scart-cable", "scart-hdmi", "hdmi-1.4", "hdmi-box", "usb-3"))
        add(DeviceKind.DECK, mode, ("scart-cable", "scart-s-video", "s-video-cable", "analogue-box", "usb-2"))
    for kind in (DeviceKind.PHONE, DeviceKind.TABLET):
        for mode in (mode.key for mode in DEVICES[kind].facts.modes):
            add(kind, mode, ("usb-3",))
            add(kind, mode, ("usb-2",))
            add(kind, mode, ("usb-hdmi", *BOX))
        for turn in (Turn.LEFT, Turn.RIGHT):
            add(kind, DEVICES[kind].facts.modes[0].key, ("usb-3",), turn=turn)
    for value_range in Range:
        for matrix in (Matrix.BT601, Matrix.BT709):
            add(DeviceKind.PHONE, "720x1560p30", ("usb-3",), matrix=matrix, range=value_range)
            add(DeviceKind.CAMERA, "640x480p30", ("usb-3",), matrix=matrix, range=value_range)
            add(DeviceKind.CAMERA, "1920x1080p30", ("usb-2",), matrix=matrix, range=value_range)
    for mode in (mode.key for mode in DEVICES[DeviceKind.CAMERA].facts.modes):
        add(DeviceKind.CAMERA, mode, ("usb-3",))
        add(DeviceKind.CAMERA, mode, ("usb-2",))
    for mode in (mode.key for mode in DEVICES[DeviceKind.HEADSET].facts.modes):
        for eye in Eye:
            add(DeviceKind.HEADSET, mode, ("mirror-window",), eye=eye)


@dataclass(frozen=True)
class Facts:
    """What is predicted of a chain, or was read of its pictures; see reel.core.line.SignalState."""

    size: tuple[int, int]
    rate: Fraction
    distinct: Fraction
    pixels: str
    depth: int
    across: int
    down: int
    tagged: tuple[Matrix, Range]
    truly: Matrix
    levels: Levels
    has_fields: bool
    latency_ms: int


def predicted(setup):
    """Return what the walk of the line says arrives; None when it says that nothing does."""
    carried = signal_chain(setup).carried
    if carried is None:
        return None
    signal, sent = carried.signal, signal_chain(setup).signal_path.sent.signal.mode
    one_eye = setup.device.kind is DeviceKind.HEADSET and setup.device.eye is not Eye.BOTH
    width = sent.width_px // 2 if one_eye else sent.width_px
    return Facts(
        size=(signal.mode.width_px, signal.mode.height_px),
        rate=signal.mode.rate,
        distinct=carried.distinct_per_s,
        pixels=signal.pixels,
        depth=carried.depth_bits,
        across=_finest(width, carried.chroma_px[0], setup.device.eye if one_eye else Eye.BOTH),
        down=_finest(sent.height_px, carried.chroma_px[1], setup.device.eye if one_eye else Eye.BOTH),
        tagged=(signal.matrix, signal.range),
        truly=carried.matrix,
        levels=carried.levels,
        has_fields=carried.fields is Fields.APART,
        latency_ms=carried.latency_ms,
    )


def _finest(side_px, samples, eye):
    """Return the narrowest period of stripes, in the device's pixels, that so many colour samples can hold.

    The right eye sees the wider half of the patches only.
    """
    seen = PERIODS[3:] if eye is Eye.RIGHT else PERIODS
    return next((period for period in seen if samples * period >= 2 * side_px), 0)


def received(setup, count):
    """Run a rig's stand-ins until `count` pictures have come; none when nothing comes."""
    way = signal_chain(setup).signal_path
    handed = way.arrives.handed if way.arrives else next(iter(_any_offer(setup)), None)
    pictures = []
    try:
        source = assemble(setup, Scenario(shows=Shows.BARS), handed, start_ns=0)
        while len(pictures) < count and (due_ns := source.due_ns()) is not None and due_ns < 3 * NS:
            if isinstance(item := source.read(due_ns), Picture):
                pictures.append(item)
    except InputError:
        pass
    return pictures


def _any_offer(setup):
    """Return what to ask a box for whose chain is said to be blocked: what it would do for a signal that it takes."""
    freed = setup
    if setup.device.kind is DeviceKind.CONSOLE:
        freed = replace(setup, device=replace(setup.device, protected=False, pixels=None))
        small = replace(freed.device, mode=DEVICES[DeviceKind.CONSOLE].facts.modes[0])
        if (arrives := signal_chain(replace(freed, device=small)).signal_path.arrives) is not None and arrives.handed:
            yield arrives.handed
    for path in (setup.path, making.path(*BOX), making.path(*COMPONENT)):
        if (arrives := signal_chain(replace(freed, path=path)).signal_path.arrives) is not None and arrives.handed:
            yield arrives.handed


def read(setup, pictures):
    """Read the facts of a chain from its pictures alone; `setup` only says where an eye's half of the card is."""
    frame = planar(pictures[-1].frame)
    times = [picture.at_ns for picture in pictures]
    rate = Fraction((len(times) - 1) * NS, times[-1] - times[0]).limit_denominator(1001)
    luma, blue = unboxed(setup, planes_of(frame)[:2])
    bits = pixel_format(frame.format.name).depth_bits
    luma8 = luma.astype(np.float32) / (1 << (bits - 8))
    tagged = (frame_matrix(pictures[-1].frame), frame_range(pictures[-1].frame))
    eye = setup.device.eye if setup.device.kind is DeviceKind.HEADSET else Eye.BOTH
    across, down = (_stripes(blue / (1 << (bits - 8)), row, tagged[1], eye) for row in ("across", "down"))
    return Facts(
        size=(frame.width, frame.height),
        rate=rate,
        distinct=_distinct(pictures, rate),
        pixels=pictures[-1].frame.format.name,
        depth=_depth(luma, bits),
        across=across,
        down=down,
        tagged=tagged,
        truly=_matrix(luma8, tagged[1], eye),
        levels=_levels(luma8, tagged[1], eye),
        has_fields=_has_fields(luma_of(frame)),
        latency_ms=round(times[0] / 1e6),
    )


def planar(frame):
    """Return a frame's samples in a planar format of the same kind, unchanged."""
    wanted = PLANAR.get(frame.format.name)
    return frame.reformat(format=wanted) if wanted else frame


def unboxed(setup, planes):
    """Cut the bars off that an adapter put beside an upright picture."""
    if not any(hop.model == "usb-hdmi" for hop in setup.path):
        return planes
    sent = setup.device.mode
    placed = fit((sent.width_px, sent.height_px), (planes[0].shape[1], planes[0].shape[0]))
    luma, blue = planes
    left, right = placed.x_px, placed.x_px + placed.width_px
    return luma[:, left:right], blue[:, left // 2 : right // 2]


def _columns(width, place, count, eye):
    """Return the columns of a patch; an eye sees a half of the card."""
    whole = width if eye is Eye.BOTH else width * 2
    columns = patch_slice(place, count, whole)
    start = width if eye is Eye.RIGHT else 0
    inside = slice(max(0, columns.start - start), min(width, columns.stop - start))
    inset = (inside.stop - inside.start) // 5
    return slice(inside.start + inset, inside.stop - inset)


def _rows(height, name):
    rows = row_slice(name, height)
    inset = (rows.stop - rows.start) // 5
    return slice(rows.start + inset, rows.stop - inset)


def _stripes(plane, row, value_range, eye):
    """Return the narrowest period whose stripes still stand with a third of their height."""
    height, width = plane.shape
    sent = STRIPE * (224 if value_range is Range.LIMITED else 255)
    for place, period in enumerate(PERIODS):
        columns = _columns(width, place, len(PERIODS), eye)
        if columns.stop - columns.start < 4:
            continue
        patch = plane[_rows(height, row), columns]
        profile = patch.mean(axis=0 if row == "across" else 1)
        if profile.std() > sent / 3:
            return period
    return 0


def _depth(luma, bits):
    rows = _rows(luma.shape[0], "ramp")
    values = len(np.unique(luma[rows.start]))
    return 10 if bits > 8 and values > 70 else 8


def _patch_mean(luma8, row, place, count, eye):
    height, width = luma8.shape
    return float(luma8[_rows(height, row), _columns(width, place, count, eye)].mean())


def _matrix(luma8, value_range, eye):
    """Tell the matrix by the luma of the green bar, 0.587 of white or 0.715; by magenta's where an eye has no green."""
    is_right = eye is Eye.RIGHT
    place = BARS.index((1, 0, 1) if is_right else (0, 1, 0))
    level = _patch_mean(luma8, "bars", place, len(BARS), eye)
    share = level / 255 if value_range is Range.FULL else (level - 16) / 219
    lumas = {m: sum(KR_KB[m]) if is_right else 1 - sum(KR_KB[m]) for m in (Matrix.BT601, Matrix.BT709)}
    return min(lumas, key=lambda matrix: abs(lumas[matrix] - share))


def _levels(luma8, value_range, eye):
    """Tell clipping by the grey of a quarter: what was cut off at 16 and 235 and called limited is too dark there."""
    place = GREYS.index(0.25)
    if eye is Eye.RIGHT:
        return Levels.WHOLE
    quarter = _patch_mean(luma8, "greys", place, len(GREYS), eye)
    share = quarter / 255 if value_range is Range.FULL else (quarter - 16) / 219
    return Levels.CLIPPED if share < 0.235 else Levels.WHOLE


def _has_fields(luma):
    upper, lower = read_stamp(luma[0::2]), read_stamp(luma[1::2])
    return upper is not None and lower is not None and abs(upper - lower) == 1


def _distinct(pictures, rate):
    """Count by stamps the moments shown in a second; by whole pictures where the shape of the stamp is lost."""
    shown = []
    for picture in pictures:
        luma = luma_of(picture.frame)
        fields = (read_stamp(luma[0::2]), read_stamp(luma[1::2]))
        if None not in fields and fields[0] != fields[1]:
            shown.append(fields)
            continue
        stamp = read_stamp(luma)
        shown.append((stamp,) if stamp is not None else (luma[:: max(1, luma.shape[0] // 90)].tobytes(),))
    new = sum(len(moments) for last, moments in zip(shown, shown[1:], strict=False) if moments != last)
    return rate * new / (len(shown) - 1)
