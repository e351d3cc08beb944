"""Phone and tablet: screens that turn, show touches, lock themselves, or record black."""

import math
from collections.abc import Callable
from dataclasses import replace
from functools import lru_cache

import av
import numpy as np
from PIL import Image, ImageDraw, ImageFont

from reel.core.line import DeviceKind, Phone, Tablet, Turn
from reel.core.signal import DeviceEvent, Signal
from reel.standins.card import BarsPainter
from reel.standins.device import Painter, ScenePainter, black
from reel.standins.greenhouse import floats
from reel.standins.layers import Canvas, to_planes
from reel.standins.leaves import grains, pages
from reel.standins.panorama import Panorama
from reel.standins.scenario import Fault, Scenario, Shows

# The script of the orientation sensor: how long the device is held each way.
TURN_EVERY_S = 8
SCROLL_S = 24


class _Touched:
    """A scene with the marks of fingers on it: one that strokes, and now and then one that taps."""

    def __init__(self, scene: Panorama, width: int, height: int) -> None:
        self._scene, self._width, self._height = scene, width, height
        self._radius = min(width, height) // 22 // 2 * 2

    def draw(self, seconds: float) -> Canvas:
        """Return the picture of a moment."""
        canvas = self._scene.draw(seconds)
        x = self._width * (0.5 + 0.18 * math.sin(seconds * 1.7))
        y = self._height * (0.55 + 0.22 * math.cos(seconds * 1.7))
        self._mark(canvas, x, y)
        if seconds % 3 < 0.4:
            self._mark(canvas, self._width * 0.3, self._height * 0.3)
        return canvas

    def _mark(self, canvas: Canvas, x: float, y: float) -> None:
        radius, top, left = self._radius, int(y), int(x)
        part = canvas.y[top - radius : top + radius, left - radius : left + radius]
        grid = np.hypot(*np.mgrid[-radius:radius, -radius:radius] + 0.5)
        ring = (grid < radius) & (grid > radius * 0.72)
        part[ring] = 235
        inside = grid <= radius * 0.72
        part[inside] = part[inside] // 2 + 110


@lru_cache(maxsize=4)
def _scene(kind: DeviceKind, width: int, height: int) -> Panorama:
    if kind is DeviceKind.PHONE:
        image = pages(width, height)
        return Panorama(
            image,
            width,
            height,
            lambda s: (0, (image.height - height) * (0.5 - 0.5 * math.cos(s / SCROLL_S * 2 * math.pi))),
        )
    image = grains(width, height)
    return Panorama(
        image,
        width,
        height,
        lambda s: (width * (0.5 + 0.45 * math.sin(s * 0.31)), height * (0.5 + 0.45 * math.sin(s * 0.23 + 1))),
    )


class HandheldPainter:
    """Paints a phone's or tablet's screen as it is set, at any second; `fault_at` says what fails at one."""

    def __init__(self, device: Phone | Tablet, scenario: Scenario, fault_at: Callable[[float], Fault | None]) -> None:
        self._device, self._scenario, self._fault_at = device, scenario, fault_at
        self._painters: dict[Turn, tuple[Signal, Painter]] = {}
        self._locked: dict[Turn, av.VideoFrame] = {}

    def signal_at(self, seconds: float) -> Signal:
        """The screen's size as it is held at that moment."""
        return self._held(self._turn_at(seconds))[0]

    def is_stamped(self, seconds: float) -> bool:
        """Not when it records black or is locked."""
        return not self._is_black(seconds) and not self._is_locked(seconds)

    def event_at(self, seconds: float) -> DeviceEvent | None:
        return DeviceEvent.LOCKED if self._is_locked(seconds) else None

    def paint(self, seconds: float) -> av.VideoFrame:
        turn = self._turn_at(seconds)
        signal, painter = self._held(turn)
        if self._is_locked(seconds):
            if turn not in self._locked:
                self._locked[turn] = ScenePainter(_LockScreen(signal), signal).paint(0)
            return self._locked[turn]
        if self._is_black(seconds):
            return black(signal)
        return painter.paint(seconds)

    def _turn_at(self, seconds: float) -> Turn:
        if self._scenario.turns and int(seconds / TURN_EVERY_S) % 2:
            return Turn.LEFT if self._device.turn is Turn.UPRIGHT else Turn.UPRIGHT
        return self._device.turn

    def _is_black(self, seconds: float) -> bool:
        return self._fault_at(seconds) is Fault.FORBIDDEN

    def _is_locked(self, seconds: float) -> bool:
        return self._device.sleep_lock and seconds >= self._device.sleep_s

    def _held(self, turn: Turn) -> tuple[Signal, Painter]:
        if turn not in self._painters:
            signal = replace(self._device, turn=turn).signal
            self._painters[turn] = signal, self._painter(signal)
        return self._painters[turn]

    def _painter(self, signal: Signal) -> Painter:
        if self._scenario.shows is Shows.BARS:
            return BarsPainter(signal)
        width, height = signal.mode.width_px, signal.mode.height_px
        scene = _scene(self._device.kind, width, height)
        return ScenePainter(_Touched(scene, width, height) if self._device.touches else scene, signal)


class _LockScreen:
    """A dim screen that says that it is locked; nothing on it moves."""

    def __init__(self, signal: Signal) -> None:
        self._width, self._height = signal.mode.width_px, signal.mode.height_px

    def draw(self, seconds: float) -> Canvas:
        """Return the same picture at any time."""
        image = Image.new("RGB", (self._width, self._height), (18, 20, 24))
        font = ImageFont.load_default(size=min(self._width, self._height) / 11)
        middle = (self._width / 2, self._height / 2)
        ImageDraw.Draw(image).text(middle, "Locked", fill=(150, 154, 160), font=font, anchor="mm")
        canvas = Canvas.of(self._width, self._height)
        for plane, drawn in zip((canvas.y, canvas.u, canvas.v), to_planes(floats(image)), strict=True):
            plane[:] = drawn
        return canvas
