"""What all stand-in devices share: pictures and sound, sent on a clock of their own."""

from collections.abc import Callable
from dataclasses import replace
from fractions import Fraction
from typing import Protocol

import av

from reel.core.media.planes import Plane, planes_of
from reel.core.signal import NS, DeviceEvent, FloatArray, Range, Samples, Scan, Signal, SoundFormat, pixel_format
from reel.standins.ambience import CLICK_EVERY_S, CLICK_SHOWN_S, RATE_HZ
from reel.standins.layers import Canvas
from reel.standins.planes import Converter, tag
from reel.standins.room import Claps, light_up
from reel.standins.stamp import draw_stamp

BLOCK = 960


class Scene(Protocol):
    """A picture for every moment, at a fixed size: 4:2:0 8-bit, limited range, in whichever matrix is asked for.

    Nobody can say of a drawn scene which of the matrices is wrong; colours that are judged come from the card.
    """

    def draw(self, seconds: float) -> Canvas:
        """Return the picture of a moment; the same moment gives the same picture."""


class Painter(Protocol):
    """Frames in a signal's own coding for every moment."""

    def signal_at(self, seconds: float) -> Signal:
        """Say what is sent at a moment."""

    def is_stamped(self, seconds: float) -> bool:
        """Return whether the picture of a moment carries a stamp; a black or a locked one does not."""

    def event_at(self, seconds: float) -> DeviceEvent | None:
        """Say what the device reports of itself at a moment."""

    def paint(self, seconds: float) -> av.VideoFrame:
        """Return the whole picture of a moment, unstamped, tagged."""


class ScenePainter:
    """Paints a scene, brought from the coding in which scenes are drawn to that of `signal`, in its matrix."""

    def __init__(self, scene: Scene, signal: Signal) -> None:
        self._scene, self._signal = scene, signal
        self._converter = Converter(signal, exact=False)
        self._drawn = replace(signal, range=Range.LIMITED)

    def signal_at(self, seconds: float) -> Signal:
        return self._signal

    def is_stamped(self, seconds: float) -> bool:
        return True

    def event_at(self, seconds: float) -> DeviceEvent | None:
        return None

    def paint(self, seconds: float) -> av.VideoFrame:
        """Return the scene's picture of a moment."""
        frame = av.VideoFrame.from_numpy_buffer(self._scene.draw(seconds).buffer, format="yuv420p")
        return self._converter.apply(tag(frame, self._drawn))


class Shown:
    """A picture at an instant of the recorder's clock. It is drawn when it is first looked at, and then kept.

    `bits` are those that it takes on a link when it is compressed; None when it is not.
    """

    __slots__ = ("_draw", "_frame", "at_ns", "bits")

    def __init__(self, at_ns: int, draw: Callable[[], av.VideoFrame], bits: int | None = None) -> None:
        self.at_ns, self.bits, self._draw = at_ns, bits, draw
        self._frame: av.VideoFrame | None = None

    @property
    def frame(self) -> av.VideoFrame:
        if self._frame is None:
            self._frame = self._draw()
        return self._frame

    def then(self, change: Callable[[av.VideoFrame], av.VideoFrame] | None = None, delay_ns: int = 0) -> "Shown":
        """Return this picture changed, or later."""
        return Shown(self.at_ns + delay_ns, (lambda: change(self.frame)) if change else (lambda: self.frame), self.bits)


class StandIn:
    """Sends what `painter` paints and `sound` sounds from `start_ns` on, for `length_s` seconds or for ever.

    `sound` gives float32 (2, count) from a sample position on. The clock runs `drift_ppm` parts per million fast
    against the recorder's, that of the sound `sound_ppm` more. Every picture carries its number, with interlaced scan
    every field its own; when a click sounds the beacon lights up. `damage` is done to each woven frame before that.
    `views` pictures lie side by side in each, and each is numbered. What it sends is of `lag_ns` before; with `claps`
    it sees and hears those.
    """

    def __init__(
        self,
        name: str,
        painter: Painter,
        *,
        sound: Callable[[int, int], FloatArray],
        start_ns: int,
        drift_ppm: float = 0.0,
        sound_ppm: float = 0.0,
        length_s: int | None = None,
        views: int = 1,
        damage: Callable[[av.VideoFrame, int], None] | None = None,
        lag_ns: int = 0,
        claps: Claps | None = None,
    ) -> None:
        self.name, self._painter, self._samples, self._damage = name, painter, sound, damage
        self._views = views
        self._lag_ns, self._claps = lag_ns, claps
        self._rate = painter.signal_at(0).mode.rate
        pace = 1 + Fraction(drift_ppm) / 1_000_000
        self._start_ns = start_ns + lag_ns
        self._picture_ns = float(NS / self._rate / pace)
        self._block_ns = float(Fraction(BLOCK * NS, RATE_HZ) / (pace + Fraction(sound_ppm) / 1_000_000))
        self._end_ns = self._start_ns + length_s * NS if length_s else None
        self._next_picture = self._next_block = 0

    @property
    def signal(self) -> Signal:
        return self._painter.signal_at(float(self._next_picture / self._rate))

    @property
    def sound(self) -> SoundFormat:
        """48 kHz stereo."""
        return SoundFormat(rate_hz=RATE_HZ, channels=2)

    @property
    def event(self) -> DeviceEvent | None:
        """What it reports of itself just now."""
        return self._painter.event_at(float(self._next_picture / self._rate))

    def due_ns(self) -> int | None:
        """When the next picture is shown or the next block of sound is complete; None after the end."""
        due_ns = min(self._shown_ns(self._next_picture), self._heard_ns(self._next_block + 1))
        return None if self._end_ns is not None and due_ns >= self._end_ns else due_ns

    def take(self) -> Shown | Samples:
        """Return the next picture or block of sound."""
        if self._heard_ns(self._next_block + 1) < self._shown_ns(self._next_picture):
            number = self._next_block
            self._next_block += 1
            at_ns, data = self._heard_ns(number), self._samples(number * BLOCK, BLOCK)
            if self._claps is not None:
                data = self._claps.heard(data, at_ns - self._lag_ns, RATE_HZ)
            return Samples(at_ns=at_ns, data=data)
        number = self._next_picture
        self._next_picture += 1
        return Shown(self._shown_ns(number), lambda: self._draw(number))

    def _draw(self, number: int) -> av.VideoFrame:
        seconds = float(number / self._rate)
        signal = self._painter.signal_at(seconds)
        if signal.mode.scan is Scan.PROGRESSIVE:
            frame = self._painter.paint(seconds)
            if self._claps is not None and self._is_lit(seconds, number):
                light_up(planes_of(frame)[0], pixel_format(frame.format.name).depth_bits)
            self._stamp((planes_of(frame)[0],), frame, (seconds,), number)
            return frame
        later = seconds + float(1 / (2 * self._rate))
        frame = weave(self._painter.paint(seconds), self._painter.paint(later), signal)
        if self._damage is not None:
            self._damage(frame, number)
        upper, lower = planes_of(frame)[0][0::2], planes_of(frame)[0][1::2]
        fields = (upper, lower) if signal.top_first else (lower, upper)
        self._stamp(fields, frame, (seconds, later), 2 * number)
        return frame

    def _stamp(self, fields: tuple[Plane, ...], frame: av.VideoFrame, moments: tuple[float, ...], number: int) -> None:
        """Number a picture, or each of its fields on its own."""
        bits = pixel_format(frame.format.name).depth_bits
        for place, (field, seconds) in enumerate(zip(fields, moments, strict=True)):
            if self._painter.is_stamped(seconds):
                lit = self._is_lit(seconds, number)
                width = field.shape[1] // self._views
                for view in range(self._views):
                    draw_stamp(field[:, view * width : (view + 1) * width], number + place, beacon=lit, bits=bits)

    def _is_lit(self, seconds: float, number: int) -> bool:
        """Return whether a click sounds just now: of the drops in its own sound, or of the claps that it sees."""
        if self._claps is not None:
            return self._claps.shines(self._shown_ns(number) - self._lag_ns)
        return seconds % CLICK_EVERY_S < float(CLICK_SHOWN_S)

    def _shown_ns(self, picture: int) -> int:
        return self._start_ns + round(picture * self._picture_ns)

    def _heard_ns(self, block: int) -> int:
        return self._start_ns + round(block * self._block_ns)


def weave(first: av.VideoFrame, second: av.VideoFrame, signal: Signal) -> av.VideoFrame:
    """Return a frame of two moments: alternate lines of each, the first on the upper lines when `top_first`."""
    woven = av.VideoFrame(first.width, first.height, first.format.name)
    upper, lower = (first, second) if signal.top_first else (second, first)
    for plane, above, below in zip(planes_of(woven), planes_of(upper), planes_of(lower), strict=True):
        plane[0::2], plane[1::2] = above[0::2], below[1::2]
    return tag(woven, signal)


def black(signal: Signal) -> av.VideoFrame:
    """Return a black picture without a stamp."""
    frame = av.VideoFrame(signal.mode.width_px, signal.mode.height_px, "yuv420p")
    luma, *colours = planes_of(frame)
    luma[:] = 16
    for colour in colours:
        colour[:] = 128
    return Converter(signal).apply(tag(frame, Signal(mode=signal.mode)))
