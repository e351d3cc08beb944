"""The recorder process: its sockets and its life."""

import queue
import sys
import threading
from contextlib import suppress
from pathlib import Path

import zmq

from reel.core.media import OverlayAssets, Shelf
from reel.core.memory import share_heaps
from reel.core.wire import from_json, to_json
from reel.recorder.clock import RealClock
from reel.recorder.guard import attempt, guarded, said
from reel.recorder.journal import Journal
from reel.recorder.messages import REQUEST_KINDS, NotNowError, Refused, RefusedError
from reel.recorder.recording.encoder_queue import QUEUE_BYTES
from reel.recorder.run_files import CLOSING, REQUESTS
from reel.recorder.service.broadcast import Broadcast
from reel.recorder.service.checkpoints import Reached
from reel.recorder.service.recorder import Recorder

POLL_MS = 100
# Many threads read, each in short steps: what one waits for the interpreter, its pictures come late.
SWITCH_S = 0.0005
# Requests that may be answered at once: rolling and cutting take their time, and nothing else waits for them.
ANSWERERS = 6
_INSIDE = "inproc://answerers"

Context = zmq.Context[zmq.Socket[bytes]]
# Requests that nobody answers yet, each with who asks before it.
Asked = queue.SimpleQueue[list[bytes]]


def serve(
    *,
    run_folder: Path,
    shelf: Path,
    feeds: Path,
    devices: Path,
    assets: OverlayAssets | None = None,
    journal: Journal,
    stop: threading.Event,
    reserve_bytes: int = 0,
    queue_bytes: int = QUEUE_BYTES,
) -> None:
    """Answer requests until `stop` is set; then cut what rolls and return. The caller holds the home's lock.

    `run_folder` must be private (0700); `devices` is the storage of stand-ins that record by themselves,
    `assets` what captions and images are drawn from. A roll leaves
    `reserve_bytes` free on the shelf's drive; `queue_bytes` of its pictures may wait to be encoded.
    """
    share_heaps()
    sys.setswitchinterval(SWITCH_S)
    context: Context = zmq.Context()
    screen = Broadcast(context, run_folder)
    recorder = Recorder(
        clock=RealClock(),
        shelf=Shelf(shelf),
        feeds=feeds,
        devices=devices,
        assets=assets or OverlayAssets(),
        journal=journal,
        screen=screen,
        reserve_bytes=reserve_bytes,
        queue_bytes=queue_bytes,
        reached=Reached(run_folder),
    )
    screen.start(recorder.status)
    ended = threading.Event()
    asked: Asked = queue.SimpleQueue()
    answerers = [_answerer(context, recorder, asked, ended) for _ in range(ANSWERERS)]
    try:
        _pass_on(context, run_folder, recorder, asked, stop)
    finally:
        attempt("Ending the recorder", lambda: recorder.shut_down(lambda said: _note(run_folder / CLOSING, said)))
        attempt("Having ended", lambda: (run_folder / CLOSING).unlink(missing_ok=True))
        ended.set()
        screen.stop()
        for answerer in answerers:
            answerer.join(1)
        context.destroy(linger=0)


def _note(path: Path, said: str) -> None:
    path.write_text(said)


def _pass_on(context: Context, run_folder: Path, recorder: Recorder, asked: Asked, stop: threading.Event) -> None:
    """Hand requests to whichever answerer is free, and look after the recorder, until `stop` is set."""
    with context.socket(zmq.ROUTER) as outside, context.socket(zmq.PULL) as inside:
        inside.bind(_INSIDE)
        outside.bind(f"ipc://{run_folder / REQUESTS}")
        poller = zmq.Poller()
        poller.register(outside, zmq.POLLIN)
        poller.register(inside, zmq.POLLIN)
        while not stop.is_set():
            attempt("Looking after the rigs", recorder.look_after)
            for socket, _ in poller.poll(POLL_MS):
                parts = socket.recv_multipart()
                if socket is inside:
                    outside.send_multipart(parts)
                elif b"" in parts:  # it stands between who asks and what is asked
                    asked.put(parts)


def _answerer(context: Context, recorder: Recorder, asked: Asked, ended: threading.Event) -> threading.Thread:
    """Start a thread that answers until `ended`; an error costs the request it came from, and a new socket goes on."""

    def answer() -> None:
        with context.socket(zmq.PUSH) as socket:
            socket.setsockopt(zmq.LINGER, 0)
            socket.connect(_INSIDE)
            while not ended.is_set():
                with suppress(queue.Empty):
                    parts = asked.get(timeout=POLL_MS / 1000)
                    begins = parts.index(b"") + 1
                    socket.send_multipart([*parts[:begins], *_reply(recorder, parts[begins:])])

    def work() -> None:
        while not ended.is_set():
            if attempt("Answering requests", answer) is not None:
                ended.wait(POLL_MS / 1000)

    thread = guarded("Answering requests", work, lambda error: None)
    thread.start()
    return thread


def _reply(recorder: Recorder, parts: list[bytes]) -> list[bytes]:
    """Answer one request: [kind, JSON] gives [b"Done" or b"Refused", JSON]. Nothing that is sent ends the recorder."""
    try:
        kind = REQUEST_KINDS.get(parts[0].decode(errors="replace")) if len(parts) == 2 else None
        if kind is None:
            raise RefusedError("The recorder was asked for something that it does not know.")
        return [b"Done", to_json(recorder.answer(from_json(parts[1], kind)))]
    except Exception as error:
        reason = str(said("What was asked", error))
        return [b"Refused", to_json(Refused(reason=reason, not_now=isinstance(error, NotNowError)))]
