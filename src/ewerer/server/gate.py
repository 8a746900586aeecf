"""Before a worker is taken: bodies are read whole, within a size and a time, so that a slow client holds up nobody else.

A request handler runs in one of a few threads. A client that sends its body a byte at a time would keep such a thread
waiting; here the waiting is done by the event loop, which has room for thousands.
"""

from __future__ import annotations

import asyncio
import json
import re
import threading
from collections import Counter, OrderedDict
from collections.abc import Awaitable, Callable, MutableMapping
from typing import Any

from django.http import parse_cookie

from .problems import CREW_OF, GONE
from .proxies import asking, trusted
from .turns import TooMany, Turns, less

Message = MutableMapping[str, Any]
Receive = Callable[[], Awaitable[Message]]
Send = Callable[[Message], Awaitable[None]]
App = Callable[[MutableMapping[str, Any], Receive, Send], Awaitable[None]]

MOST_BYTES = 13_000_000
"""Largest body of all: a photograph of 12 MB with its wrapping. What a route takes less of, it refuses itself."""
MOST_ANONYMOUS_BYTES = 20_000
"""Largest body of somebody who brings no session: a sign-in."""
WHOLE_S, IDLE_S = 60.0, 10.0
"""Longest a body may take, and longest between two parts of it."""
AT_THE_DOOR = "/api/session"
MOST_HASHING, MOST_AT_THE_DOOR = 2, 60
"""Passwords that are tried at one time, and most that wait for it: hashing is slow on purpose, and must not take every worker."""
MOST_OF_CREW, MOST_OF_ADDRESS, MOST_OF_STRANGERS = (200, 200_000_000), (50, 50_000_000), (400, 200_000_000)
"""Bodies that are read at one time, and bytes of bodies that are not answered yet: of a crew that is known, else of an address and of all those."""
STRANGERS = ""
Key = int | str
"""What is counted: a crew, an address, or all strangers."""


MOST_COMPUTING, FOR_OTHERS, MOST_OF_ONE, MOST_IN_LINE = 12, 4, 4, 100
"""Requests that compute at one time: of all, beyond them of crews that have none at work, of one session; and most of one session in line."""
MOST_ANSWERED, ANSWERED_FOR_OTHERS, MOST_ANSWERED_OF_ONE, MOST_ANSWERED_IN_LINE = 20, 4, 8, 400
"""The same for all other requests: a browser has six lines at most."""
MOST_KNOWN = 10_000
"""Sessions of which the gate remembers the crew."""
COMPUTES = re.compile(
    r"/api/(plan$|order/|simulate$|series$|verify$|symptoms/|as-found/|library/(check|table|lacks|try)|jobs/files$|jobs/[^/]+/(plan|opening|cable|sheets/|run|record|handover))"
)
"""What is computed for whoever asks, as long as it takes."""


class Gate:
    """ASGI middleware: read the body, then pass the request on with all of it at hand."""

    def __init__(self, app: App, whole_s: float = WHOLE_S, idle_s: float = IDLE_S) -> None:
        self.app, self.whole_s, self.idle_s = app, whole_s, idle_s
        self.at_the_door = 0
        self.read, self.held, self.proxies = Counter[Key](), Counter[Key](), trusted()
        self.hashing = asyncio.Semaphore(MOST_HASHING)
        self.turns = Turns(MOST_COMPUTING, MOST_OF_ONE, FOR_OTHERS, MOST_IN_LINE)
        self.others = Turns(MOST_ANSWERED, MOST_ANSWERED_OF_ONE, ANSWERED_FOR_OTHERS, MOST_ANSWERED_IN_LINE)
        self.crews: OrderedDict[bytes, int] = OrderedDict()

    async def __call__(self, scope: MutableMapping[str, Any], receive: Receive, send: Send) -> None:
        """Answer 408, 413 or 503 for a body that is too slow, too big, or one too many; else pass it on."""
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        if scope["method"] in ("GET", "HEAD", "OPTIONS") and not COMPUTES.match(scope["path"]):
            await self._in_turn(scope, receive, send)
            return
        headers = dict(scope["headers"])
        most = MOST_BYTES if b"sessionid=" in headers.get(b"cookie", b"") else MOST_ANONYMOUS_BYTES
        told = headers.get(b"content-length", b"")
        if told.isdigit() and int(told) > most:
            await _refuse(send, 413, "Too big", f"At most {most} bytes are taken here.")
            return
        crew, mine = self.crews.get(self._session_of(scope)), 0
        keys: tuple[Key, ...] = (self._address_of(scope), STRANGERS) if crew is None else (crew,)
        if any(self.read[key] >= _most(key)[0] for key in keys):
            await _refuse(send, 503, "Too busy", "Too many uploads at one time; try again in a moment.")
            return

        def take(size: int) -> bool:
            nonlocal mine
            mine += size
            for key in keys:
                self.held[key] += size
            return all(self.held[key] <= _most(key)[1] for key in keys)

        self.read.update(keys)
        try:
            try:
                body = await asyncio.wait_for(self._body(receive, most, take), self.whole_s)
            except TimeoutError:
                await _refuse(send, 408, "Too slow", f"A request must arrive within {self.whole_s:g} s; nothing was stored.")
                return
            finally:
                for key in keys:
                    less(self.read, key)
            await self._read(body, most, scope, receive, send)
        finally:
            for key in keys:
                less(self.held, key, mine)

    async def _read(
        self, body: bytes | str | None, most: int, scope: MutableMapping[str, Any], receive: Receive, send: Send
    ) -> None:
        """Pass a request on whose body was read."""
        if body is None:
            await _refuse(send, 413, "Too big", f"At most {most} bytes are taken here.")
            return
        if body == "full":
            await _refuse(send, 503, "Too busy", "Too much is uploaded at one time; try again in a moment.")
            return
        if isinstance(body, str):
            return  # the client is gone
        whole: bytes | None = body
        gone = scope[GONE] = threading.Event()

        async def until_gone() -> Message:
            while (message := await receive())["type"] != "http.disconnect":
                pass
            gone.set()
            return message

        watched = asyncio.ensure_future(until_gone())

        async def at_hand() -> Message:
            nonlocal whole
            if whole is not None:
                message: Message = {"type": "http.request", "body": whole, "more_body": False}
                whole = None
                return message
            return await asyncio.shield(watched)

        try:
            await self._pass_on(scope, at_hand, send)
        finally:
            watched.cancel()

    async def _in_turn(self, scope: MutableMapping[str, Any], receive: Receive, send: Send) -> None:
        """Pass a request on when it is its turn; it waits here, where waiting takes no worker."""
        if scope["path"].startswith("/health"):
            await self.app(scope, receive, send)
            return
        session = self._session_of(scope)
        turns = self.turns if COMPUTES.match(scope["path"]) else self.others
        try:
            async with turns.turn(session, self.crews.get(session, session)):
                await self._answer(scope, receive, send, session)
        except TooMany:
            await _refuse(send, 503, "Too busy", "Much of yours waits already. Try again in a moment.")

    async def _answer(self, scope: MutableMapping[str, Any], receive: Receive, send: Send, session: bytes) -> None:
        """Let the application answer, and remember which crew it says the session is of."""
        await self.app(scope, receive, send)
        crew = scope.get(CREW_OF)
        if crew is not None:
            self.crews[session] = crew
            self.crews.move_to_end(session)
            if len(self.crews) > MOST_KNOWN:
                self.crews.popitem(last=False)

    async def _pass_on(self, scope: MutableMapping[str, Any], at_hand: Receive, send: Send) -> None:
        if scope["method"] != "POST" or not scope["path"].startswith(AT_THE_DOOR):
            await self._in_turn(scope, at_hand, send)
            return
        if self.at_the_door >= MOST_AT_THE_DOOR:
            await _refuse(send, 429, "Too busy", "Too many people sign in at one time; try again in a moment.")
            return
        self.at_the_door += 1
        try:
            async with self.hashing:
                await self.app(scope, at_hand, send)
        finally:
            self.at_the_door -= 1

    def _session_of(self, scope: MutableMapping[str, Any]) -> bytes:
        """Return the session that a request brings, as the framework reads it, or else its address."""
        return (parse_cookie(_told(scope, b"cookie")).get("sessionid", "")[:64] or self._address_of(scope)).encode()

    def _address_of(self, scope: MutableMapping[str, Any]) -> str:
        return asking((scope.get("client") or ("nowhere",))[0], _told(scope, b"x-forwarded-for"), self.proxies)

    async def _body(self, receive: Receive, most: int, take: Callable[[int], bool]) -> bytes | str | None:
        """Return the body, None where it is too big, ``gone`` where the client went away, ``full`` where there is no room for it."""
        parts: list[bytes] = []
        size = 0
        while True:
            message = await asyncio.wait_for(receive(), self.idle_s)
            if message["type"] == "http.disconnect":
                return "gone"
            part = message.get("body", b"")
            size += len(part)
            if size > most:
                return None
            if not take(len(part)):
                return "full"
            parts.append(part)
            if not message.get("more_body"):
                return b"".join(parts)


def _told(scope: MutableMapping[str, Any], wanted: bytes) -> str:
    """Return a header, joined as the framework finds it where it was sent more than once."""
    return b",".join(value for name, value in scope["headers"] if name == wanted).decode("latin-1")


def _most(key: Key) -> tuple[int, int]:
    return MOST_OF_CREW if isinstance(key, int) else MOST_OF_STRANGERS if key == STRANGERS else MOST_OF_ADDRESS


async def _refuse(send: Send, status: int, title: str, detail: str) -> None:
    body = json.dumps({"type": "about:blank", "title": title, "status": status, "detail": detail}).encode()
    headers = [
        (b"content-type", b"application/problem+json"),
        (b"content-length", str(len(body)).encode()),
        (b"connection", b"close"),
    ]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})
