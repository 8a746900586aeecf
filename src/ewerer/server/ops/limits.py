"""What one address, one crew and all strangers may have open at one time, so that none of them stops the others.

Reading slow requests and writing to slow clients takes no thread: waitress does both. A request that is whole waits for one
of its threads by turns of who asks; each has some of them at most, and files have their own.
"""

from __future__ import annotations

import ipaddress
import os
import time
from collections import Counter, OrderedDict, deque
from collections.abc import Callable, Iterable
from typing import Any

from cachetools import TTLCache
from django.http import parse_cookie
from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.server import TcpWSGIServer
from waitress.task import ThreadedTaskDispatcher
from waitress.utilities import RequestEntityTooLarge

from ..crews.who import ASKING

THREADS = 32
MOST_OF_CREW, MOST_OF_STRANGERS, MOST_OF_FILES = 6, 2, 4
"""Requests that are answered at one time of one crew, of everybody who is not known to have signed in, and for files and pages."""
MOST_CONNECTIONS, MOST_OF_ADDRESS = 2000, 600
"""Connections of all, and of one address that is no trusted proxy."""
MOST_BYTES, MOST_BYTES_OF_FILE = 13_000_000, 200_000_000
"""Largest body: a photograph of 12 MB with its wrapping, or a handover to be verified."""
Environ = dict[str, Any]
App = Callable[[Environ, Callable[..., Any]], Iterable[bytes]]
WAIT_S = "ewerer.wait_s"
"""Where a request finds how long the one that has waited longest waits for a thread now [s]."""
FILES, STRANGERS = -1, 0
"""Who asks: the number of a crew, or these."""


class Turns:
    """Requests that wait for a thread: whoever asks comes by turns, and has so many threads at most. Used under waitress's lock."""

    def __init__(self) -> None:
        self.waiting: OrderedDict[int, deque[Channel]] = OrderedDict()
        self.running = Counter[int]()
        self.crews: TTLCache[str, int] = TTLCache(10_000, 3600)

    def _may(self, asker: int) -> bool:
        return self.running[asker] < {FILES: MOST_OF_FILES, STRANGERS: MOST_OF_STRANGERS}.get(asker, MOST_OF_CREW)

    def __len__(self) -> int:
        return sum(map(self._may, self.waiting))

    def append(self, channel: Channel) -> None:
        """Let a connection wait with its request."""
        request = channel.requests[0]
        session = parse_cookie(request.headers.get("COOKIE", "")).get("sessionid", "")[:64]
        api = getattr(request, "path", "/").startswith(("/api/", "/metrics"))
        channel.asker = self.crews.get(session, STRANGERS) if api else FILES
        channel.since = time.monotonic()
        self.waiting.setdefault(channel.asker, deque()).append(channel)

    def popleft(self) -> Channel:
        """Return the next."""
        asker = next(filter(self._may, self.waiting))
        line = self.waiting[asker]
        channel = line.popleft()
        self.waiting.move_to_end(asker)
        if not line:
            del self.waiting[asker]
        self.running[asker] += 1
        return channel


class Parser(HTTPRequestParser):  # type: ignore[misc]
    """Reads a request; only a file to be verified may be larger than a photograph."""

    error: Any

    def received(self, data: bytes) -> int:
        """Take what arrived; end a body that is larger than its route takes."""
        taken = int(super().received(data))
        size = max(self.content_length, self.body_bytes_received)
        if self.headers_finished and self.error is None and size > MOST_BYTES and self.path != "/api/verify":
            self.error = RequestEntityTooLarge(f"at most {MOST_BYTES} bytes are taken here")
            self.completed = True
        return taken


class Channel(HTTPChannel):  # type: ignore[misc]
    """One connection."""

    parser_class = Parser
    asker, since = STRANGERS, 0.0

    def service(self) -> None:
        """Answer a request, and give its place back."""
        asker, dispatcher = self.asker, self.server.task_dispatcher
        try:
            super().service()
        finally:
            with dispatcher.lock:
                dispatcher.queue.running[asker] -= 1


class Server(TcpWSGIServer):  # type: ignore[misc]
    """Waitress on an address, with bounds; what a proxy says of who asks counts only from EWERER_PROXY, this machine where that is not set."""

    channel_class = Channel

    def __init__(self, app: App, host: str, port: int) -> None:
        """Listen; raises ValueError where EWERER_PROXY is no address."""
        proxy = os.environ.get("EWERER_PROXY", "127.0.0.1")
        if proxy:
            ipaddress.ip_address(proxy)
        dispatcher, turns = ThreadedTaskDispatcher(), Turns()
        dispatcher.queue = turns
        dispatcher.set_thread_count(THREADS)

        def remembering(environ: Environ, start_response: Callable[..., Any]) -> Iterable[bytes]:
            """Answer, and remember of which crew the session is."""
            with dispatcher.lock:
                environ[WAIT_S] = max((time.monotonic() - line[0].since for line in turns.waiting.values()), default=0.0)
            answer = app(environ, start_response)
            person = environ.get(ASKING)
            if person is not None:
                with dispatcher.lock:
                    turns.crews[parse_cookie(environ.get("HTTP_COOKIE", "")).get("sessionid", "")[:64]] = person.crew.pk
            return answer

        super().__init__(
            remembering,
            dispatcher=dispatcher,
            host=host,
            port=port,
            connection_limit=MOST_CONNECTIONS,
            backlog=1024,
            channel_timeout=60,
            cleanup_interval=10,
            channel_request_lookahead=1,  # so that a client that goes away is seen
            max_request_header_size=32_768,
            max_request_body_size=MOST_BYTES_OF_FILE,
            outbuf_high_watermark=2 * MOST_BYTES_OF_FILE,  # whoever does not read keeps a file, not a thread
            asyncore_use_poll=True,
            ident=None,
            trusted_proxy=proxy or None,
            trusted_proxy_headers={"x-forwarded-for", "x-forwarded-proto"} if proxy else set(),
            clear_untrusted_proxy_headers=True,
        )

    def handle_accept(self) -> None:
        """Take all connections that wait: each look at what there is to do costs as much as there are connections."""
        self.more = True
        for _ in range(256):
            if self.more:
                super().handle_accept()

    def accept(self) -> Any:
        """Return a new connection, None where there is none any more or its address has too many."""
        came = super().accept()
        self.more = came is not None
        if came is None:
            return None
        connection, address = came
        if address[0] != self.adj.trusted_proxy:
            open_ = sum(c.addr[0] == address[0] for c in list(self.active_channels.values()))
            if open_ >= MOST_OF_ADDRESS:
                connection.close()
                return None
        return came
