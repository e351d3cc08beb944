"""The line: the stages from the device to the file, the data rate at each, and every loss where it happens."""

from dataclasses import dataclass
from fractions import Fraction

from reel.core.file import RateControl, forecast
from reel.core.line.rig import DeviceKind, RigSetup
from reel.core.signal import Matrix, Range, Signal, SoundFormat, pixel_format, rate_label

STAGES = ("device", "path", "arrival", "frame", "sound", "file", "roll")


@dataclass(frozen=True, slots=True, kw_only=True)
class Loss:
    """Something that a stage takes away: a word for the drawing, and a sentence that names limit and cost."""

    stage: str
    word: str
    sentence: str


@dataclass(frozen=True, slots=True, kw_only=True)
class Stage:
    """One stage of the line: two short facts, and the bits per second that leave it (None when unknown)."""

    key: str
    fact: str
    detail: str = ""
    rate_bps: float | None = None
    losses: tuple[Loss, ...] = ()


def sent_signal(setup: RigSetup) -> Signal | None:
    """Say what the device sends by its settings; None for a feed, which is known only when it is opened."""
    device = setup.device
    return Signal(mode=device.mode) if device.kind is DeviceKind.CONSOLE and device.mode else None


def framed_signal(setup: RigSetup) -> Signal:
    """Say what goes to the encoder: the recipe's frame, 4:2:0 8-bit, BT.709 limited."""
    return Signal(mode=setup.recipe.frame)


def walk(
    setup: RigSetup, arrival: Signal | None, sound: SoundFormat | None, measured_bps: int | None = None
) -> tuple[Stage, ...]:
    """Walk the line of a rig. `arrival` and `sound` are what the open input says of itself, None while it is closed.

    `measured_bps` is the data rate of an earlier take with this recipe, if there is one.
    """
    sent = sent_signal(setup) or arrival
    arrives = arrival or sent
    framed = framed_signal(setup)
    rate = _rate(sent)
    return (
        Stage(key="device", fact=_label(sent), detail=_pixels(sent), rate_bps=rate),
        Stage(key="path", fact="direct", detail=_path_detail(setup), rate_bps=rate),
        Stage(key="arrival", fact=_label(arrives), detail=_pixels(arrives), rate_bps=_rate(arrives)),
        Stage(
            key="frame",
            fact=framed.mode.size_label,
            detail="fit, as it comes" if setup.recipe.as_it_comes else f"fit, {rate_label(framed.mode.rate)}",
            rate_bps=_rate(framed),
            losses=_framing_losses(arrives, framed, setup.recipe.as_it_comes),
        ),
        _sound_stage(sound, is_known=arrives is not None),
        _file_stage(setup, sound, measured_bps),
        Stage(key="roll", fact="ready"),
    )


def _framing_losses(arrives: Signal | None, framed: Signal, as_it_comes: bool) -> tuple[Loss, ...]:
    if arrives is None:
        return ()
    source, frame = arrives.mode, framed.mode
    losses = []
    if (source.width_px, source.height_px) != (frame.width_px, frame.height_px):
        losses.append(_scaling(source.width_px * source.height_px, arrives, framed))
    if as_it_comes:
        pass  # every picture is kept, at its own time
    elif source.rate > frame.rate:
        part = Fraction(1) - frame.rate / source.rate
        sentence = (
            f"{rate_label(source.rate)} pictures a second arrive and the file takes {rate_label(frame.rate)}: "
            f"{float(part):.0%} of them are dropped. Set the file's rate to {rate_label(source.rate)} to keep them all."
        )
        losses.append(Loss(stage="frame", word="pictures dropped", sentence=sentence))
    elif source.rate < frame.rate:
        sentence = (
            f"{rate_label(source.rate)} pictures a second arrive and the file takes {rate_label(frame.rate)}: "
            f"{rate_label(frame.rate - source.rate)} a second are repeated. Nothing is lost; motion can look uneven."
        )
        losses.append(Loss(stage="frame", word="pictures repeated", sentence=sentence))
    losses += _colour_losses(arrives, framed)
    return tuple(losses)


def _scaling(source_pixels: int, arrives: Signal, framed: Signal) -> Loss:
    frame_pixels = framed.mode.width_px * framed.mode.height_px
    word = "scaled down" if frame_pixels < source_pixels else "scaled up"
    cost = f"{frame_pixels / source_pixels:.0%} of the pixels remain" if word == "scaled down" else "no detail is added"
    sentence = (
        f"{arrives.mode.size_label} arrives and the frame is {framed.mode.size_label}: {cost}. "
        f"Choose {arrives.mode.size_label} in File to keep the picture as it comes."
    )
    return Loss(stage="frame", word=word, sentence=sentence)


def _colour_losses(arrives: Signal, framed: Signal) -> list[Loss]:
    source, frame = pixel_format(arrives.pixels), pixel_format(framed.pixels)
    losses = []
    if source.chroma not in (frame.chroma, "4:0:0"):
        sentence = f"{source.chroma} arrives and the file holds {frame.chroma}: fine colour edges get softer."
        losses.append(Loss(stage="frame", word="colour halved", sentence=sentence))
    if source.depth_bits > frame.depth_bits:
        sentence = f"{source.depth_bits} bits arrive and the file holds {frame.depth_bits}: smooth skies may band."
        losses.append(Loss(stage="frame", word="depth reduced", sentence=sentence))
    if (arrives.matrix, arrives.range) != (Matrix.BT709, Range.LIMITED):
        sentence = f"{arrives.matrix.value} {arrives.range.value} is converted to 709 limited, rounded to 8 bits."
        losses.append(Loss(stage="frame", word="colour converted", sentence=sentence))
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


def _path_detail(setup: RigSetup) -> str:
    if setup.device.kind is not DeviceKind.FEED:
        return "stand-in, no loss"
    return "network, as it comes" if setup.device.is_network else "file, own pace"


def _label(signal: Signal | None) -> str:
    return signal.mode.label if signal else "not open"


def _pixels(signal: Signal | None) -> str:
    return pixel_format(signal.pixels).label if signal else ""


def _rate(signal: Signal | None) -> float | None:
    return float(signal.rate_bps) if signal else None
