"""The line: the stages from the device to the file, the data rate at each, and every loss where it happens."""

from collections.abc import Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

from reel.core.file import FilePlan, Measured, forecast
from reel.core.line.input import InputSetup, SignalChain, signal_chain
from reel.core.line.loss import Figure, Framing, Loss, LossKind, Weight
from reel.core.line.origin import Network
from reel.core.line.path import SignalPath
from reel.core.line.proposal import fitting_frame
from reel.core.line.rig import RigSetup, file_plan
from reel.core.signal import PixelFormat, Signal, SoundFormat, pixel_format, rate_label

STAGES = ("device", "path", "arrival", "frame", "sound", "file", "roll")


@dataclass(frozen=True, slots=True, kw_only=True)
class Stage:
    """One stage of the line: two short facts, and the bits per second that leave it (None when unknown)."""

    key: str
    fact: str
    detail: str = ""
    rate_bps: float | None = None
    losses: tuple[Loss, ...] = ()


@dataclass(frozen=True, slots=True, kw_only=True)
class Live:
    """What an open input says of itself: its picture and its sound, None for what it has not, or not yet."""

    signal: Signal | None = None
    sound: SoundFormat | None = None


@dataclass(frozen=True, slots=True, kw_only=True)
class Strand:
    """One input's picture or sound on its way, drawn beside the first: it joins at stage `joins`, "" for nowhere.

    `place` is its input's; `rate_bps` are the bits per second that leave the device, the path and Arrival (None when
    unknown).
    """

    name: str
    place: int
    joins: str
    rate_bps: tuple[float | None, ...]
    is_sound: bool = False


def line_stages(
    setup: RigSetup,
    live: Sequence[Live] = (),
    measured: Measured | None = None,
    picture_bits: float | None = None,
) -> tuple[Stage, ...]:
    """Walk the line of a rig. `live` is what each input says of itself, empty while the rig is closed.

    `measured` is what earlier takes with this recipe came to, if there are any, `picture_bits` what a picture of it is
    estimated to take.
    """
    picture, plan = setup.picture, file_plan(setup, heard(setup, live))
    planned, arrival = signal_chain(picture), live[0].signal if live else None
    way = planned.signal_path
    sent = picture.device.signal or arrival
    comes = picture.arrival.signal_of(arrival) if arrival else planned.carried.signal if planned.carried else None
    if planned.is_remote:
        return _remote_stages(plan, picture, planned, sent)
    return (
        Stage(
            key="device",
            fact=_label(sent),
            detail=_others(setup) or _pixels(sent),
            rate_bps=_rate(sent),
            losses=_of_stage(way, "device"),
        ),
        _path_stage(picture, way, arrival),
        Stage(
            key="arrival",
            fact=_label(comes),
            detail=_pixels(comes),
            rate_bps=_rate(comes),
            losses=_of_stage(way, "arrival"),
        ),
        *(_sent_stages(comes) if plan.recipe.as_sent else _made_stages(setup, plan, way, comes, live)),
        _file_stage(plan, measured, picture_bits),
        Stage(key="roll", fact="blocked" if way.block else "ready"),
    )


def strands(setup: RigSetup, live: Sequence[Live] = ()) -> tuple[Strand, ...]:
    """Return what runs beside the first input's picture: the other pictures, then the sounds, in the inputs' order."""
    shown = setup.frame.shown_inputs
    pictures = [
        Strand(
            name=one.name,
            place=place,
            joins="frame" if one.name in shown else "",
            rate_bps=_way_rates(one, live, place),
        )
        for place, one in enumerate(setup.inputs)
        if place and one.has_picture
    ]
    sounds = [
        Strand(
            name=one.name,
            place=place,
            joins="sound" if _goes_on(setup, one) else "",
            rate_bps=(_sound_bps(live[place].sound) if live else None,) * 3,
            is_sound=True,
        )
        for place, one in enumerate(setup.inputs)
        if not live or live[place].sound is not None
    ]
    return (*pictures, *sounds)


def heard(setup: RigSetup, live: Sequence[Live]) -> frozenset[int] | None:
    """Return the places of the inputs that have sound, those that are not open yet among them; None for all."""
    if not live:
        return None
    return frozenset(place for place, one in enumerate(live) if one.sound is not None or one.signal is None)


def _goes_on(setup: RigSetup, one: InputSetup) -> bool:
    return any(track <= len(setup.tracks) for track in one.sound.tracks)


def _way_rates(one: InputSetup, live: Sequence[Live], place: int) -> tuple[float | None, ...]:
    way, signal = signal_chain(one), live[place].signal if live else None
    sent, arrives = one.device.signal or signal, way.signal_path.arrives
    comes = signal or (way.carried.signal if way.carried else None)
    return _rate(sent), float(arrives.rate_bps) if arrives else _rate(signal), _rate(comes)


def _others(setup: RigSetup) -> str:
    """Count the inputs beside the first one's picture."""
    pictures = sum(one.has_picture for one in setup.inputs[1:])
    sounds = len(setup.inputs) - 1 - pictures
    words = [
        f"{number} {word}{'' if number == 1 else 's'}"
        for number, word in ((pictures, "picture"), (sounds, "sound"))
        if number
    ]
    return f"+ {', '.join(words)}" if words else ""


def _remote_stages(plan: FilePlan, picture: InputSetup, planned: SignalChain, sent: Signal | None) -> tuple[Stage, ...]:
    """Walk a rig whose device records by itself: its file passes Arrival, Frame and Sound, which say what it holds."""
    way, carried = planned.signal_path, planned.carried
    assert carried is not None
    file = _file_stage(plan, None)
    packed_bps, mode = file.rate_bps, carried.signal.mode
    return (
        Stage(key="device", fact=_label(sent), detail=_pixels(sent), rate_bps=_rate(sent)),
        replace(_path_stage(picture, way, None), rate_bps=packed_bps),
        Stage(
            key="arrival", fact=mode.label, detail="in its file", rate_bps=packed_bps, losses=_of_stage(way, "arrival")
        ),
        Stage(key="frame", fact=mode.size_label, detail="as it records", rate_bps=packed_bps),
        _remote_sound(plan),
        file,
        Stage(key="roll", fact="ready"),
    )


def _remote_sound(plan: FilePlan) -> Stage:
    if not plan.tracks:
        return Stage(key="sound", fact="no sound", detail="as it records")
    fact = f"{len(plan.tracks)} track{'' if len(plan.tracks) == 1 else 's'}"
    return Stage(key="sound", fact=fact, detail="in its file", rate_bps=_sound_bps(SoundFormat()))


def _made_stages(
    setup: RigSetup, plan: FilePlan, way: SignalPath, comes: Signal | None, live: Sequence[Live]
) -> tuple[Stage, Stage]:
    """Walk Frame and Sound, where the file's picture and tracks are made."""
    return _frame_stage(setup, plan.signal, way, comes), _sound_stage(setup, plan, live)


def _sent_stages(comes: Signal | None) -> tuple[Stage, Stage]:
    """Walk Frame and Sound of a rig that keeps what is sent: it passes them as it is."""
    size = comes.mode.size_label if comes else "not open"
    return (
        Stage(key="frame", fact=size, detail="as sent", rate_bps=_rate(comes)),
        Stage(key="sound", fact="as sent"),
    )


def _of_stage(way: SignalPath, stage: str) -> tuple[Loss, ...]:
    return tuple(loss for loss in way.losses if loss.stage == stage)


def _path_stage(setup: InputSetup, way: SignalPath, arrival: Signal | None) -> Stage:
    losses = _of_stage(way, "path")
    if not setup.device.facts.ways_out:
        detail = "network, its pace" if isinstance(setup.origin, Network) else "file, own pace"
        return Stage(key="path", fact="direct", detail=detail, rate_bps=_rate(arrival))
    hops = f"{len(setup.path)} hop{'' if len(setup.path) == 1 else 's'}"
    if way.arrives is None:
        return Stage(key="path", fact=hops, detail="blocked", losses=losses)
    detail = f"{way.arrives.latency_ms} ms" if way.arrives.latency_ms else ""
    return Stage(key="path", fact=hops, detail=detail, rate_bps=float(way.arrives.rate_bps), losses=losses)


def _frame_stage(setup: RigSetup, framed: Signal, way: SignalPath, comes: Signal | None) -> Stage:
    frame = setup.frame
    count = max(len(one.pieces) for one in frame.arrangements)
    fits = frame.arrangements[0].pieces[0].fit.value if count == 1 else f"{count} pictures"
    return Stage(
        key="frame",
        fact=frame.mode.size_label,
        detail=f"{fits}, {'variable rate' if frame.as_it_comes else rate_label(frame.mode.rate)}",
        rate_bps=None if way.block else _rate(framed),
        losses=_framing_losses(comes, framed, setup),
    )


def _framing_losses(arrives: Signal | None, framed: Signal, setup: RigSetup) -> tuple[Loss, ...]:
    if arrives is None:
        return ()
    limit = Framing(comes=arrives, framed=framed)
    said = {
        loss.kind for loss in signal_chain(setup.picture).signal_path.losses
    }  # what a box took of the colours is said once
    found = [*_size_changes(arrives, framed), *_rate_changes(arrives, framed, as_it_comes=setup.frame.as_it_comes)]
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
    if source.chroma != "4:0:0" and chroma_share(frame) < chroma_share(source):
        found.append((LossKind.CHROMA, Weight.CHROMA, chroma_share(source), chroma_share(frame)))
    if source.depth_bits > frame.depth_bits:
        found.append((LossKind.DEPTH, Weight.DEPTH, source.depth_bits, frame.depth_bits))
    if (arrives.matrix, arrives.range) != (framed.matrix, framed.range):
        found.append((LossKind.CONVERTED, Weight.SMALL, None, None))
    return found


def chroma_share(pixels: PixelFormat) -> Fraction:
    """Return the colour samples for each pixel."""
    across, down = pixels.subsampling
    return Fraction(1, across * down)


def _sound_stage(setup: RigSetup, plan: FilePlan, live: Sequence[Live]) -> Stage:
    if not live or not any(one.signal or one.sound for one in live):
        return Stage(key="sound", fact="not open")
    if not plan.tracks:
        return Stage(key="sound", fact="no sound")
    count, sources = len(plan.tracks), sum(one.sound is not None for one in live)
    fact = f"{count} track{'' if count == 1 else 's'}{f' from {sources}' if len(setup.inputs) > 1 else ''}"
    form = plan.recipe.sound
    words = "mono" if form.channels == 1 else "stereo"
    return Stage(key="sound", fact=fact, detail=f"{form.rate_hz / 1000:g} kHz {words}", rate_bps=_sound_bps(form))


def _sound_bps(sound: SoundFormat | None) -> float | None:
    return float(sound.rate_hz * sound.channels * 32) if sound else None


def _file_stage(plan: FilePlan, measured: Measured | None, picture_bits: float | None = None) -> Stage:
    recipe = plan.recipe
    cost = forecast(plan, measured, picture_bits)
    if cost is None:
        return Stage(key="file", fact=recipe.label, detail="size not known yet")
    about = "" if recipe.rate.target_bps else "about "
    return Stage(
        key="file",
        fact=recipe.label,
        detail=f"{about}{_an_hour(cost.bytes_per_hour)}",
        rate_bps=round(cost.written_bps),
    )


def _an_hour(size_bytes: int) -> str:
    return f"{size_bytes / 1e9:.1f} GB/h" if size_bytes >= 10**8 else f"{max(1, round(size_bytes / 1e6))} MB/h"


def _label(signal: Signal | None) -> str:
    return signal.mode.label if signal else "not open"


def _pixels(signal: Signal | None) -> str:
    return pixel_format(signal.pixels).label if signal else ""


def _rate(signal: Signal | None) -> float | None:
    return float(signal.rate_bps) if signal else None
