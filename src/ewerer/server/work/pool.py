"""Processes that compute beside the server, with a limit of time and memory; no crew has all of them."""

from __future__ import annotations

import os
import resource
import threading
from collections import defaultdict
from collections.abc import Callable
from concurrent.futures import CancelledError, TimeoutError
from concurrent.futures.process import BrokenProcessPool
from contextvars import ContextVar
from multiprocessing import get_context
from typing import Any, TypeVar, TypeVarTuple, Unpack

from pebble import ProcessExpired, ProcessPool

from ...core.trade.budget import DeadlineExceeded, check_deadline, remaining_s, within
from ...core.trade.errors import Error

R = TypeVar("R")
A = TypeVarTuple("A")
CREW: ContextVar[int | None] = ContextVar("crew", default=None)
"""The crew that a computation counts for; None for what the server does by itself."""
MOST_S, SLACK_S = 20.0, 30.0
"""Most processor time of a computation that somebody waits for, and how much longer it may take by the clock [s]."""
FOR_LONG_WORK = 3
"""Processes beyond those for requests: so many pieces of long work run at one time."""
MOST_BYTES = int(os.environ.get("EWERER_WORKER_MB", "1500")) * 1_000_000
"""Most memory that a process may take for its data."""
PRELOAD = "ewerer.server.work.preload"
_pool: ProcessPool | None = None
_workers, _stopped = 0, False
_lock = threading.Lock()
_of_crew: defaultdict[int | None, threading.Semaphore] = defaultdict(lambda: threading.Semaphore(max(1, _workers - 1)))


class ShuttingDown(Error):
    """The server is stopped."""


class ProcessEnded(Error):
    """The process of a computation ended by itself: a defect, or the system took its memory."""


def count() -> int:
    """Return how many processes compute for requests: EWERER_WORKERS (0: in the server itself), or one more than there are cores, at most 8."""
    given = os.environ.get("EWERER_WORKERS", "").strip()
    cores = len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1
    return min(int(given), 64) if given.isdigit() else min(cores + 1, 8)


def _limit_memory() -> None:
    resource.setrlimit(resource.RLIMIT_DATA, (MOST_BYTES, MOST_BYTES))


def _carry_out(seconds: float, task: Callable[..., R], args: tuple[Any, ...]) -> R:
    with within(seconds):
        return task(*args)


def _running() -> ProcessPool:
    """Return the pool, made anew where it broke."""
    global _pool
    with _lock:
        if _stopped:
            raise ShuttingDown
        if _pool is None or not _pool.active:
            context = get_context("forkserver")
            context.set_forkserver_preload([PRELOAD])
            _pool = ProcessPool(_workers + FOR_LONG_WORK, initializer=_limit_memory, context=context)
        return _pool


def begin(workers: int) -> None:
    """Start the processes; until they answer, and where ``workers`` is 0, all is computed where it is asked for."""
    global _workers, _stopped
    if workers:
        _stopped = False
        _running().schedule(os.getpid).result()
        _workers = workers


def end() -> None:
    """End the processes."""
    global _pool, _workers, _stopped
    with _lock:
        _stopped, _workers, held, _pool = True, 0, _pool, None
    if held is not None:
        held.stop()  # type: ignore[no-untyped-call]
        held.join(timeout=5)
    _of_crew.clear()


def run(task: Callable[[Unpack[A]], R], *args: *A) -> R:
    """Carry out ``task``, a function of a module, beside the server where processes were started, else here.

    Raises what the task raises, :class:`ShuttingDown`, :class:`ProcessEnded`, DeadlineExceeded, and ClientGone where nobody waits.
    """
    return run_for(MOST_S, task, *args)


def run_for(seconds: float, task: Callable[[Unpack[A]], R], *args: *A) -> R:
    """Carry out ``task`` likewise, within processor time of its own [s]."""
    if not _workers:
        return task(*args)
    turn = _of_crew[CREW.get()]
    while not turn.acquire(timeout=0.1):
        check_deadline()
    try:
        return ask(task, args, min(remaining_s(), seconds))
    finally:
        turn.release()


def ask(task: Callable[..., R], args: tuple[Any, ...], seconds: float, stop: Callable[[], None] = check_deadline) -> R:
    """Carry out ``task`` within processor time [s]; ``stop`` is called several times a second and may raise, which ends it."""
    if not _workers:
        return task(*args)
    future = _running().schedule(_carry_out, (seconds, task, args), timeout=seconds + SLACK_S)
    while True:
        try:
            made: R = future.result(timeout=0.1)
            return made
        except TimeoutError:
            if future.done():
                raise DeadlineExceeded from None
            if _stopped:  # the processes have ended; what they held may never be told so
                raise ShuttingDown from None
        except (ProcessExpired, CancelledError, BrokenProcessPool) as error:
            raise (ShuttingDown if _stopped else ProcessEnded(f"{task.__name__}: {error}")) from None
        try:
            stop()
        except BaseException:
            future.cancel()  # type: ignore[no-untyped-call]
            raise
