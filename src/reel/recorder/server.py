"""The recorder process: its sockets and its life."""

import logging
import threading
from pathlib import Path

import zmq

from reel.core.errors import ReelError
from reel.core.media import Shelf
from reel.core.wire import from_json, to_json
from reel.recorder.clock import RealClock
from reel.recorder.journal import Journal
from reel.recorder.messages import REQUEST_KINDS, REQUESTS, Refused, RefusedError
from reel.recorder.screen import Broadcast
from reel.recorder.service import Recorder

log = logging.getLogger(__name__)
POLL_MS = 250


def serve(
    *,
    run_folder: Path,
    shelf: Path,
    feeds: Path,
    devices: Path,
    journal: Journal,
    stop: threading.Event,
    reserve_bytes: int = 0,
) -> None:
    """Answer requests until `stop` is set; then cut what rolls and return.

    `run_folder` must be private (0700); `devices` is the storage of stand-ins that record by themselves. A roll leaves
    `reserve_bytes` free on the shelf's drive.
    """
    context: zmq.Context[zmq.Socket[bytes]] = zmq.Context()
    screen = Broadcast(context, run_folder)
    recorder = Recorder(
        clock=RealClock(),
        shelf=Shelf(shelf),
        feeds=feeds,
        devices=devices,
        journal=journal,
        screen=screen,
        reserve_bytes=reserve_bytes,
    )
    screen.start(recorder.status)
    requests = context.socket(zmq.REP)
    requests.setsockopt(zmq.LINGER, 0)
    requests.bind(f"ipc://{run_folder / REQUESTS}")
    try:
        while not stop.is_set():
            recorder.look_after()
            if requests.poll(POLL_MS):
                requests.send_multipart(_reply(recorder, requests.recv_multipart()))
    finally:
        recorder.shut_down()
        screen.stop()
        requests.close()
        context.term()


def _reply(recorder: Recorder, parts: list[bytes]) -> list[bytes]:
    """Answer one request: [kind, JSON] gives [b"Done" or b"Refused", JSON]. Nothing that is sent ends the recorder."""
    try:
        kind = REQUEST_KINDS.get(parts[0].decode(errors="replace")) if len(parts) == 2 else None
        if kind is None:
            raise RefusedError("The recorder was asked for something that it does not know.")
        return [b"Done", to_json(recorder.answer(from_json(parts[1], kind)))]
    except ReelError as error:
        return [b"Refused", to_json(Refused(reason=str(error)))]
    except Exception:
        log.exception("a request failed")
        return [b"Refused", to_json(Refused(reason="The recorder failed at this; its log says more."))]
