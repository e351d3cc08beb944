"""The line: the stages from the device to the file, the data rate at each, and every loss where it happens."""

from dataclasses import dataclass, replace
from fractions import Fraction

from reel.core.file import RateControl, forecast
from reel.core.line.device import DeviceKind, sent_signal
from reel.core.line.loss import Loss, Weight
from reel.core.line.path import Travel
from reel.core.line.proposal import fitting_frame
from reel.core.line.rig import Chain, RigSetup, chain, followed
from reel.core.signal import Matrix, Range, Signal, SoundFormat, pixel_format, rate_label

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
    planned, setup = chain(setup), followed(setup)
    way = planned.travel
    sent = sent_signal(setup.device) or arrival
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
        detail = "network, as it comes" if setup.device.is_network else "file, own pace"
        return Stage(key="path", fact="direct", detail=detail, rate_bps=_rate(arrival))
    hops = f"{len(setup.path)} hop{'' if len(setup.path) == 1 else 's'}"
    if way.arrives is None:
        return Stage(key="path", fact=hops, detail="blocked", losses=losses)
    detail = f"{way.arrives.latency_ms} ms" if way.arrives.latency_ms else ""
    return Stage(key="path", fact=hops, detail=detail, rate_bps=float(way.arrives.rate_bps), losses=losses)


def _framing_losses(arrives: Signal | None, framed: Signal, setup: RigSetup) -> tuple[Loss, ...]:
    if arrives is None:
        return ()
    as_it_comes = setup.recipe.as_it_comes
    source, frame = arrives.mode, framed.mode
    losses = []
    square = fitting_frame(arrives)
    if (square.width_px, square.height_px) != (frame.width_px, frame.height_px):
        losses.append(_scaling(square.width_px * square.height_px, arrives, framed))
    if as_it_comes:
        pass  # every picture is kept, at its own time
    elif source.rate > frame.rate:
        part = Fraction(1) - frame.rate / source.rate
        cost = (
            f"{float(part):.0%} of them are dropped. Set the file's rate to {rate_label(source.rate)} to keep them all."
        )
        losses.append(_loss("pictures dropped", _rates(source.rate, frame.rate), cost, float(part) * 100))
    elif source.rate < frame.rate:
        repeated = rate_label(frame.rate - source.rate)
        cost = f"{repeated} a second are repeated. Nothing is lost; motion can look uneven."
        losses.append(_loss("pictures repeated", _rates(source.rate, frame.rate), cost, Weight.SMALL))
    said = {loss.word for loss in chain(setup).travel.losses}  # what a box took of the colours already is said once
    losses += [loss for loss in _colour_losses(arrives, framed) if loss.word not in said]
    return tuple(losses)


def _rates(source: Fraction, frame: Fraction) -> str:
    return f"{rate_label(source)} pictures a second arrive and the file takes {rate_label(frame)}."


def _loss(word: str, limit: str, cost: str, weight: float) -> Loss:
    return Loss(stage="frame", word=word, limit=limit, cost=cost, weight=weight)


def _scaling(source_pixels: int, arrives: Signal, framed: Signal) -> Loss:
    frame_pixels = framed.mode.width_px * framed.mode.height_px
    part = frame_pixels / source_pixels
    word = "scaled down" if part < 1 else "scaled up"
    cost = f"{part:.0%} of the pixels remain." if part < 1 else "No detail is added."
    limit = f"{arrives.mode.size_label} arrives and the frame is {framed.mode.size_label}."
    cost += f" Choose {arrives.mode.size_label} in File to keep the picture as it comes."
    return _loss(word, limit, cost, max(Weight.SMALL, (1 - part) * 100))


def _colour_losses(arrives: Signal, framed: Signal) -> list[Loss]:
    source, frame = pixel_format(arrives.pixels), pixel_format(framed.pixels)
    losses = []
    if source.chroma not in (frame.chroma, "4:0:0"):
        limit = f"{source.chroma} arrives and the file holds {frame.chroma}."
        losses.append(_loss("chroma reduced", limit, "Fine colour edges get softer.", Weight.CHROMA))
    if source.depth_bits > frame.depth_bits:
        limit = f"{source.depth_bits} bits arrive and the file holds {frame.depth_bits}."
        losses.append(_loss("depth reduced", limit, "Smooth skies may band.", Weight.DEPTH))
    if (arrives.matrix, arrives.range) != (Matrix.BT709, Range.LIMITED):
        limit = f"{arrives.matrix.value} {arrives.range.value} is converted to 709 limited."
        losses.append(_loss("colour converted", limit, "It is rounded to 8 bits once more.", Weight.SMALL))
    return losses


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
