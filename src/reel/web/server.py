"""The web process: uvicorn on the loopback, patient with no client for ever."""

import asyncio
import sys
from typing import Any

import uvicorn
from uvicorn.protocols.http.h11_impl import H11Protocol

# A request is to be there, and a page that reads nothing more is let go, after so many seconds.
REQUEST_S = 20.0
STALLED_S = 120.0
# What a page says over its WebSocket is short.
MESSAGE_BYTES = 4096


class PatientProtocol(H11Protocol):
    """HTTP with an end to waiting: for a request that does not come whole, and for a client that does not read."""

    _request_due: asyncio.TimerHandle | None = None
    _reading_due: asyncio.TimerHandle | None = None

    def connection_made(self, transport: Any) -> None:
        """Begin to wait for a request."""
        super().connection_made(transport)
        self._request_due = self.loop.call_later(REQUEST_S, self._let_go)

    def data_received(self, data: bytes) -> None:
        """Wait no more once a whole request is there; begin again when only a part of the next one is."""
        super().data_received(data)
        if self.transport.get_protocol() is not self:
            return  # it has become a WebSocket
        whole = self.cycle is not None and not self.cycle.more_body
        if whole and self._request_due is not None:
            self._request_due.cancel()
            self._request_due = None
        elif not whole and self._request_due is None:
            self._request_due = self.loop.call_later(REQUEST_S, self._let_go)

    def handle_websocket_upgrade(self, event: Any) -> None:
        """Wait for no request any more: it has become a WebSocket, whose silence is noticed by its pings."""
        if self._request_due is not None:
            self._request_due.cancel()
            self._request_due = None
        super().handle_websocket_upgrade(event)

    def pause_writing(self) -> None:
        """Wait for the client to read on."""
        super().pause_writing()
        self._reading_due = self.loop.call_later(STALLED_S, self._abort)

    def resume_writing(self) -> None:
        super().resume_writing()
        if self._reading_due is not None:
            self._reading_due.cancel()

    def connection_lost(self, exc: Exception | None) -> None:
        for due in (self._request_due, self._reading_due):
            if due is not None:
                due.cancel()
        super().connection_lost(exc)

    def _let_go(self) -> None:
        self._request_due = None
        if self.cycle is None or self.cycle.more_body or self.cycle.response_complete:
            self.transport.close()

    def _abort(self) -> None:
        self.transport.abort()


def main(port: int) -> None:
    uvicorn.run(
        "reel.web.asgi:application",
        host="127.0.0.1",
        port=port,
        http=PatientProtocol,
        ws="websockets-sansio",
        ws_max_size=MESSAGE_BYTES,
        ws_per_message_deflate=False,  # pictures are compressed already, and the rest stays on this machine
        log_level="warning",
        server_header=False,
        timeout_graceful_shutdown=1,
    )


if __name__ == "__main__":
    main(int(sys.argv[1]))
