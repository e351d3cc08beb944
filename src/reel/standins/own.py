"""A device that records by itself: told to start and stop, it encodes its own picture onto its own storage."""

import threading
from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import av

from reel.core.errors import ReelError
from reel.core.file import FilePlan
from reel.core.line.device import Device, Eye
from reel.core.line.own import RecordOption
from reel.core.media import DriftResampler, MediaError, PartWriter, planes_of
from reel.core.signal import NS, InputError, Picture, Samples, Signal
from reel.standins.devices import stand_in
from reel.standins.planes import Converter
from reel.standins.rig import Assembled
from reel.standins.scenario import Fault, Scenario

# The part of each side that steadying gives up.
STEADY_PART = Fraction(1, 20)


class RecordingDevice:
    """Records the picture of `device` into `path` by `plan` until it is stopped or `max_s` have passed. Used once.

    `now_ns` and `wait` (for some seconds) are its clock; without `wait` it waits in real time.
    """

    def __init__(
        self,
        device: Device,
        scenario: Scenario,
        option: RecordOption,
        path: Path,
        plan: FilePlan,
        *,
        now_ns: Callable[[], int],
        wait: Callable[[float], object] | None = None,
        max_s: int | None = None,
    ) -> None:
        self._device, self._scenario = device, scenario
        self._option, self._path, self._plan = option, path, plan
        self._now_ns, self._max_s = now_ns, max_s
        self._converter = Converter(Signal(mode=plan.frame))
        self._stop = threading.Event()
        self._wait = wait or self._stop.wait
        self._thread = threading.Thread(target=self._record, name="device's own recorder", daemon=True)
        self.pictures = 0
        self.error: ReelError | None = None

    @property
    def has_stopped(self) -> bool:
        return self._thread.ident is not None and not self._thread.is_alive()

    def start(self) -> None:
        self._thread.start()

    def check(self) -> None:
        """Raise InputError when it can't be told to start: it is not paired with this computer."""
        if self._scenario.fault is Fault.NOT_PAIRED:
            name = f"The {self._device.facts.label.lower()}"
            raise InputError(name, "is not paired with this computer: type the code that it shows")

    def stop(self) -> None:
        """Press its button again, and wait until its file is closed."""
        self._stop.set()
        self._thread.join()

    def _record(self) -> None:
        start_ns = self._now_ns()
        chain = Assembled(stand_in(self._device, self._scenario, start_ns=start_ns, is_steadied=self._option.steadied))
        try:
            sound = DriftResampler(chain.sound, self._plan.recipe.sound)
            with PartWriter(self._path, self._plan) as writer:
                while not self._stop.is_set() and (due_ns := chain.due_ns()) is not None:
                    if self._max_s is not None and due_ns - start_ns >= self._max_s * NS:
                        break
                    self._wait(max(0.0, (due_ns - self._now_ns()) / NS))
                    item = chain.read(max(due_ns, self._now_ns()))
                    if isinstance(item, Picture):
                        self._write(writer, item, start_ns)
                    elif isinstance(item, Samples):
                        position = round((item.at_ns - start_ns) * Fraction(chain.sound.rate_hz, NS))
                        for _, data in sound.feed(item.data, position):
                            writer.write_samples(0, data)
                for _, data in sound.drain():
                    writer.write_samples(0, data)
        except ReelError as error:
            self.error = error
        except Exception as error:  # a device that fails stops, and says so
            self.error = MediaError(self._path, f"was ended by the device ({error or type(error).__name__})")

    def _write(self, writer: PartWriter, picture: Picture, start_ns: int) -> None:
        tick = round((picture.at_ns - start_ns) * self._plan.frame.rate / NS)
        while self.pictures <= tick:  # a fixed rate: a picture that was left out is made up by the next
            writer.write_picture(self._converter.apply(self._seen(picture.frame)), self.pictures)
            self.pictures += 1

    def _seen(self, frame: av.VideoFrame) -> av.VideoFrame:
        """Cut out the eye that it records, and what steadying leaves of it."""
        left, width = 0, frame.width
        if self._device.shown_eye is not None:
            width = frame.width // 2
            left = width if self._device.shown_eye is Eye.RIGHT else 0
        edge = int(width * STEADY_PART) // 2 * 2 if self._option.steadied else 0
        if left == 0 and width == frame.width and not edge:
            return frame
        return _cut(frame, left + edge, edge, width - 2 * edge, frame.height - 2 * edge)


def _cut(frame: av.VideoFrame, left: int, top: int, width: int, height: int) -> av.VideoFrame:
    """Return a part of a 4:2:0 frame; all sides even."""
    part = av.VideoFrame(width, height, frame.format.name)
    for place, (view, plane) in enumerate(zip(planes_of(part), planes_of(frame), strict=True)):
        shift = 1 if place else 0
        view[:] = plane[top >> shift : (top + height) >> shift, left >> shift : (left + width) >> shift]
    part.colorspace, part.color_range = frame.colorspace, frame.color_range
    return part
