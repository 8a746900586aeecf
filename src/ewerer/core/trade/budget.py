"""How long a computation may take. Whoever asks sets it; loops that may grow long look at it, and stop when it is spent."""

from __future__ import annotations

import time
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

_until: ContextVar[float | None] = ContextVar("until", default=None)


class Spent(Exception):
    """The time that was given is spent."""


@contextmanager
def within(seconds: float) -> Iterator[None]:
    """Give what is computed inside so many seconds of processor time of this thread."""
    token = _until.set(time.thread_time() + seconds)
    try:
        yield
    finally:
        _until.reset(token)


def look() -> None:
    """Raise :class:`Spent` where time was given and is spent; costs a fraction of a microsecond where none was."""
    until = _until.get()
    if until is not None and time.thread_time() > until:
        raise Spent
