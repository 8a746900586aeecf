"""Long work: simulated years, advice, comparisons, sweeps. Its state and result lie on disk, so that they outlive a restart.

A few pieces run at one time, one of a crew. Whoever carries one out looks at the file that asks it to stop.
"""

from __future__ import annotations

import json
import logging
import os
import threading
import time
import uuid
from collections import Counter, defaultdict
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Literal

from ...core import tasks
from ...core.documents import DocumentError, Problem
from ...core.trade.budget import DeadlineExceeded
from ..settings.base import DATA_DIR
from . import pool

KEEP_S = 86_400.0
"""Results are kept for a day, and of each crew only so many."""
MOST_KEPT, MOST_OPEN = 12, 6
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


class Cancelled(Exception):
    """The person asked to stop."""


class TooMuch(DocumentError):
    """The crew has as much waiting as it may."""

    def __init__(self) -> None:
        expected = f"at most {MOST_OPEN}; wait, or cancel one"
        super().__init__([Problem(pointer="", message="your crew has much waiting already", expected=expected)])


def _file(id: str, what: str) -> Path:
    folder = DATA_DIR / "work"
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    return folder / f"{id}.{what}"


@dataclass(slots=True)
class Work:
    """One piece of long work: what it is doing, how far it is (0..1), what went wrong, when that was noted (s since 1970)."""

    id: str
    crew: int
    kind: str
    state: State = "waiting"
    word: str = "waiting"
    share: float = 0.0
    problem: str = ""
    at: float = 0.0
    by: int = 0
    """The person who began it."""
    pid: int = field(default_factory=os.getpid)
    """The server that carries it out."""

    @property
    def result(self) -> str | None:
        """The result as JSON text, None where there is none yet or none any more."""
        try:
            return _file(self.id, "result.json").read_text() if self.state == "done" else None
        except OSError:
            return None

    def become(self, state: State, word: str, share: float = 0.0, problem: str = "") -> None:
        """Note on disk what it has become."""
        self.state, self.word, self.share, self.problem, self.at = state, word, share, problem, time.time()
        known: dict[str, Any] = {key: getattr(self, key) for key in self.__slots__ if key != "id"}
        tasks.write_whole(_file(self.id, "work.json"), json.dumps(known))


def start(crew: int, by: int, of: tasks.Long) -> Work:
    """Begin long work as soon as it is its turn. Raises :class:`TooMuch`."""
    piece = Work(uuid.uuid4().hex, crew, of.kind, by=by)
    with _lock:
        if Counter(_open.values())[crew] >= MOST_OPEN:
            raise TooMuch
        _open[piece.id] = crew
    try:
        piece.become("waiting", "waiting")
        _threads.submit(_carry_out, piece, of)
    except BaseException:
        with _lock:
            del _open[piece.id]
        raise
    _forget(crew)
    return piece


def _carry_out(piece: Work, of: tasks.Long) -> None:
    def stop() -> None:
        if _file(piece.id, "cancel").exists():
            raise Cancelled

    try:
        with _of_crew[piece.crew], _running:
            stop()
            piece.become("running", "beginning")
            result = pool.ask(tasks.long_work, (of, str(_file(piece.id, "progress"))), MOST_S, stop)
        tasks.write_whole(_file(piece.id, "result.json"), result)
        piece.become("done", "done", 1.0)
    except Cancelled:
        piece.become("cancelled", "cancelled")
    except DocumentError as error:
        piece.become("failed", "failed", problem=str(error))
    except pool.ShuttingDown:
        piece.become("failed", "failed", problem=ANEW)
    except (DeadlineExceeded, MemoryError):
        piece.become(
            "failed", "failed", problem=f"it takes more than {MOST_S / 60:g} minutes, or more memory than it may; make it smaller"
        )
    except Exception as error:  # a defect must not end the thread; the person is told
        log.exception("long work %s failed", piece.kind)
        told = (str(error).strip() or type(error).__name__).splitlines()[-1]
        piece.become("failed", "failed", problem=f"a defect of Ewerer's own: {told}")
    finally:
        with _lock:
            _open.pop(piece.id, None)


def find(id: str, crew: int) -> Work | None:
    """Return a crew's piece, None when there is none or it belongs to others."""
    if not (len(id) == 32 and id.isalnum()):
        return None
    try:
        piece = Work(id=id, **json.loads(_file(id, "work.json").read_text()))
        if piece.state == "running":
            piece.word, piece.share = json.loads(_file(id, "progress").read_text())
    except FileNotFoundError:
        if not _file(id, "work.json").exists():
            return None
    except (OSError, ValueError, TypeError):
        return None
    if piece.crew != crew:
        return None
    if piece.state in ("waiting", "running") and id not in _open and not _elsewhere(piece.pid):
        piece.state, piece.problem = "failed", ANEW
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
    if piece.state in ("waiting", "running"):
        _file(piece.id, "cancel").touch()
        piece.state = "cancelled" if piece.state == "waiting" else piece.state


def _forget(crew: int | None = None, before: float = 0.0) -> None:
    """Let ended pieces go: of a crew all but the newest, else those that were noted ``before`` a time (s since 1970)."""
    ended = []
    for path in (DATA_DIR / "work").glob("*.work.json"):
        id = path.name.split(".")[0]
        try:
            known = json.loads(path.read_text())
        except (OSError, ValueError):
            known = {"crew": None, "at": 0.0}
        if id not in _open and (known["crew"] == crew if crew is not None else known["at"] < before):
            ended.append((known["at"], id))
    for _, id in sorted(ended, reverse=True)[MOST_KEPT if crew is not None else 0 :]:
        for path in (DATA_DIR / "work").glob(f"{id}.*"):
            path.unlink(missing_ok=True)


def tidy() -> None:
    """Let what is older than a day go."""
    _forget(before=time.time() - KEEP_S)
