"""How big a document may be, and how long a computation may take. Whoever asks sets it; loops that may grow long look at it, and stop when it is spent."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from dataclasses import dataclass

from .errors import Error

MAX_DOCUMENT_BYTES = 2_000_000
"""Largest document accepted, in bytes. A job of 12 units and 32 modules needs about 15 kB."""


class DeadlineExceeded(Error):
    """The time that was given is spent."""


class ClientGone(Error):
    """Whoever asked is gone; nobody would read the answer."""


@dataclass(frozen=True, slots=True)
class _Given:
    cpu: float
    wall: float
    """The same moment by the wall's clock: it is never earlier, and quick to read."""
    gone: Callable[[], bool]


_given: ContextVar[_Given | None] = ContextVar("given", default=None)


def _stays() -> bool:
    return False


@contextmanager
def within(seconds: float, gone: Callable[[], bool] = _stays) -> Iterator[None]:
    """Give what is computed inside so many seconds of processor time of this thread, and that only while nobody is ``gone``."""
    token = _given.set(_Given(time.thread_time() + seconds, time.perf_counter() + seconds, gone))
    try:
        yield
    finally:
        _given.reset(token)


@contextmanager
def allowing(seconds: float) -> Iterator[None]:
    """Give what is computed inside so many seconds of its own, whatever is left outside; who is gone there is gone here."""
    given = _given.get()
    with within(seconds, _stays if given is None else given.gone):
        yield


def check_deadline() -> None:
    """Raise :class:`DeadlineExceeded` where time was given and is spent, :class:`ClientGone` where it is of use to nobody; quick where neither."""
    given = _given.get()
    if given is None:
        return
    if given.gone():
        raise ClientGone
    if time.perf_counter() > given.wall and time.thread_time() > given.cpu:
        raise DeadlineExceeded


def remaining_s() -> float:
    """Return the processor time [s] that this thread still has; endless where none was given."""
    given = _given.get()
    return float("inf") if given is None else max(0.0, given.cpu - time.thread_time())
