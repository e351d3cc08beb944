"""Talking to the recorder from another process."""

from collections.abc import AsyncIterator
from contextlib import suppress
from pathlib import Path

import zmq
import zmq.asyncio

from reel.core.signal import SoundFormat
from reel.core.wire import from_json, to_json
from reel.recorder.messages import (
    PICTURE_TOPIC,
    SOUND_TOPIC,
    STATUS_TOPIC,
    Cut,
    Done,
    NotNowError,
    Refused,
    RefusedError,
    Request,
    StartRoll,
    Status,
    TakeSample,
    UnreachableError,
)
from reel.recorder.run_files import BROADCAST, REQUESTS

# How long an answer may take: opening a device before it rolls, and closing a file, take their time, and more where the
# encoder is behind.
ANSWER_MS = 8_000
SLOW_MS = {StartRoll: 20_000, Cut: 30_000, TakeSample: 20_000}


class Client:
    """Asks the recorder whose sockets lie in `run_folder`. May be used from any thread."""

    def __init__(self, run_folder: Path) -> None:
        self._run_folder = run_folder

    def ask(self, request: Request, *, timeout_ms: int | None = None) -> Done:
        """Send a request and give the answer; raises RefusedError, or UnreachableError after `timeout_ms`.

        None waits as long as such a request may take.
        """
        address = self._run_folder / REQUESTS
        if not address.exists():
            raise UnreachableError
        context: zmq.Context[zmq.Socket[bytes]] = zmq.Context.instance()
        with context.socket(zmq.REQ) as socket:
            socket.setsockopt(zmq.LINGER, 0)
            socket.connect(f"ipc://{address}")
            socket.send_multipart([type(request).__name__.encode(), to_json(request)])
            if not socket.poll(timeout_ms or SLOW_MS.get(type(request), ANSWER_MS)):
                raise UnreachableError
            verdict, body = socket.recv_multipart()
        if verdict == b"Done":
            return from_json(body, Done)
        refused = from_json(body, Refused)
        raise (NotNowError if refused.not_now else RefusedError)(refused.reason)

    async def statuses(self, *, silence_ms: int) -> AsyncIterator[Status | None]:
        """Return each status as it comes; None whenever the recorder has been silent for `silence_ms`."""
        async for parts in self._listen(STATUS_TOPIC, silence_ms):
            yield from_json(parts[1], Status) if parts else None

    async def pictures(self, rig_id: int, *, silence_ms: int) -> AsyncIterator[tuple[bytes, int] | None]:
        """Return the newest pictures of a rig as JPEG, with the monotonic nanosecond at which each was composed.

        None whenever none came for `silence_ms`.
        """
        async for parts in self._listen(PICTURE_TOPIC + str(rig_id).encode(), silence_ms):
            yield (parts[1], int(parts[2])) if parts else None

    async def sounds(
        self, rig_id: int, what: str, *, silence_ms: int
    ) -> AsyncIterator[tuple[bytes, int, SoundFormat] | None]:
        """Return what is heard of a rig, MIX or one input by its place, block by block: 16-bit samples, interleaved.

        With each comes the monotonic nanosecond of its first sample, and its format. None whenever none came for
        `silence_ms`.
        """
        async for parts in self._listen(SOUND_TOPIC + f"{rig_id}/{what}".encode(), silence_ms, every=True):
            if parts is None:
                yield None
            else:
                at_ns, rate_hz, channels = from_json(parts[2], tuple[int, int, int])
                yield parts[1], at_ns, SoundFormat(rate_hz=rate_hz, channels=channels)

    async def _listen(self, topic: bytes, silence_ms: int, *, every: bool = False) -> AsyncIterator[list[bytes] | None]:
        with zmq.asyncio.Context.instance().socket(zmq.SUB) as socket:
            socket.setsockopt(zmq.LINGER, 0)
            socket.setsockopt(zmq.RCVHWM, 64 if every else 2)
            socket.setsockopt(zmq.SUBSCRIBE, topic)
            socket.connect(f"ipc://{self._run_folder / BROADCAST}")
            while True:
                if not await socket.poll(silence_ms):
                    yield None
                    continue
                newest = await socket.recv_multipart()
                with suppress(zmq.Again):
                    while not every:
                        newest = await socket.recv_multipart(zmq.NOBLOCK)
                if newest[0] == topic:
                    yield newest
