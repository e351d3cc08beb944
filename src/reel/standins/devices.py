"""The devices of Fernhollow's media room, from their setups."""

from collections.abc import Callable
from dataclasses import replace

from reel.core.line import Device, DeviceKind, Headset, Phone, Tablet
from reel.core.signal import NS, Mode, Signal
from reel.standins.ambience import ambience_at
from reel.standins.card import BarsPainter
from reel.standins.device import Painter, Scene, ScenePainter, StandIn
from reel.standins.greenhouse import greenhouse_scene
from reel.standins.handheld import HandheldPainter
from reel.standins.headset import canopy_scene
from reel.standins.leaves import bench
from reel.standins.moss import moss_scene
from reel.standins.panorama import Panorama
from reel.standins.room import Claps
from reel.standins.scenario import Fault, Scenario, Shows
from reel.standins.tape import SOUND_PPM, damage, opening_day
from reel.standins.trouble import Trouble


def stand_in(
    device: Device,
    scenario: Scenario,
    *,
    start_ns: int,
    trouble: Trouble | None = None,
    is_steadied: bool = False,
    claps: Claps | None = None,
) -> StandIn:
    """Switch a device on at `start_ns`; it is not a feed. `is_steadied` takes a headset's jitter out.

    `trouble` is what fails; None for what its scenario says. A camera sees and hears who `claps` in the room.
    """
    trouble = trouble or Trouble.opened_at(scenario, start_ns)
    is_deck = device.kind is DeviceKind.DECK
    return StandIn(
        f"The {device.facts.label.lower()}",
        _painter(device, scenario, lambda seconds: trouble.at(start_ns + round(seconds * NS)), is_steadied=is_steadied),
        sound=ambience_at,
        start_ns=start_ns,
        drift_ppm=scenario.drift_ppm,
        sound_ppm=SOUND_PPM if is_deck else 0,
        length_s=scenario.tape_s if is_deck else None,
        views=2 if device.kind is DeviceKind.HEADSET else 1,
        damage=damage if is_deck else None,
        lag_ns=scenario.lag_ns,
        claps=claps if device.kind is DeviceKind.CAMERA else None,
    )


def greenhouse_camera(mode: Mode, *, start_ns: int) -> StandIn:
    """Switch the camera in the palm house on; it hears the same drops."""
    painter = ScenePainter(greenhouse_scene(mode.width_px, mode.height_px), Signal(mode=mode))
    return StandIn("The greenhouse camera", painter, sound=ambience_at, start_ns=start_ns)


def _painter(
    device: Device, scenario: Scenario, fault_at: Callable[[float], Fault | None], *, is_steadied: bool
) -> Painter:
    if isinstance(device, Phone | Tablet):
        return HandheldPainter(device, scenario, fault_at)
    signal = device.signal
    assert signal is not None
    if device.kind is DeviceKind.CAMERA:  # what is drawn is planar; the camera packs it when it hands it over
        signal = replace(signal, pixels="yuv422p")
    if scenario.shows is Shows.BARS:
        return BarsPainter(signal)
    if isinstance(device, Headset):
        canopy = canopy_scene(signal.mode.width_px, signal.mode.height_px, device.pointer, is_steadied)
        return ScenePainter(canopy, signal)
    return ScenePainter(_SCENES[device.kind](signal.mode), signal)


def _potting_bench(mode: Mode) -> Scene:
    width, height = mode.width_px, mode.height_px
    image = bench(width, height)
    room_x, room_y = image.width - width, image.height - height
    return Panorama(image, width, height, lambda s: (room_x * (0.5 + 0.5 * (s % 7 - 3.5) / 7), room_y * (s % 5) / 5))


_SCENES: dict[DeviceKind, Callable[[Mode], Scene]] = {
    DeviceKind.CONSOLE: lambda mode: moss_scene(mode.width_px, mode.height_px),
    DeviceKind.DECK: lambda mode: opening_day(mode.width_px, mode.height_px),
    DeviceKind.CAMERA: _potting_bench,
}
