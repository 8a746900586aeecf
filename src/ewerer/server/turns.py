"""Whose request may go on now: few at a time of a session and of all, crews by turns, and some places that only others find free.

All of it happens in one event loop; waiting takes no thread.
"""

from __future__ import annotations

import asyncio
from collections import Counter
from collections.abc import AsyncIterator
from contextlib import asynccontextmanager
from dataclasses import dataclass
from typing import TypeVar

K = TypeVar("K")
Asker = int | bytes
"""A crew where it is known, else the session or the address itself."""


class TooMany(Exception):
    """As many of this session wait as may."""


@dataclass(eq=False, slots=True)
class _Ticket:
    session: bytes
    asker: Asker
    turn: asyncio.Future[None]


class Turns:
    """Places for requests: ``most`` for all, ``of_one`` of them for a session, ``for_others`` more for who has none at work."""

    def __init__(self, most: int, of_one: int, for_others: int, in_line: int) -> None:
        self.most, self.of_one, self.for_others, self.in_line = most, of_one, for_others, in_line
        self.sessions, self.askers, self.lines = Counter[bytes](), Counter[Asker](), Counter[bytes]()
        self._line: list[_Ticket] = []

    @asynccontextmanager
    async def turn(self, session: bytes, asker: Asker) -> AsyncIterator[None]:
        """Wait for a place and hold it. Raises :class:`TooMany` at once where too many of this session wait or are at work."""
        if self.lines[session] >= self.in_line:
            raise TooMany
        self.lines[session] += 1
        ticket = _Ticket(session, asker, asyncio.get_running_loop().create_future())
        self._line.append(ticket)
        self._go_on()
        try:
            await ticket.turn
            yield
        finally:
            if ticket in self._line:
                self._line.remove(ticket)
            else:
                less(self.sessions, session)
                less(self.askers, asker)
            less(self.lines, session)
            self._go_on()

    def _go_on(self) -> None:
        while (ticket := self._next()) is not None:
            self._line.remove(ticket)
            self.sessions[ticket.session] += 1
            self.askers[ticket.asker] += 1
            if not ticket.turn.done():
                ticket.turn.set_result(None)

    def _next(self) -> _Ticket | None:
        """Return who is next: of those who may, the first of the crew, and of its sessions, that has least at work."""
        room = self.most - self.askers.total()
        may = [
            t
            for t in self._line
            if self.sessions[t.session] < self.of_one and (room > 0 or (not self.askers[t.asker] and room > -self.for_others))
        ]
        return min(may, key=lambda t: (self.askers[t.asker], self.sessions[t.session]), default=None)


def less(held: Counter[K], key: K, much: int = 1) -> None:
    """Count down, and forget what is at nothing."""
    held[key] -= much
    if not held[key]:
        del held[key]
