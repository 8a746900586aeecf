"""Long work: simulated years, advice, comparisons, sweeps. Its state and result lie in a cache on disk, so that they outlive a restart.

A few pieces run at one time, one of a crew. Whoever carries one out looks whether it is asked to stop.
"""

from __future__ import annotations

import json
import logging
import os
import threading
import uuid
from collections import Counter, defaultdict
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Literal

from django.core.cache import caches

from ...core import tasks
from ...core.trade.budget import DeadlineExceeded
from ...core.trade.errors import DocumentError, Error, Problem
from ..settings.base import DATA_DIR
from . import pool

MOST_OPEN = 6
"""Pieces of a crew that wait or run at one time."""
MOST_S = 900.0
"""Most processor time of one piece [s]."""
ANEW = "the server was started anew meanwhile; start it again"
log = logging.getLogger(__name__)
State = Literal["waiting", "running", "done", "cancelled", "failed"]
_threads = ThreadPoolExecutor(pool.FOR_LONG_WORK + MOST_OPEN, thread_name_prefix="long work")
_running = threading.BoundedSemaphore(pool.FOR_LONG_WORK)
_of_crew: defaultdict[int, threading.Lock] = defaultdict(threading.Lock)
_open: dict[str, int] = {}
"""The crew of each piece that waits or runs here."""
_lock = threading.Lock()


class Cancelled(Error):
    """The person asked to stop."""


class TooMuch(DocumentError):
    """The crew has as much waiting as it may."""

    def __init__(self) -> None:
        expected = f"at most {MOST_OPEN}; wait, or cancel one"
        super().__init__([Problem(pointer="", message="your crew has much waiting already", expected=expected)])


@dataclass(frozen=True, slots=True)
class Work:
    """One piece of long work, of a crew, begun by a person: what it is doing, how far it is (0..1), what went wrong."""

    id: str
    crew: int
    by: int
    kind: str
    state: State = "waiting"
    word: str = "waiting"
    share: float = 0.0
    problem: str = ""
    pid: int = field(default_factory=os.getpid)
    """The server that carries it out."""

    @property
    def result(self) -> str | None:
        """The result as JSON text, None where there is none yet or none any more."""
        return caches["work"].get(f"{self.id}.result") if self.state == "done" else None

    def become(self, state: State, word: str = "", problem: str = "") -> None:
        """Note what it has become."""
        now = replace(self, state=state, word=word or state, share=float(state == "done"), problem=problem)
        caches["work"].set(self.id, now)


def _progress(id: str) -> Path:
    return DATA_DIR / "work" / f"{id}.progress"


def start(crew: int, by: int, of: tasks.Long) -> Work:
    """Begin long work as soon as it is its turn. Raises :class:`TooMuch`."""
    piece = Work(uuid.uuid4().hex, crew, by, of.kind)
    with _lock:
        if Counter(_open.values())[crew] >= MOST_OPEN:
            raise TooMuch
        _open[piece.id] = crew
    piece.become("waiting")
    _threads.submit(_carry_out, piece, of)
    return piece


def _carry_out(piece: Work, of: tasks.Long) -> None:
    def stop() -> None:
        if caches["work"].get(f"{piece.id}.cancel"):
            raise Cancelled

    def failed(problem: str) -> None:
        piece.become("failed", problem=problem)

    try:
        with _of_crew[piece.crew], _running:
            stop()
            piece.become("running", "beginning")
            result = pool.ask(tasks.long_work, (of, str(_progress(piece.id))), MOST_S, stop)
        caches["work"].set(f"{piece.id}.result", result)
        piece.become("done")
    except Cancelled:
        piece.become("cancelled")
    except DocumentError as error:
        failed(str(error))
    except pool.ShuttingDown:
        failed(ANEW)
    except (DeadlineExceeded, MemoryError):
        failed(f"it takes more than {MOST_S / 60:g} minutes, or more memory than it may; make it smaller")
    except Exception as error:  # a defect must not end the thread; the person is told
        log.exception("long work %s failed", piece.kind)
        failed(f"a defect of Ewerer's own: {(str(error).strip() or type(error).__name__).splitlines()[-1]}")
    finally:
        _progress(piece.id).unlink(missing_ok=True)
        with _lock:
            del _open[piece.id]


def find(id: str, crew: int) -> Work | None:
    """Return a crew's piece, None when there is none, none any more, or it belongs to others."""
    piece: Work | None = caches["work"].get(id) if len(id) == 32 and id.isalnum() else None
    if piece is None or piece.crew != crew:
        return None
    if piece.state in ("waiting", "running") and id not in _open and not _elsewhere(piece.pid):
        piece = caches["work"].get(id) or piece  # it may have ended since it was read: what it became is kept before it is closed
        if piece.state in ("waiting", "running"):
            return replace(piece, state="failed", problem=ANEW)
    if piece.state == "running":
        try:
            word, share = json.loads(_progress(id).read_text())
        except (OSError, ValueError):
            return piece
        return replace(piece, word=word, share=share)
    return piece


def _elsewhere(pid: int) -> bool:
    """Whether another server on this folder, which still runs, carries a piece out."""
    try:
        os.kill(pid, 0)
    except (OSError, OverflowError):
        return False
    return pid != os.getpid()


def cancel(piece: Work) -> None:
    """Ask a piece to stop; whoever carries it out sees that within a fraction of a second."""
    caches["work"].set(f"{piece.id}.cancel", True)
