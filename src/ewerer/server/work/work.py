"""Long work in a thread of its own. Results are kept for a while in memory; nothing here is stored in a job."""

from __future__ import annotations

import logging
import threading
import time
import uuid
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from typing import Literal

from ...core.documents import DocumentError

KEEP_S, MOST = 900.0, 40
log = logging.getLogger(__name__)
State = Literal["waiting", "running", "done", "cancelled", "failed"]


class Cancelled(Exception):
    """The person asked to stop."""


@dataclass(slots=True)
class Work:
    """One piece of long work: what it is doing, how far it is, and its result as JSON text."""

    id: str
    crew_id: int
    kind: str
    state: State = "waiting"
    word: str = "waiting"
    share: float = 0.0
    result: str | None = None
    problem: str = ""
    stop: bool = False
    at: float = field(default_factory=time.monotonic)

    def told(self, word: str, share: float) -> None:
        """Note progress; raise :class:`Cancelled` when the person asked to stop."""
        if self.stop:
            raise Cancelled
        self.word, self.share = word, share


_held: dict[str, Work] = {}
_lock = threading.Lock()
_pool = ThreadPoolExecutor(max_workers=1, thread_name_prefix="work")


def start(crew_id: int, kind: str, work: Callable[[Work], str]) -> Work:
    """Queue ``work``; it gets the piece to tell progress to and returns JSON text."""
    piece = Work(uuid.uuid4().hex, crew_id, kind)
    with _lock:
        old = sorted(_held.values(), key=lambda r: r.at)
        for r in old:
            if time.monotonic() - r.at > KEEP_S or len(_held) >= MOST:
                _held.pop(r.id, None)
        _held[piece.id] = piece

    def carry_out() -> None:
        try:
            piece.told("beginning", 0.0)
            piece.state = "running"
            piece.result = work(piece)
            piece.told("done", 1.0)
            piece.state = "done"
        except Cancelled:
            piece.state, piece.word, piece.result = "cancelled", "cancelled", None
        except DocumentError as error:
            piece.state, piece.problem = "failed", str(error)
        except Exception as error:  # a defect must not end the worker; the person is told
            log.exception("long work %s failed", kind)
            piece.state, piece.problem = "failed", f"a defect of Ewerer's own: {error}"

    _pool.submit(carry_out)
    return piece


def find(id: str, crew_id: int) -> Work | None:
    """Return a crew's piece, None when there is none or it belongs to others."""
    piece = _held.get(id)
    return piece if piece is not None and piece.crew_id == crew_id else None


def cancel(piece: Work) -> None:
    """Ask a piece to stop; it does so at its next report of progress."""
    piece.stop = True
    if piece.state == "waiting":
        piece.state, piece.word = "cancelled", "cancelled"
