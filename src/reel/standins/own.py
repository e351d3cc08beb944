"""A device that records by itself: told to start and stop, it encodes its own picture onto its own storage."""

import threading
from collections.abc import Callable, Iterator
from dataclasses import replace
from fractions import Fraction
from pathlib import Path

import av

from reel.core.errors import ReelError
from reel.core.file import FilePlan
from reel.core.line import DeviceKind, Simulated
from reel.core.line.device import Device, Eye
from reel.core.line.own_settings import OwnSettings, OwnSound
from reel.core.media import DriftResampler, MediaError, PartWriter, planes_of
from reel.core.signal import NS, Input, InputError, Picture, Samples, Signal
from reel.standins.devices import stand_in
from reel.standins.microphone import listen
from reel.standins.planes import Converter
from reel.standins.rig import REFUSALS, Assembled
from reel.standins.scenario import Fault, Scenario
from reel.standins.trouble import Trouble

# The part of each side that steadying gives up.
STEADY_PART = Fraction(1, 20)
# What is left of each side when a device records smaller than it is set to.
SMALLER_PART = Fraction(3, 4)


class RecordingDevice:
    """Records the picture of `device` into `path` by `plan` until it is stopped or its limit is reached. Used once.

    `now_ns` and `wait` (for some seconds) are its clock; without `wait` it waits in real time. It begins at
    `begins_ns`, after its countdown; one that is stopped before `is_called_off` and leaves no file. `is_at_limit` says
    that it stopped by itself, as it was set.
    """

    def __init__(
        self,
        device: Device,
        scenario: Scenario,
        settings: OwnSettings,
        path: Path,
        plan: FilePlan,
        *,
        now_ns: Callable[[], int],
        wait: Callable[[float], object] | None = None,
    ) -> None:
        self._device, self._scenario = device, scenario
        self._settings, self._path, self._plan = settings, path, _made(plan, scenario)
        self.now_ns = now_ns
        self._converter = Converter(Signal(mode=self._plan.frame))
        self._stop = threading.Event()
        self._wait = wait or self._stop.wait
        self._thread = threading.Thread(target=self._record, name="device's own recorder", daemon=True)
        self.begins_ns = 0
        self.pictures = 0
        self.is_at_limit = self.is_called_off = False
        self.error: ReelError | None = None

    @property
    def limit_ns(self) -> int:
        """After how long it stops by itself; 0 for once its storage is full."""
        return self._settings.limit_s * NS

    @property
    def has_stopped(self) -> bool:
        return self._thread.ident is not None and not self._thread.is_alive()

    def start(self) -> None:
        self.begins_ns = self.now_ns() + self._settings.countdown_s * NS
        self._thread.start()

    def check(self) -> None:
        """Raise InputError when it can't be told to start: it is not paired with this computer, or has no room."""
        name, fault = f"The {self._device.facts.label.lower()}", self._scenario.fault
        if self._scenario.from_s or fault is None:
            return
        if fault is Fault.FULL:
            raise InputError(name, "has no room left on its storage")
        if fault in REFUSALS:
            reason, needs = REFUSALS[fault]
            raise InputError(name, reason, needs=needs)

    def stop(self) -> None:
        """Press its button again, and wait until its file is closed."""
        self._stop.set()
        self._thread.join()

    def _record(self) -> None:
        try:
            self._wait(self._settings.countdown_s)
            self.is_called_off = self._stop.is_set()
            if self.is_called_off:
                return
            with PartWriter(self._path, self._plan) as writer:
                self._write_all(writer, self.now_ns())
        except ReelError as error:
            self.error = error
        except Exception as error:  # a device that fails stops, and says so
            self.error = MediaError(self._path, f"was ended by the device ({error or type(error).__name__})")

    def _write_all(self, writer: PartWriter, start_ns: int) -> None:
        """Write what its screen shows, and what it and its microphone hear, until it is stopped."""
        trouble = Trouble.opened_at(self._scenario, start_ns)
        steadied = self._settings.steadied
        screen = Assembled(stand_in(self._device, self._scenario, start_ns=start_ns, is_steadied=steadied))
        inputs = [screen, *self._microphone(start_ns, trouble)]
        heard = inputs[1:] if self._settings.sound is OwnSound.MICROPHONE else inputs
        kept = heard[: len(self._plan.tracks)]
        sounds = [DriftResampler(one.sound, self._plan.recipe.sound) for one in kept if one.sound is not None]
        while not self._stop.is_set() and screen.due_ns() is not None:
            due = [(one.due_ns() or 0, place) for place, one in enumerate(inputs)]
            due_ns, place = min(due)
            if self.limit_ns and due_ns - start_ns >= self.limit_ns:
                self.is_at_limit = True
                break
            self._wait(max(0.0, (due_ns - self.now_ns()) / NS))
            if trouble.at(due_ns) is Fault.FULL:
                self.error = MediaError(self._path, "was ended by the device: its storage is full")
                break
            source = inputs[place]
            item = source.read(max(due_ns, self.now_ns()))
            if isinstance(item, Picture):
                self._write(writer, item, start_ns)
            elif isinstance(item, Samples) and source in kept and source.sound is not None:
                track = kept.index(source)
                position = round((item.at_ns - start_ns) * Fraction(source.sound.rate_hz, NS))
                for _, data in sounds[track].feed(item.data, position):
                    writer.write_samples(track, data)
        for track, sound in enumerate(sounds):
            for _, data in sound.drain():
                writer.write_samples(track, data)

    def _microphone(self, start_ns: int, trouble: Trouble) -> Iterator[Input]:
        """Yield its microphone, where that is recorded."""
        if self._settings.sound in (OwnSound.MICROPHONE, OwnSound.BOTH):
            origin = Simulated(device="Microphone")
            yield listen(DeviceKind.MICROPHONE, origin, self._scenario, start_ns=start_ns, trouble=trouble)

    def _write(self, writer: PartWriter, picture: Picture, start_ns: int) -> None:
        tick = round((picture.at_ns - start_ns) * self._plan.frame.rate / NS)
        while self.pictures <= tick:  # a fixed rate: a picture that was left out is made up by the next
            writer.write_picture(self._converter.apply(self._seen(picture.frame)), self.pictures)
            self.pictures += 1

    def _seen(self, frame: av.VideoFrame) -> av.VideoFrame:
        """Crop to the eye and the shape that it records, and to what steadying leaves of it."""
        left, width = 0, frame.width
        if self._device.shown_eye is not None:
            width = frame.width // 2
            left = width if self._device.shown_eye is Eye.RIGHT else 0
        across, down = self._settings.shape.part_of(width, frame.height)
        left, top = left + (width - across) // 4 * 2, (frame.height - down) // 4 * 2
        edge = int(across * STEADY_PART) // 2 * 2 if self._settings.steadied else 0
        if (across, down, edge) == (frame.width, frame.height, 0):
            return frame
        return _crop(frame, left + edge, top + edge, across - 2 * edge, down - 2 * edge)


def _made(plan: FilePlan, scenario: Scenario) -> FilePlan:
    """Return what it makes of what was asked of it."""
    if scenario.fault is not Fault.SMALLER:
        return plan
    width, height = (int(side * SMALLER_PART) // 2 * 2 for side in (plan.frame.width_px, plan.frame.height_px))
    return replace(plan, frame=replace(plan.frame, width_px=width, height_px=height))


def _crop(frame: av.VideoFrame, left: int, top: int, width: int, height: int) -> av.VideoFrame:
    """Return a part of a 4:2:0 frame; all sides even."""
    part = av.VideoFrame(width, height, frame.format.name)
    for place, (view, plane) in enumerate(zip(planes_of(part), planes_of(frame), strict=True)):
        shift = 1 if place else 0
        view[:] = plane[top >> shift : (top + height) >> shift, left >> shift : (left + width) >> shift]
    part.colorspace, part.color_range = frame.colorspace, frame.color_range
    return part
