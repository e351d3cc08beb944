"""The one WebSocket of a page: how things stand, its rig's picture, and what is listened to.

From the page come texts, JSON: {"seen": whether somebody sees it, "listen": MIX, an input's place, or "" for none}. To
it go texts with the live facts, and bytes behind a letter: PICTURE, 8 bytes with the monotonic nanosecond at which it
was composed, a JPEG; or SOUND, four numbers of 4 bytes (length in bytes, age in ms, samples a second, channels), 16-bit
samples. All numbers are little-endian.
"""

import asyncio
import json
import logging
import struct
import time
import uuid
from collections.abc import Awaitable, Callable, Coroutine
from contextlib import suppress
from dataclasses import replace
from typing import Any
from urllib.parse import parse_qs

from asgiref.sync import ThreadSensitiveContext, sync_to_async
from django.conf import settings
from django.db import connection

from reel.core.errors import ReelError
from reel.recorder.messages import MIX, Leave, Open
from reel.web.live.facts import live_facts
from reel.web.live.recorder import client, rig_status
from reel.web.rigs.models import Rig
from reel.web.ui.typed import number_of

log = logging.getLogger(__name__)
KEEP_OPEN_S = 2.0
# Cutting and opening take the recorder's time: only after so long it is said not to answer.
SILENCE_MS = 4_000
# Each state costs the page a drawing: only meters need all of the recorder's twenty a second, and a page that nobody
# sees only its title.
SELDOM_S, UNSEEN_S = 0.08, 1.0
AGAIN_S = 1.0
PICTURE, SOUND = b"P", b"S"

Event = dict[str, Any]
Receive = Callable[[], Awaitable[Event]]
Send = Callable[[Event], Awaitable[None]]


async def live(scope: Event, receive: Receive, send: Send) -> None:
    """Serve a page's WebSocket (ASGI) until it leaves.

    `?rig=` is its rig, `?input=` the input that it is about; with `?desk=1` it has meters.
    """
    await receive()  # that it wants to connect
    if not _is_own(scope):
        await send({"type": "websocket.close", "code": 1008})
        return
    await send({"type": "websocket.accept"})
    asked = {name: found[0] for name, found in parse_qs(scope["query_string"].decode("ascii", "replace")).items()}
    async with ThreadSensitiveContext():
        page = LivePage(number_of(asked.get("rig", "")), number_of(asked.get("input", "")) or 0, send)
        await page.serve(receive, desk=asked.get("desk") == "1")


def _is_own(scope: Event) -> bool:
    """Return whether one of our own pages asks: a browser always says where a WebSocket comes from."""
    heads = {name: value.decode("latin-1") for name, value in scope["headers"]}
    host = heads.get(b"host", "")
    is_ours = host.rpartition(":")[0] in settings.ALLOWED_HOSTS or host in settings.ALLOWED_HOSTS
    return is_ours and heads.get(b"origin") in (None, f"http://{host}", f"https://{host}")


class Lease:
    """A page's hold on a rig. `problem` says why it can't be renewed just now, where the status does not say it.

    A rig that keeps what was before a press is held also while nobody sees the page.
    """

    def __init__(self, rig_id: int) -> None:
        self._rig_id, self._viewer = rig_id, uuid.uuid4().hex
        self._is_needed, self._is_held = True, False
        self._changed = asyncio.Event()
        self.problem = ""

    def need(self, *, is_needed: bool) -> None:
        if is_needed is not self._is_needed:
            self._is_needed = is_needed
            self._changed.set()

    async def keep(self) -> None:
        """Renew it until cancelled, whatever fails meanwhile; then say that this page has left."""
        try:
            while True:
                try:
                    await self._renew()
                    self.problem = ""
                except Exception as error:
                    if not isinstance(error, ReelError):  # what Reel raises is in the next status
                        self.problem = f"This rig can't be kept open just now ({error}). That is tried again by itself."
                        log.exception("Keeping rig %s open failed", self._rig_id)
                with suppress(TimeoutError):
                    await asyncio.wait_for(self._changed.wait(), KEEP_OPEN_S)
                self._changed.clear()
        finally:
            if self._is_held:
                with suppress(ReelError):
                    await asyncio.shield(self._leave())

    async def _renew(self) -> None:
        opening = await sync_to_async(opening_of)(self._rig_id)
        if opening is not None and (self._is_needed or opening.setup.roll.reach_back_s):
            self._is_held = True
            await asyncio.to_thread(client().ask, replace(opening, viewer=self._viewer))
        elif self._is_held:
            await self._leave()

    async def _leave(self) -> None:
        self._is_held = False
        await asyncio.to_thread(client().ask, Leave(rig_id=self._rig_id, viewer=self._viewer))


def opening_of(rig_id: int) -> Open | None:
    """Return what opens a rig as it is stored; None for one that is gone, or must not be opened yet."""
    try:
        rig = Rig.objects.filter(pk=rig_id).first()
        return rig.opening if rig is not None and rig.is_asked else None
    finally:
        connection.close()  # no request ends here that would do so


class LivePage:
    """What goes to one page, each kind by a task of its own; a picture that can't be sent in time is left out."""

    def __init__(self, rig_id: int | None, place: int, send: Send) -> None:
        self._rig_id, self._place, self._send_event = rig_id, place, send
        self._sending = asyncio.Lock()
        self._lease = Lease(rig_id) if rig_id is not None else None
        self._tasks: dict[str, asyncio.Task[None]] = {}
        self._is_seen, self._listens = True, ""

    async def serve(self, receive: Receive, *, desk: bool) -> None:
        self._tasks["state"] = asyncio.create_task(self._again(lambda: self._states(desk=desk)))
        if self._lease is not None:
            self._tasks["lease"] = asyncio.create_task(self._lease.keep())
        try:
            self._arrange()
            while (event := await receive())["type"] != "websocket.disconnect":
                self._take(event.get("text") or "")
        finally:
            tasks = list(self._tasks.values())
            for task in tasks:
                task.cancel()
            await asyncio.gather(*tasks, return_exceptions=True)

    def _take(self, text: str) -> None:
        """Take what the page says; what is no such thing is left out."""
        with suppress(ValueError, AttributeError):
            said = json.loads(text)
            listens = str(said.get("listen", ""))
            self._is_seen = bool(said.get("seen", True))
            self._listens = listens if listens == MIX or (listens.isdecimal() and len(listens) < 3) else ""
            self._arrange()

    def _arrange(self) -> None:
        """Have what is wanted run, and end the rest."""
        has_rig = self._rig_id is not None
        listens = self._listens if has_rig else ""
        self._run("picture", "on" if has_rig and self._is_seen else "", self._pictures)
        self._run("sound", listens, lambda: self._sounds(listens))
        if self._lease is not None:
            self._lease.need(is_needed=self._is_seen or bool(listens))

    def _run(self, name: str, wanted: str, work: Callable[[], Coroutine[Any, Any, None]]) -> None:
        """Have work run under a name as long as the same is `wanted`."""
        running = self._tasks.get(name)
        if running is not None and running.get_name() == wanted:
            return
        if running is not None:
            self._tasks.pop(name).cancel()
        if wanted:
            self._tasks[name] = asyncio.create_task(self._again(work), name=wanted)

    async def _again(self, work: Callable[[], Coroutine[Any, Any, None]]) -> None:
        """Do work until cancelled; an error is logged, and it begins anew."""
        while True:
            try:
                await work()
            except OSError:
                return  # the page has left
            except Exception:
                log.exception("Serving a page failed")
            await asyncio.sleep(AGAIN_S)

    async def _states(self, *, desk: bool) -> None:
        given_s = 0.0
        async for status in client().statuses(silence_ms=SILENCE_MS):
            min_s = UNSEEN_S if not self._is_seen else 0.0 if desk else SELDOM_S
            if status is not None and time.monotonic() - given_s < min_s:
                continue
            given_s = time.monotonic()
            rig = rig_status(status, self._rig_id) if self._rig_id is not None else None
            problem = self._lease.problem if self._lease else ""
            await self._send("text", json.dumps(live_facts(status, rig, self._place, problem=problem, desk=desk)))

    async def _pictures(self) -> None:
        assert self._rig_id is not None
        async for picture in client().pictures(self._rig_id, silence_ms=SILENCE_MS):
            if picture is not None:
                jpeg, composed_ns = picture
                await self._send("bytes", PICTURE + struct.pack("<Q", composed_ns) + jpeg)

    async def _sounds(self, what: str) -> None:
        assert self._rig_id is not None
        async for block in client().sounds(self._rig_id, what, silence_ms=SILENCE_MS):
            if block is not None:
                samples, at_ns, comes = block
                age_ms = max(0, time.monotonic_ns() - at_ns) // 1_000_000
                head = struct.pack("<4I", len(samples), age_ms, comes.rate_hz, comes.channels)
                await self._send("bytes", SOUND + head + samples)

    async def _send(self, kind: str, data: str | bytes) -> None:
        async with self._sending:
            await self._send_event({"type": "websocket.send", kind: data})
