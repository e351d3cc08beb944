"""Showing: the newest framed picture of each watched rig as JPEG, its sound, and the status, to whoever subscribes."""

import threading
import time
from collections import Counter, deque
from collections.abc import Callable
from pathlib import Path

import av
import numpy as np
import zmq

from reel.core.media import JpegEncoder
from reel.core.signal import FloatArray, SoundFormat
from reel.core.wire import to_json
from reel.recorder.guard import attempt, guarded
from reel.recorder.messages import MIX, PICTURE_TOPIC, SOUND_TOPIC, STATUS_TOPIC, Status
from reel.recorder.rig.listening import Choice
from reel.recorder.run_files import BROADCAST

PICTURE_WIDTH_PX = 960
PICTURES_PER_S = 15
STATUSES_PER_S = 20
STOP_S = 2.0
# Blocks of sound that wait to be sent; older ones go.
MAX_BLOCKS = 64


class Broadcast:
    """One thread that sends `status` STATUSES_PER_S times a second and pictures at most PICTURES_PER_S times a second.

    A picture that it can't keep up with is replaced by the next one. It keeps the normal priority: a thread that holds
    the interpreter's lock while the system lets others go first would stop the recording too.
    """

    def __init__(self, context: zmq.Context[zmq.Socket[bytes]], run_folder: Path) -> None:
        self._socket = context.socket(zmq.XPUB)
        self._socket.setsockopt(zmq.XPUB_VERBOSER, 1)
        self._socket.setsockopt(zmq.SNDHWM, 4)
        self._socket.setsockopt(zmq.LINGER, 0)
        self._socket.bind(f"ipc://{run_folder / BROADCAST}")
        self._watchers: Counter[bytes] = Counter()
        self._newest: dict[int, tuple[av.VideoFrame, int]] = {}
        self._encoders: dict[int, JpegEncoder] = {}
        self._sounds: deque[tuple[bytes, FloatArray, int, SoundFormat]] = deque(maxlen=MAX_BLOCKS)
        self._stop = threading.Event()
        self._status: Callable[[], Status] = Status
        self._thread = guarded("Showing", self._run, lambda error: None)

    def start(self, status: Callable[[], Status]) -> None:
        """Begin to send; `status` is asked for what to say."""
        self._status = status
        self._thread.start()

    def stop(self) -> None:
        """End the thread and close the socket."""
        self._stop.set()
        self._thread.join(STOP_S)

    def watched(self, rig_id: int) -> bool:
        """Return whether somebody watches a rig."""
        return self._watchers[_topic(rig_id)] > 0

    def wanted(self, rig_id: int) -> bool:
        """Return whether somebody watches a rig and its last picture has been taken up."""
        return self.watched(rig_id) and rig_id not in self._newest

    def show(self, rig_id: int, frame: av.VideoFrame) -> None:
        """Set the newest picture of a rig; never waits."""
        self._newest[rig_id] = (frame, time.monotonic_ns())

    def listened(self, rig_id: int) -> frozenset[Choice]:
        """Say what of a rig somebody listens to."""
        begin = SOUND_TOPIC + b"%d/" % rig_id
        heard = [topic for topic, count in list(self._watchers.items()) if count > 0 and topic.startswith(begin)]
        asked = [topic.removeprefix(begin).decode(errors="replace") for topic in heard]
        return frozenset(None if what == MIX else int(what) for what in asked if what == MIX or what.isdecimal())

    def sound(self, rig_id: int, choice: Choice, data: FloatArray, at_ns: int, comes: SoundFormat) -> None:
        """Have a block of sound sent: float32 (channels, samples), heard from `at_ns` on; never waits."""
        topic = SOUND_TOPIC + f"{rig_id}/{MIX if choice is None else choice}".encode()
        self._sounds.append((topic, data, at_ns, comes))

    def forget(self, rig_id: int) -> None:
        """Keep nothing of a rig that was closed."""
        self._newest.pop(rig_id, None)
        self._encoders.pop(rig_id, None)

    def _run(self) -> None:
        """Send until stopped. What fails is logged and left out; a page without a status says that none comes."""
        turn = 0
        while not self._stop.wait(1 / (PICTURES_PER_S * 2)):
            turn += 1
            attempt("Reading who watches", self._read_subscriptions)
            attempt("Sending sound", self._send_sounds)
            if turn * STATUSES_PER_S % (PICTURES_PER_S * 2) < STATUSES_PER_S:
                attempt("Saying how things stand", self._send_status)
            if turn % 2 == 0:
                attempt("Showing a picture", self._send_pictures)
        self._socket.close()

    def _send_status(self) -> None:
        self._socket.send_multipart([STATUS_TOPIC, to_json(self._status())])

    def _send_sounds(self) -> None:
        while self._sounds:
            topic, data, at_ns, comes = self._sounds.popleft()
            samples = (np.clip(data, -1, 1).T * 32767).astype("<i2")
            self._socket.send_multipart([topic, samples.tobytes(), to_json((at_ns, comes.rate_hz, comes.channels))])

    def _send_pictures(self) -> None:
        for rig_id in list(self._newest):
            newest = self._newest.pop(rig_id, None)
            if newest is None:
                continue
            frame, composed_ns = newest
            encoder = self._encoders.setdefault(rig_id, JpegEncoder(PICTURE_WIDTH_PX))
            self._socket.send_multipart([_topic(rig_id), encoder.encode(frame), str(composed_ns).encode()])

    def _read_subscriptions(self) -> None:
        while True:
            try:
                message = self._socket.recv(zmq.NOBLOCK)
            except zmq.Again:
                return
            self._watchers[message[1:]] += 1 if message[0] else -1


def _topic(rig_id: int) -> bytes:
    return PICTURE_TOPIC + str(rig_id).encode()
