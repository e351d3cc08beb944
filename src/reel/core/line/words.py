"""The line for people: the one place where losses become sentences."""

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction

from reel.core.line.boxes import Port, bits_label
from reel.core.line.hops import Adapter, Hop, HopKind, Link, Mirror, Receiver, mhz_label, within
from reel.core.line.input import InputSetup
from reel.core.line.links import MJPEG_NOISE_BITS_PER_PIXEL, link_clock_hz
from reel.core.line.loss import BLOCKS, Cause, Clock, Figure, Framing, Loss, LossKind, Plug, Room, Time, Wish
from reel.core.line.own import OwnRecorder
from reel.core.line.signal_state import NoiseRule
from reel.core.signal import pixel_format, rate_label

WORDS = {
    LossKind.UNCONNECTED: "nothing connected",
    LossKind.BOX_TOO_SLOW: "too much for the box",
    LossKind.NO_MODE: "too much for the box",
    LossKind.STOPS: "stops by itself",
    LossKind.RATE: "rate reduced",
    LossKind.REPEATED: "pictures repeated",
    LossKind.CHROMA: "chroma reduced",
    LossKind.DEPTH: "depth reduced",
    LossKind.CROSSTALK: "colour crosstalk",
    LossKind.CONVERTED: "colour converted",
}


@dataclass(frozen=True, slots=True, kw_only=True)
class LossMessage:
    """A loss for people: the word of the drawing, the limit that causes it, what it costs."""

    loss: Loss
    word: str
    limit: str
    cost: str

    @property
    def sentence(self) -> str:
        return f"{self.limit} {self.cost}"


def loss_message(loss: Loss, setup: InputSetup) -> LossMessage:
    """Tell a loss of a rig."""
    limit = limit_of(loss, setup)
    cost = "No picture comes through." if loss.kind in BLOCKS else _COSTS[loss.kind](loss, setup)
    return LossMessage(loss=loss, word=word(loss), limit=limit, cost=cost)


def word(loss: Loss) -> str:
    if loss.kind is LossKind.RATE and _number(loss.left) * 2 == _number(loss.was):
        return "rate halved"
    return WORDS.get(loss.kind, loss.kind.value)


def limit_of(loss: Loss, setup: InputSetup) -> str:
    limit = loss.limit
    if isinstance(limit, Framing):
        return _frame_limit(loss, limit)
    if isinstance(limit, Wish):
        return f"You asked for {limit.offer.label} under Arrival."
    if isinstance(limit, Cause) and limit is not Cause.HOP:
        return _ARRIVAL_LIMITS[limit]
    if isinstance(limit, Plug) and not limit.takes:
        return f"The path ends with {limit.comes.label}; the computer is not reached."
    if isinstance(limit, Time) and loss.hop is None:
        return f"The screen locks itself after {limit.seconds} s without a touch."
    assert loss.hop is not None
    return _hop_limit(loss, setup.path[loss.hop].hop, setup)


def _hop_limit(loss: Loss, hop: Hop, setup: InputSetup) -> str:
    limit = loss.limit
    if isinstance(limit, Plug):
        takes = " or ".join(connector.label for connector in limit.takes)
        return f"{_the(hop, first=True)} takes {takes}, and {limit.comes.label} comes here."
    if isinstance(limit, Clock):
        return _clock_limit(loss, limit, hop)
    if isinstance(limit, Room):
        return _room_limit(limit, hop, setup)
    if isinstance(limit, Time):
        return f"{_the(hop, first=True)} stops by itself after {limit.seconds} s."
    if loss.kind is LossKind.PROTECTED:
        return f"The signal is copy-protected, and {_the(hop)} hands no such picture on."
    return _own_limit(hop, loss, setup)


_ARRIVAL_LIMITS = {
    Cause.LEFT: "Two fields lie in each picture and are left so.",
    Cause.PAIRED: "One picture is made of each pair of fields.",
    Cause.OVERRULED: "Arrival overrules what the signal says of itself.",
}


def _clock_limit(loss: Loss, limit: Clock, hop: Hop) -> str:
    pixels = pixel_format(limit.signal.pixels)
    what = f"{limit.signal.mode.label} {pixels.chroma} {pixels.depth_bits}"
    if loss.kind is LossKind.NO_MODE:
        return f"{_the(hop, first=True)} has no mode for {limit.signal.mode.label}."
    needs = f"{what} needs {mhz_label(float(link_clock_hz(limit.signal)))}"
    carries = mhz_label(limit.carries_hz)
    takes = f"; {_the(hop)} takes" if loss.kind is LossKind.BOX_TOO_SLOW else f" and {_the(hop)} carries"
    return f"{needs}{takes} {carries}."


def _room_limit(limit: Room, port: Hop, setup: InputSetup) -> str:
    assert isinstance(port, Port)
    box = setup.box
    by = "" if port.isochronous_bps is None else f" {setup.transfer.value}, as it is sent"
    needs, carries = bits_label(limit.asked.link_bps), bits_label(limit.carries_bps)
    shortage = f"{limit.asked.label} needs {needs}; {_the(port)} carries about {carries}{by}."
    if limit.given is None:
        return shortage
    sender = _the(box, first=True) if box else f"The {setup.device.facts.label.lower()}"
    return f"{shortage} {sender} falls back to {limit.given.label}."


def _own_limit(hop: Hop, loss: Loss, setup: InputSetup) -> str:
    """Say what a hop does by itself."""
    name = _the(hop, first=True)
    if isinstance(hop, Adapter):
        return f"{name} {hop.does}."
    if isinstance(hop, Receiver):
        return f"{name} takes pictures {hop.limit_label} through the air."
    if isinstance(hop, Mirror):
        return f"The screen is read {rate_label(hop.max_rate)} times a second."
    if isinstance(hop, OwnRecorder):
        assert loss.hop is not None
        return f"{name} is set to {hop.settings_of(setup.device, setup.path[loss.hop].own).label}."
    if isinstance(hop, Link) and hop.harm is not None:
        return f"{name} carries luma and colour in one signal."
    verb = "hands over" if hop.kind is HopKind.BOX else "carries"
    return f"{name} {verb} up to {hop.limit_label}."


def _frame_limit(loss: Loss, limit: Framing) -> str:
    comes = limit.comes
    source, frame = pixel_format(comes.pixels), pixel_format(limit.framed.pixels)
    if loss.kind in (LossKind.RATE, LossKind.REPEATED):
        return f"{_rate(loss.was)} pictures a second arrive and the file takes {_rate(loss.left)}."
    return {
        LossKind.CHROMA: f"{source.chroma} arrives and the file holds {frame.chroma}.",
        LossKind.DEPTH: f"{loss.was} bits arrive and the file holds {loss.left}.",
        LossKind.CONVERTED: f"{comes.matrix} {comes.range} is converted to {limit.framed.matrix} {limit.framed.range}.",
    }.get(loss.kind, f"{comes.mode.size_label} arrives and the frame is {limit.framed.mode.size_label}.")


def _scaled(loss: Loss, setup: InputSetup) -> str:
    part = _number(loss.left) / _number(loss.was)
    cost = f"{float(part):.0%} of the pixels remain." if part < 1 else "No detail is added."
    if isinstance(loss.limit, Framing):
        cost += f" Choose {loss.limit.comes.mode.size_label} in Frame to keep the picture as it comes."
    return cost


def _rated(loss: Loss, setup: InputSetup) -> str:
    if loss.limit is Cause.PAIRED:
        return "Half of the motion is gone; one picture per field keeps it."
    if isinstance(loss.limit, Framing):
        dropped = float(1 - _number(loss.left) / _number(loss.was))
        part = f"{dropped:.0%}" if dropped >= 0.01 else f"One in {round(1 / dropped)}"
        verb = "are" if dropped >= 0.01 else "is"
        return f"{part} of them {verb} dropped. Set the file's rate to {_rate(loss.was)} to keep them all."
    return f"{_rate(loss.left)} of {_rate(loss.was)} pictures a second come through."


def _repeated(loss: Loss, setup: InputSetup) -> str:
    if isinstance(loss.limit, Framing):
        more = rate_label(_number(loss.left) - _number(loss.was))
        return f"{more} a second are repeated. Nothing is lost; motion can look uneven."
    return f"{_rate(loss.left)} pictures a second come, and only {_rate(loss.was)} of them are new."


def _compressed(loss: Loss, setup: InputSetup) -> str:
    cost = f"{loss.left} throws fine detail away before Reel sees it."
    if loss.left != "MJPEG":
        return cost
    loses = setup.box is not None and setup.box.noise_rule is NoiseRule.LOST
    then = "pictures are lost" if loses else "it gets coarser"
    return f"{cost} Noise would need up to {MJPEG_NOISE_BITS_PER_PIXEL} bits a pixel: then {then}."


def _softer(loss: Loss, setup: InputSetup) -> str:
    part = float(_number(loss.left) / _number(loss.was))
    return f"{part:.0%} of the colour detail remains: fine coloured edges get softer."


def _says(sentence: str) -> Callable[[Loss, InputSetup], str]:
    return lambda loss, setup: sentence


_COSTS: dict[LossKind, Callable[[Loss, InputSetup], str]] = {
    LossKind.WILL_SLEEP: _says("From then on a recording shows a locked screen."),
    LossKind.STOPS: _says("What happens later is not recorded; roll again in time."),
    LossKind.CROPPED: lambda loss, setup: (
        f"{float(1 - _number(loss.left) / _number(loss.was)):.0%} of the picture lies outside, at its edges."
    ),
    LossKind.SCALED_DOWN: _scaled,
    LossKind.SCALED_UP: _scaled,
    LossKind.RATE: _rated,
    LossKind.REPEATED: _repeated,
    LossKind.PICTURES_LOST: lambda loss, setup: (
        f"About {float(_number(loss.left)):.1%} of the pictures never come, and motion stutters."
    ),
    LossKind.FIELDS_MERGED: _says(
        "Two moments are blended into each picture: half of the motion is gone, and moving edges are doubled."
    ),
    LossKind.LEFT_INTERLACED: _says("Moving edges show combs."),
    LossKind.CHROMA: _softer,
    LossKind.DEPTH: lambda loss, setup: f"{loss.was} bits become {loss.left}: smooth skies may band.",
    LossKind.COMPRESSED: _compressed,
    LossKind.RANGE_CLIPPED: _says("The darkest and the brightest parts are cut off and can't be brought back."),
    LossKind.RANGE_SQUEEZED: _says("256 steps of grey become 220; it looks the same."),
    LossKind.WRONG_MATRIX: lambda loss, setup: f"Reds and greens come out wrong: {loss.was} is read as {loss.left}.",
    LossKind.WRONG_RANGE: _says("Black and white lie wrong: what it says is right."),
    LossKind.SQUEEZED_SHAPE: _says("People look stretched until the shape is set right."),
    LossKind.BOXED_SHAPE: _says(
        "An upright picture stands between wide black bars: most of the 16:9 picture is empty."
    ),
    LossKind.CROSSTALK: _says("Dots crawl along coloured edges."),
    LossKind.NOISE: _says("Snow and dots that crawl lie over the picture."),
    LossKind.CONVERTED: _says("It is rounded to 8 bits once more."),
}


def _the(hop: Hop, *, first: bool = False) -> str:
    """Return a hop's name with its article: `the USB 2 port`, `The mirror window`."""
    return f"{'The' if first else 'the'} {within(hop.name)}"


def _number(figure: Figure) -> Fraction:
    assert isinstance(figure, int | Fraction)
    return Fraction(figure)


def _rate(figure: Figure) -> str:
    return rate_label(_number(figure))
