"""The web process's patience: it waits for no request for ever, and lets a WebSocket stay."""

import asyncio
import contextlib
import socket
import threading
import time
import unittest
from unittest.mock import patch

import uvicorn
from websockets.sync.client import connect

from reel.web import server

PATIENCE_S = 0.3


async def echo(scope, receive, send):
    """Accept a WebSocket and send back what comes."""
    if scope["type"] != "websocket":
        return
    await receive()
    await send({"type": "websocket.accept"})
    while (event := await receive())["type"] == "websocket.receive":
        await send({"type": "websocket.send", "text": event["text"]})


class PatienceTests(unittest.TestCase):
    tags = frozenset({"live"})

    def setUp(self):
        self.enterContext(patch.object(server, "REQUEST_S", PATIENCE_S))
        config = uvicorn.Config(
            echo, http=server.PatientProtocol, ws="websockets-sansio", lifespan="off", log_level="error"
        )
        running = uvicorn.Server(config)
        listening = self.enterContext(contextlib.closing(socket.create_server(("127.0.0.1", 0))))
        self.address = listening.getsockname()
        thread = threading.Thread(target=lambda: asyncio.run(running.serve([listening])))
        thread.start()
        self.addCleanup(thread.join)
        self.addCleanup(setattr, running, "should_exit", True)

    def test_a_websocket_stays_however_long_it_was_since_its_request(self):
        with connect("ws://{}:{}".format(*self.address)) as page:
            for said in ("at once", "long after"):
                page.send(said)
                self.assertEqual(page.recv(timeout=60), said)
                time.sleep(3 * PATIENCE_S)

    def test_who_never_asks_is_let_go(self):
        for begun in (b"", b"GET / HT"):
            with socket.create_connection(self.address, timeout=60) as caller:
                caller.sendall(begun)
                self.assertEqual(caller.recv(1), b"")
