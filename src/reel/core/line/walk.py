"""The line: the stages from the device to the file, the data rate at each, and every loss where it happens."""

from dataclasses import dataclass, replace
from fractions import Fraction

from reel.core.file import RateControl, forecast
from reel.core.line.devices import DeviceKind
from reel.core.line.loss import Figure, Framing, Loss, LossKind, Weight
from reel.core.line.origin import Network
from reel.core.line.path import Travel
from reel.core.line.proposal import fitting_frame
from reel.core.line.rig import Chain, RigSetup, chain, setup_of_the_file
from reel.core.signal import Matrix, PixelFormat, Range, Signal, SoundFormat, pixel_format, rate_label

STAGES = ("device", "path", "arrival", "frame", "sound", "file", "roll")


@dataclass(frozen=True, slots=True, kw_only=True)
class Stage:
    """One stage of the line: two short facts, and the bits per second that leave it (None when unknown)."""

    key: str
    fact: str
    detail: str = ""
    rate_bps: float | None = None
    losses: tuple[Loss, ...] = ()


def framed_signal(setup: RigSetup) -> Signal:
    """Say what goes to the encoder: the recipe's frame, 4:2:0 8-bit, BT.709 limited."""
    return Signal(mode=setup.recipe.frame)


def walk(
    setup: RigSetup, arrival: Signal | None, sound: SoundFormat | None, measured_bps: int | None = None
) -> tuple[Stage, ...]:
    """Walk the line of a rig. `arrival` and `sound` are what the open input says of itself, None while it is closed.

    `measured_bps` is the data rate of an earlier take with this recipe, if there is one.
    """
    planned, setup = chain(setup), setup_of_the_file(setup)
    way = planned.travel
    sent = setup.device.signal or arrival
    comes = setup.arrival.signal_of(arrival) if arrival else planned.carried.signal if planned.carried else None
    framed = framed_signal(setup)
    if planned.is_remote:
        return _remote_stages(setup, planned, sent)
    return (
        Stage(
            key="device",
            fact=_label(sent),
            detail=_pixels(sent),
            rate_bps=_rate(sent),
            losses=_of_stage(way, "device"),
        ),
        _path_stage(setup, way, arrival),
        Stage(
            key="arrival",
            fact=_label(comes),
            detail=_pixels(comes),
            rate_bps=_rate(comes),
            losses=_of_stage(way, "arrival"),
        ),
        Stage(
            key="frame",
            fact=framed.mode.size_label,
            detail="fit, as it comes" if setup.recipe.as_it_comes else f"fit, {rate_label(framed.mode.rate)}",
            rate_bps=None if way.block else _rate(framed),
            losses=_framing_losses(comes, framed, setup),
        ),
        _sound_stage(sound, is_known=arrival is not None),
        _file_stage(setup, sound, measured_bps),
        Stage(key="roll", fact="blocked" if way.block else "ready"),
    )


def _remote_stages(setup: RigSetup, planned: Chain, sent: Signal | None) -> tuple[Stage, ...]:
    """Walk a rig whose device records by itself: its file passes Arrival, Frame and Sound, which say what it holds."""
    way, carried = planned.travel, planned.carried
    assert carried is not None
    file = _file_stage(setup, SoundFormat(), None)
    packed_bps, mode = file.rate_bps, carried.signal.mode
    sound_bps = SoundFormat().rate_hz * SoundFormat().channels * 32
    return (
        Stage(key="device", fact=_label(sent), detail=_pixels(sent), rate_bps=_rate(sent)),
        replace(_path_stage(setup, way, None), rate_bps=packed_bps),
        Stage(
            key="arrival", fact=mode.label, detail="in its file", rate_bps=packed_bps, losses=_of_stage(way, "arrival")
        ),
        Stage(key="frame", fact=mode.size_label, detail="as it records", rate_bps=packed_bps),
        Stage(key="sound", fact="1 track", detail="in its file", rate_bps=sound_bps),
        file,
        Stage(key="roll", fact="ready"),
    )


def _of_stage(way: Travel, stage: str) -> tuple[Loss, ...]:
    return tuple(loss for loss in way.losses if loss.stage == stage)


def _path_stage(setup: RigSetup, way: Travel, arrival: Signal | None) -> Stage:
    losses = _of_stage(way, "path")
    if setup.device.kind is DeviceKind.FEED:
        detail = "network, as it comes" if isinstance(setup.origin, Network) else "file, own pace"
        return Stage(key="path", fact="direct", detail=detail, rate_bps=_rate(arrival))
    hops = f"{len(setup.path)} hop{'' if len(setup.path) == 1 else 's'}"
    if way.arrives is None:
        return Stage(key="path", fact=hops, detail="blocked", losses=losses)
    detail = f"{way.arrives.latency_ms} ms" if way.arrives.latency_ms else ""
    return Stage(key="path", fact=hops, detail=detail, rate_bps=float(way.arrives.rate_bps), losses=losses)


def _framing_losses(arrives: Signal | None, framed: Signal, setup: RigSetup) -> tuple[Loss, ...]:
    if arrives is None:
        return ()
    limit = Framing(comes=arrives, frame=framed.mode)
    said = {loss.kind for loss in chain(setup).travel.losses}  # what a box took of the colours already is said once
    found = [*_size_changes(arrives, framed), *_rate_changes(arrives, framed, as_it_comes=setup.recipe.as_it_comes)]
    found += [change for change in _colour_changes(arrives, framed) if change[0] not in said]
    return tuple(
        Loss(kind=kind, stage="frame", limit=limit, weight=weight, was=was, left=left)
        for kind, weight, was, left in found
    )


_Change = tuple[LossKind, float, Figure, Figure]


def _size_changes(arrives: Signal, framed: Signal) -> list[_Change]:
    square, frame = fitting_frame(arrives), framed.mode
    if (square.width_px, square.height_px) == (frame.width_px, frame.height_px):
        return []
    was, left = square.width_px * square.height_px, frame.width_px * frame.height_px
    kind = LossKind.SCALED_DOWN if left < was else LossKind.SCALED_UP
    return [(kind, max(Weight.SMALL, (1 - left / was) * 100), was, left)]


def _rate_changes(arrives: Signal, framed: Signal, *, as_it_comes: bool) -> list[_Change]:
    was, left = arrives.mode.rate, framed.mode.rate
    if as_it_comes or was == left:
        return []  # as it comes, every picture is kept, at its own time
    if was > left:
        return [(LossKind.RATE, float(1 - left / was) * 100, was, left)]
    return [(LossKind.REPEATED, Weight.SMALL, was, left)]


def _colour_changes(arrives: Signal, framed: Signal) -> list[_Change]:
    source, frame = pixel_format(arrives.pixels), pixel_format(framed.pixels)
    found: list[_Change] = []
    if source.chroma not in (frame.chroma, "4:0:0"):
        found.append((LossKind.CHROMA, Weight.CHROMA, chroma_share(source), chroma_share(frame)))
    if source.depth_bits > frame.depth_bits:
        found.append((LossKind.DEPTH, Weight.DEPTH, source.depth_bits, frame.depth_bits))
    if (arrives.matrix, arrives.range) != (Matrix.BT709, Range.LIMITED):
        found.append((LossKind.CONVERTED, Weight.SMALL, None, None))
    return found


def chroma_share(pixels: PixelFormat) -> Fraction:
    """Give the colour samples for each pixel."""
    across, down = pixels.subsampling
    return Fraction(1, across * down)


def _sound_stage(sound: SoundFormat | None, *, is_known: bool) -> Stage:
    if sound is None:
        return Stage(key="sound", fact="no sound" if is_known else "not open")
    rate_bps = sound.rate_hz * sound.channels * 32
    words = {1: "mono", 2: "stereo"}.get(sound.channels, f"{sound.channels} channels")
    return Stage(key="sound", fact="1 track", detail=f"{sound.rate_hz / 1000:g} kHz {words}", rate_bps=rate_bps)


def _file_stage(setup: RigSetup, sound: SoundFormat | None, measured_bps: int | None) -> Stage:
    recipe = setup.recipe
    cost = forecast(recipe, sound_tracks=1 if sound else 0, measured_bps=measured_bps)
    if cost is None:
        return Stage(key="file", fact=recipe.label, detail="size not known yet")
    about = "about " if recipe.rate_control is RateControl.CRF else ""
    return Stage(
        key="file",
        fact=recipe.label,
        detail=f"{about}{cost.bytes_per_hour / 1e9:.1f} GB/h",
        rate_bps=cost.total_bps,
    )


def _label(signal: Signal | None) -> str:
    return signal.mode.label if signal else "not open"


def _pixels(signal: Signal | None) -> str:
    return pixel_format(signal.pixels).label if signal else ""


def _rate(signal: Signal | None) -> float | None:
    return float(signal.rate_bps) if signal else None
